"""Ordering and cancelling renders."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.utils import timezone

from kalyptra.library.models import Media, Shot
from kalyptra.work.models import Render
from kalyptra.work.tasks import render_shot


class Refused(Exception):
    """A render that cannot be done. The text says why and what to do."""


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
def cancel_render(render: Render) -> Render:
    """Ask a render to stop; one that still waits stops at once, one that has ended stays as it is."""
    render = Render.objects.select_for_update().get(pk=render.pk)
    if render.state == Render.State.QUEUED:
        render.state, render.ended, render.message = Render.State.CANCELLED, timezone.now(), "Cancelled."
    render.cancel_asked = render.state == Render.State.RUNNING or render.cancel_asked
    render.save(update_fields=["state", "ended", "message", "cancel_asked"])
    return render
