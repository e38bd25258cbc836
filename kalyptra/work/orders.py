"""Ordering and cancelling long work."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any, TypeVar

from django.core.files import File
from django.db import transaction

from kalyptra.core import (
    frames_without,
    pictures_needed,
    spans,
)
from kalyptra.library import room, store
from kalyptra.library.files import delete_file
from kalyptra.library.models import Media, Shot
from kalyptra.work.kinds import BringFile, NotTaken, Order
from kalyptra.work.models import Follow, Ordered, Render
from kalyptra.work.rendering import lock_of
from kalyptra.work.tasks import render_shot, run_follow

T = TypeVar("T", Render, Follow)


class Gaps(NotTaken):
    """A render would have frames without a matte. The text says which."""


class NotReady(NotTaken):
    """The footage is still being prepared; asked again when that is done, the work is taken."""


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
        NotTaken: the range is empty or leaves the clip, or the footage is not ready.
        Gaps: mattes are missing, and that was not asked for.
    """
    room.need(room.Use.BULK, "The render was not begun")
    shot = _held(shot)
    _need_ready(shot, "Render")
    frames = shot.media.facts.frames
    if not 0 <= first <= last < frames:
        raise NotTaken(f"Frames {first} to {last} are no range of this clip; it has frames 0 to {frames - 1}.")
    setup = shot.setup
    lost = store.fetch(pictures_needed(setup, first, last))
    if lost:
        raise NotTaken(
            f"{len(lost)} mattes or plates that this setup names are not in the store any more. The setup is "
            "unchanged; follow the subjects again, or recover the plate again."
        )
    missing = frames_without(setup, first, last)
    if missing and not gaps:
        listed = "; ".join(f"{name}: {spans(frames)}" for name, frames in missing.items())
        raise Gaps(f"There is no matte at some frames ({listed}). Follow there, or render all the same.")
    render = Render.objects.create(
        shot=shot, revision=shot.head, document=shot.revision.document, first=first, last=last, author=author,
        made=made, subject=subject,
    )  # fmt: skip
    render_shot.configure(lock=lock_of(render)).defer(render_id=render.pk)
    return render


@transaction.atomic
def order_work(shot: Shot, order: Order, author: Any) -> Follow:
    """Queue work over frames whose findings go into the setup in force when it ends.

    Raises:
        NotTaken: it cannot be done on the saved setup, the clip is not ready, or such work is under way already.
    """
    shot = _held(shot)
    _need_ready(shot, "Follow")
    frames = shot.media.facts.frames
    if not (order.start < frames and order.end < frames):
        raise NotTaken(
            f"Frames {order.start} to {order.end} are no range of this clip; it has frames 0 to {frames - 1}."
        )
    row = _queued(shot, order, author)
    row.save()
    run_follow.defer(follow_id=row.pk)
    return row


@transaction.atomic
def order_import(shot: Shot, order: BringFile, file: File[Any], author: Any) -> Follow:
    """Queue bringing a file as a subject's matte, as a map for a source, or as the plate.

    Raises:
        NotTaken: there is no such subject, or other work is under way.
    """
    row = _queued(_held(shot), order, author)
    ending = re.sub(r"[^a-z0-9.]", "", Path(order.title).suffix.lower()[:8])
    try:
        row.file.save(f"file{ending}", file, save=True)
        run_follow.defer(follow_id=row.pk)
    except Exception:
        if row.file.name:
            delete_file(row.file.storage, row.file.name)
        raise
    return row


def _queued(shot: Shot, order: Order, author: Any) -> Follow:
    order.check(shot.setup)
    if shot.follows.filter(subject=order.about, state__in=Follow.ACTIVE).exists():
        raise NotTaken("This is being worked on already. Wait for that, or cancel it.")
    asked = order.model_dump(mode="json")
    return Follow(
        shot=shot, what=asked["what"], order=asked, subject=order.about, start=order.start, end=order.end, author=author
    )


def _held(shot: Shot) -> Shot:
    """The shot as it is now, held until the transaction ends: of two orders at once the second sees the first.

    Raises:
        NotTaken: it is gone.
    """
    try:
        return Shot.objects.select_related("media").select_for_update(of=("self",)).get(pk=shot.pk)
    except Shot.DoesNotExist as error:
        raise NotTaken("The shot was deleted meanwhile.") from error


def _need_ready(shot: Shot, then: str) -> None:
    if shot.media.state == Media.State.PREPARING:
        raise NotReady(f"The footage is still being prepared. {then} when that is done.")
    if shot.media.state != Media.State.READY:
        raise NotTaken("The footage is not prepared. Prepare it on the project's page first.")


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
