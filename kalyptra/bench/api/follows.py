"""Work over frames that ends up in the setup."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import File, Form, Router, Schema, UploadedFile
from pydantic import Field

from kalyptra.bench.api.answers import Problem
from kalyptra.bench.api.shots import FrameNumber, open_shot
from kalyptra.bench.outlines import outlines_at, placed_outlines
from kalyptra.core import Channel, OnLoss, Spot
from kalyptra.library import revisions
from kalyptra.library.models import Project
from kalyptra.work import orders
from kalyptra.work.following import followed_outlines
from kalyptra.work.models import Follow

router = Router()


class FollowOrder(Schema):
    what: Literal["outlines", "mattes", "people", "plate", "feet"] = "outlines"
    subject: str = ""
    outlines: Annotated[list[str], Field(max_length=64)] = []
    start: FrameNumber
    end: FrameNumber
    on_loss: OnLoss = OnLoss.CARRY_ON
    spot: Spot | None = None


BroughtAs = Literal["matte-file", "plate-file", "map-file"]


class FollowState(Schema):
    id: int
    what: str
    subject: str
    state: str
    words: str
    message: str
    frames: int
    frames_done: int
    frame: int
    outlines: dict[str, Any]
    """Where they lie at the newest frame."""

    @staticmethod
    def resolve_outlines(follow: Follow) -> dict[str, Any]:
        if follow.state != Follow.State.RUNNING or follow.what != Follow.What.OUTLINES:
            return {}
        at = outlines_at(revisions.setup_at(follow.shot, follow.shot.head), follow.frame)
        at.setdefault(follow.subject, {}).update(placed_outlines(followed_outlines(follow), follow.frame))
        return at


@router.post("shots/{shot_id}/imports", response={200: FollowState, 422: Problem})
def bring(
    request: HttpRequest,
    shot_id: int,
    file: File[UploadedFile],
    what: Form[BroughtAs],
    channel: Form[Channel] = Channel.LUMA,
    subject: Form[str] = "",
) -> Follow | tuple[Literal[422], Problem]:
    """Bring a matte, a plate or a distance map that was made elsewhere."""
    shot = open_shot(request, shot_id)
    try:
        return orders.order_import(shot, Follow.What(what), file, file.name or "file", channel, subject, request.user)
    except orders.Refused as reason:
        return 422, Problem(error=str(reason))


@router.post("shots/{shot_id}/follows", response={200: FollowState, 422: Problem})
def start_follow(request: HttpRequest, shot_id: int, order: FollowOrder) -> Follow | tuple[Literal[422], Problem]:
    shot = open_shot(request, shot_id)
    try:
        return orders.order_follow(
            shot, Follow.What(order.what), order.start, order.end, request.user, order.subject, order.outlines,
            order.on_loss, order.spot,
        )  # fmt: skip
    except orders.Refused as reason:
        return 422, Problem(error=str(reason))


@router.get("shots/{shot_id}/follows", response=list[FollowState])
def follows(request: HttpRequest, shot_id: int) -> list[Follow]:
    """Those under way; a page that is opened anew takes them up."""
    running = (Follow.State.QUEUED, Follow.State.RUNNING)
    return list(open_shot(request, shot_id).follows.filter(state__in=running))


@router.get("follows/{follow_id}", response=FollowState)
def follow_state(request: HttpRequest, follow_id: int) -> Follow:
    return open_follow(request, follow_id)


@router.post("follows/{follow_id}/cancel", response=FollowState)
def cancel_follow(request: HttpRequest, follow_id: int) -> Follow:
    return orders.cancel(open_follow(request, follow_id))


def open_follow(request: HttpRequest, follow_id: int) -> Follow:
    return get_object_or_404(Follow, pk=follow_id, shot__project__in=Project.objects.open_to(request.user))
