"""Ordering and cancelling long work."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path
from typing import Any, TypeVar

from django.core.files import File
from django.db import transaction

from kalyptra.core import (
    MOST_SOURCES,
    Channel,
    FoundMatte,
    MapFile,
    OnLoss,
    Setup,
    Spot,
    frames_without,
    outlines_of,
    pictures_needed,
    spans,
)
from kalyptra.library import kept, room
from kalyptra.library.files import delete_file
from kalyptra.library.models import Media, Shot
from kalyptra.work.models import Follow, Ordered, Render
from kalyptra.work.rendering import lock_of
from kalyptra.work.tasks import render_shot, run_follow

T = TypeVar("T", Render, Follow)


class Refused(Exception):
    """Work that cannot be done. The text says why and what to do."""


class Gaps(Refused):
    """A render would have frames without a matte. The text says which."""


RESULT = "result"


@transaction.atomic
def order_render(
    shot: Shot, first: int, last: int, author: Any, made: str = RESULT, subject: str = "", gaps: bool = False
) -> Render:
    """Queue a render of the setup in force.

    Args:
        first, last: frames of the clip, both rendered.
        made: the result, or a format in which mattes are taken away.
        subject: whose matte; all together without it.
        gaps: render although mattes are missing at some frames.

    Raises:
        Refused: the range is empty or leaves the clip, or the footage is not ready.
        Gaps: mattes are missing, and that was not asked for.
    """
    room.need(room.Use.BULK, "The render was not begun")
    shot = _held(shot)
    _need_ready(shot, "Render")
    frames = shot.media.facts.frames
    if not 0 <= first <= last < frames:
        raise Refused(f"Frames {first} to {last} are no range of this clip; it has frames 0 to {frames - 1}.")
    setup = shot.setup
    lost = kept.fetch(pictures_needed(setup, first, last))
    if lost:
        raise Refused(
            f"{len(lost)} mattes or plates that this setup names are not in the store any more. The setup is "
            "unchanged; follow the subjects again, or recover the plate again."
        )
    missing = frames_without(setup, first, last)
    if missing and not gaps:
        listed = "; ".join(f"{name}: {spans(found)}" for name, found in missing.items())
        raise Gaps(f"There is no matte at some frames ({listed}). Follow there, or render all the same.")
    render = Render.objects.create(
        shot=shot, revision=shot.head, document=shot.revision.document, first=first, last=last, author=author,
        made=made, subject=subject,
    )  # fmt: skip
    render_shot.configure(lock=lock_of(render)).defer(render_id=render.pk)
    return render


@transaction.atomic
def order_follow(
    shot: Shot, what: Follow.What, start: int, end: int, author: Any, subject: str = "",
    outlines: Sequence[str] = (), on_loss: OnLoss = OnLoss.CARRY_ON, spot: Spot | None = None,
) -> Follow:  # fmt: skip
    """Queue work over frames whose findings go into the setup in force when it ends.

    Args:
        start, end: frames of the clip; following goes back when the end lies before the start.

    Raises:
        Refused: there is no such subject or outline, nothing to follow to, the clip is not ready, or such work is under
            way already.
    """
    shot = _held(shot)
    _need_ready(shot, "Follow")
    frames = shot.media.facts.frames
    if not (0 <= start < frames and 0 <= end < frames):
        raise Refused(f"Frames {start} to {end} are no range of this clip; it has frames 0 to {frames - 1}.")
    setup = shot.setup
    found = next((one for one in setup.subjects if one.id == subject), None)
    if what is Follow.What.PLATE:
        if not any(one.enabled and one.acts.value == "cut-out" for one in setup.subjects):
            raise Refused("No subject is a cut-out, so nothing hides the background. Make one first.")
    elif found is None:
        raise Refused("That subject is not in the saved setup. Save it, then follow.")
    elif what is Follow.What.FEET:
        if found.standing is None:
            raise Refused("This subject does not stand on a ground. Choose one for it first.")
    elif what is Follow.What.OUTLINES:
        if not outlines or not set(outlines) <= {one.id for one in outlines_of(found.matte)}:
            raise Refused("That outline is not in the saved setup. Save it, then follow.")
    elif not isinstance(found.matte, FoundMatte):
        raise Refused("This subject's matte is not one that is found. Make a subject with the brush first.")
    if what in (Follow.What.OUTLINES, Follow.What.MATTES) and start == end:
        raise Refused("There is no frame to follow to in that direction.")
    if what is Follow.What.MATTES and found and isinstance(found.matte, FoundMatte) and found.matte.at(start) is None:
        raise Refused("There is no matte at this frame to start from. Make marks here first.")
    _need_idle(shot, subject)
    follow = Follow.objects.create(
        shot=shot, what=what, subject=subject, outlines=list(outlines), start=start, end=end, on_loss=on_loss.value,
        author=author, spot=spot.model_dump(mode="json") if spot else None,
    )  # fmt: skip
    run_follow.defer(follow_id=follow.pk)
    return follow


@transaction.atomic
def order_import(
    shot: Shot, what: Follow.What, file: File[Any], title: str, channel: Channel, subject: str, author: Any
) -> Follow:
    """Queue bringing a file as a subject's matte, as a map for the source `subject`, or as the plate.

    Args:
        what: the matte, the plate or the map file.

    Raises:
        Refused: there is no such subject, or other work is under way.
    """
    shot = _held(shot)
    if what is Follow.What.PLATE_FILE:
        channel = Channel.COLOUR
    if what is Follow.What.MAP_FILE:
        _need_place_for_map(shot.setup, subject)
    if what is Follow.What.MATTE_FILE and not any(one.id == subject for one in shot.setup.subjects):
        raise Refused("That subject is not in the saved setup. Save it, then bring its matte.")
    _need_idle(shot, subject)
    follow = Follow(
        shot=shot, what=what, subject=subject, start=0, end=0, on_loss=OnLoss.CARRY_ON.value, author=author,
        title=title[:200], channel=channel.value,
    )  # fmt: skip
    ending = re.sub(r"[^a-z0-9.]", "", Path(title).suffix.lower()[:8])
    try:
        follow.file.save(f"file{ending}", file, save=True)
        run_follow.defer(follow_id=follow.pk)
    except Exception:
        if follow.file.name:
            delete_file(follow.file.storage, follow.file.name)
        raise
    return follow


def _held(shot: Shot) -> Shot:
    """The shot as it is now, held until the transaction ends: of two orders at once the second sees the first.

    Raises:
        Refused: it is gone.
    """
    try:
        return Shot.objects.select_related("media").select_for_update(of=("self",)).get(pk=shot.pk)
    except Shot.DoesNotExist as error:
        raise Refused("The shot was deleted meanwhile.") from error


def _need_place_for_map(setup: Setup, source_id: str) -> None:
    if not re.fullmatch(r"[a-z0-9]{2,16}", source_id):
        raise Refused("The map needs a name of its own among the sources.")
    sources = setup.distance.sources
    same = next((one for one in sources if one.id == source_id), None)
    if same is not None and not isinstance(same, MapFile):
        raise Refused(f"There is a source named {source_id} already, and it is no map. Give the map another name.")
    if same is None and len(sources) >= MOST_SOURCES:
        raise Refused(f"There are {len(sources)} sources of distance, and no more are taken. Remove one first.")


def _need_ready(shot: Shot, then: str) -> None:
    if shot.media.state != Media.State.READY:
        raise Refused(f"The footage is still being prepared. {then} when that is done.")


def _need_idle(shot: Shot, subject: str) -> None:
    running = shot.follows.filter(subject=subject, state__in=Follow.ACTIVE)
    if running.exists():
        raise Refused("This is being worked on already. Wait for that, or cancel it.")


@transaction.atomic
def cancel(order: T) -> T:
    """Ask work to stop; what still waits stops at once, what has ended stays as it is, and what was done is kept."""
    order = type(order)._default_manager.select_for_update().get(pk=order.pk)
    if order.state == Ordered.State.QUEUED:
        order.state, order.message = Ordered.State.CANCELLED, "Cancelled."
        if isinstance(order, Follow) and order.file.name:
            delete_file(order.file.storage, order.file.name)
            order.file.name = ""
    order.cancel_asked = order.state == Ordered.State.RUNNING or order.cancel_asked
    order.save(update_fields=["state", "message", "cancel_asked", "file"])
    return order
