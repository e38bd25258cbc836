"""Taking in footage: a file is looked into first, and only what is footage is kept."""

from __future__ import annotations

import hashlib
from pathlib import Path
from typing import Any

from django.db import transaction
from django.db.models import Max

from kalyptra.core import PLATE_GROWTH, ClipExtent, ClipFacts, Footage, FootageKind, PlateSettings, Rate, Setup, probe
from kalyptra.library import looks, revisions
from kalyptra.library.files import delete_file, put_file
from kalyptra.library.models import Media, Project, Shot

DEFAULT_RATE = Rate(numerator=25, denominator=1)
STILL_SECONDS = 5
"""How long a new shot holds a still."""


def take_in(
    project: Project, path: Path, name: str, author: Any, rate: Rate = DEFAULT_RATE, shorten_gaps: bool = False
) -> Shot:  # fmt: skip
    """Make a shot of a file.

    Args:
        path: where the file lies; it is copied into the storage.
        name: what the editor calls it; only shown, never used as a path.
        rate: for stills and picture sequences.
        shorten_gaps: let no frame of a clip of variable rate last longer than a few seconds.

    Raises:
        NotFootage: the file is none; nothing was kept.
        LongGaps: the clip would become far longer than what it holds; nothing was kept.
    """
    facts = probe(path, rate, shorten_gaps)
    title = Path(name).stem[:120] or "Untitled"
    setup = looks.started(first_setup(facts), ClipExtent(facts.width, facts.height, facts.frames), author)
    return add_shot(project, path, name[:200], title, facts, setup, author)


@transaction.atomic
def add_shot(
    project: Project, path: Path, name: str, title: str, facts: ClipFacts, setup: Setup, author: Any
) -> Shot:  # fmt: skip
    """Keep a file and make a shot of it; the job that prepares it starts once this is committed."""
    media = Media(name=name, digest=_digest(path), facts_json=facts.model_dump(mode="json"))
    try:
        put_file(media.file, "source", path)
        media.save()
        last = project.shots.aggregate(last=Max("position"))["last"]
        shot = Shot(project=project, media=media, title=title, position=0 if last is None else last + 1)
        revisions.begin(shot, setup, author)
        _defer_preparing(media.pk)
    except Exception:
        delete_file(media.file.storage, media.file.name or media.file.field.generate_filename(media, "source"))
        raise
    return shot


def first_setup(facts: ClipFacts) -> Setup:
    """What a new shot starts with: all of the clip, of a still some seconds, and a growth of what is hidden that goes
    with its size."""
    growth = round(min(max(PLATE_GROWTH * facts.width, 0.5), 8.0), 1)
    still = facts.kind is FootageKind.STILL
    frames = min(facts.frames, round(STILL_SECONDS * facts.rate.fraction)) if still else facts.frames
    return Setup(footage=Footage(first=0, last=frames - 1), plate=PlateSettings(growth=growth))


def remove_shot(shot: Shot) -> None:
    """Delete a shot with its renders and files that were brought, and its footage where no other shot uses it.

    Work on it that is under way sees that it is gone, and ends.
    """
    with transaction.atomic():
        media = Media.objects.select_for_update().get(pk=shot.media_id)
        files = [order.file for orders in (shot.renders, shot.follows) for order in orders.all()]
        shot.delete()
        if not media.shots.exists():
            files += [media.file, media.proxy, media.poster]
            media.delete()
    for field in files:
        if field and field.name:
            delete_file(field.storage, field.name)


def stop_preparing(shot: Shot) -> bool:
    """Stop the preparing of a shot's footage; its job sees that and ends. Whether it was under way."""
    stopped = Media.objects.filter(pk=shot.media_id, state=Media.State.PREPARING).update(
        state=Media.State.STOPPED, message="The file is kept. Prepare it to open the shot."
    )
    return bool(stopped)


@transaction.atomic
def prepare_again(shot: Shot) -> None:
    """Prepare footage that was stopped or failed."""
    states = (Media.State.STOPPED, Media.State.FAILED)
    again = Media.objects.filter(pk=shot.media_id, state__in=states)
    if again.update(state=Media.State.PREPARING, done=0, message="", crashes=0):
        _defer_preparing(shot.media_id)


def _defer_preparing(media_id: int) -> None:
    """Queue it; two jobs never prepare the same footage at once."""
    from kalyptra.work.tasks import prepare_media

    prepare_media.configure(lock=f"media-{media_id}").defer(media_id=media_id)


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
