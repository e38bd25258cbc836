"""Ordering and cancelling long work."""

from __future__ import annotations

from typing import Any, TypeVar

from django.db import transaction

from kalyptra.core import OnLoss
from kalyptra.library.models import Media, Shot
from kalyptra.work.models import Follow, Ordered, Render
from kalyptra.work.tasks import follow_outlines, render_shot

T = TypeVar("T", Render, Follow)


class Refused(Exception):
    """Work that cannot be done. The text says why and what to do."""


@transaction.atomic
def order_render(shot: Shot, first: int, last: int, author: Any) -> Render:
    """Queue a render of the setup in force.

    Args:
        first, last: frames of the clip, both rendered.

    Raises:
        Refused: the range is empty or leaves the clip, or the footage is not ready.
    """
    if shot.media.state != Media.State.READY:
        raise Refused("The footage is still being prepared. Render when that is done.")
    frames = shot.media.facts.frames
    if not 0 <= first <= last < frames:
        raise Refused(f"Frames {first} to {last} are no range of this clip; it has frames 0 to {frames - 1}.")
    revision = shot.revision
    render = Render.objects.create(
        shot=shot, revision=revision.number, document=revision.document, first=first, last=last, author=author
    )
    render_shot.defer(render_id=render.pk)
    return render


@transaction.atomic
def order_follow(
    shot: Shot, subject: str, outlines: list[str], start: int, end: int, on_loss: OnLoss, author: Any
) -> Follow:
    """Queue following outlines of the setup in force.

    Args:
        start, end: frames of the clip; it goes back when the end lies before the start.

    Raises:
        Refused: there is no such outline or nothing to follow to, the clip is not ready, or the subject is being
            followed already.
    """
    if shot.media.state != Media.State.READY:
        raise Refused("The footage is still being prepared. Follow when that is done.")
    found = next((one for one in shot.setup.subjects if one.id == subject), None)
    if found is None or not set(outlines) <= {one.id for one in found.matte.outlines} or not outlines:
        raise Refused("That outline is not in the saved setup. Save it, then follow.")
    frames = shot.media.facts.frames
    if start == end or not (0 <= start < frames and 0 <= end < frames):
        raise Refused("There is no frame to follow to in that direction.")
    running = shot.follows.filter(subject=subject, state__in=(Follow.State.QUEUED, Follow.State.RUNNING))
    if running.exists():
        raise Refused("This subject is being followed. Wait for that, or cancel it.")
    follow = Follow.objects.create(
        shot=shot, subject=subject, outlines=outlines, start=start, end=end, on_loss=on_loss.value, author=author
    )
    follow_outlines.defer(follow_id=follow.pk)
    return follow


@transaction.atomic
def cancel(order: T) -> T:
    """Ask work to stop; what still waits stops at once, what has ended stays as it is, and what was done is kept."""
    order = type(order)._default_manager.select_for_update().get(pk=order.pk)
    if order.state == Ordered.State.QUEUED:
        order.state, order.message = Ordered.State.CANCELLED, "Cancelled."
    order.cancel_asked = order.state == Ordered.State.RUNNING or order.cancel_asked
    order.save(update_fields=["state", "message", "cancel_asked"])
    return order
