"""Taking in footage: a file is looked into first, and only what is footage is kept."""

from __future__ import annotations

import hashlib
from pathlib import Path
from typing import Any

from django.core.files import File
from django.db import transaction
from django.db.models import Max

from kalyptra.core import ClipFacts, Footage, Rate, Setup, probe
from kalyptra.library import revisions
from kalyptra.library.models import Media, Project, Shot

DEFAULT_RATE = Rate(numerator=25, denominator=1)


def take_in(project: Project, path: Path, name: str, author: Any, rate: Rate = DEFAULT_RATE) -> Shot:
    """Make a shot of a file.

    Args:
        path: where the file lies; it is copied into the storage.
        name: what the editor calls it; only shown, never used as a path.
        rate: for stills and picture sequences.

    Raises:
        NotFootage: the file is none; nothing was kept.
    """
    facts = probe(path, rate)
    title = Path(name).stem[:120] or "Untitled"
    return add_shot(project, path, name[:200], title, facts, first_setup(facts), author)


@transaction.atomic
def add_shot(
    project: Project, path: Path, name: str, title: str, facts: ClipFacts, setup: Setup, author: Any
) -> Shot:  # fmt: skip
    """Keep a file and make a shot of it; the job that prepares it starts once this is committed."""
    from kalyptra.work.tasks import prepare_media

    media = Media(name=name, digest=_digest(path), facts_json=facts.model_dump(mode="json"))
    with path.open("rb") as source:
        media.file.save("source", File(source), save=False)
    try:
        media.save()
        last = project.shots.aggregate(last=Max("position"))["last"]
        shot = Shot(project=project, media=media, title=title, position=0 if last is None else last + 1)
        revisions.begin(shot, setup, author)
        prepare_media.defer(media_id=media.pk)
    except Exception:
        media.file.delete(save=False)
        raise
    return shot


def first_setup(facts: ClipFacts) -> Setup:
    """What a new shot starts with: all of the clip."""
    return Setup(footage=Footage(first=0, last=facts.frames - 1))


def remove_shot(shot: Shot) -> None:
    """Delete a shot, and its footage where no other shot uses it."""
    media = shot.media
    with transaction.atomic():
        shot.delete()
        unused = not media.shots.exists()
        if unused:
            media.delete()
    if unused:
        for field in (media.file, media.proxy, media.poster):
            if field and field.name:
                field.storage.delete(field.name)


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
