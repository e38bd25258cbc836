"""Work over frames that ends up in the setup."""

from __future__ import annotations

from typing import Any, Literal

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Body, File, Form, Router, Schema, UploadedFile

from kalyptra.bench.api.answers import Problem
from kalyptra.bench.api.shots import open_shot
from kalyptra.bench.pictures import laid_over_png
from kalyptra.core import Channel
from kalyptra.library import store
from kalyptra.work import orders
from kalyptra.work.kinds import BringCard, BringFile, BringMap, BringMatte, BringPlate, BringTable, OverFrames
from kalyptra.work.kinds.order import SubjectId
from kalyptra.work.models import Follow

router = Router()


class Newest(Schema):
    """The newest frame that was found: by subject and outline where outlines lie in it, or its matte in the store; and
    whether all frames were reached, and it goes back from later keys now."""

    frame: int
    outlines: dict[str, Any]
    matte: str = ""
    back: bool = False


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
    newest: Newest | None


BRINGS: dict[str, type[BringFile]] = {
    "matte-file": BringMatte,
    "plate-file": BringPlate,
    "map-file": BringMap,
    "table-file": BringTable,
    "card-file": BringCard,
}


@router.post("shots/{shot_id}/imports", response={200: FollowState, 422: Problem})
def bring(
    request: HttpRequest,
    shot_id: int,
    file: File[UploadedFile],
    what: Form[Literal["matte-file", "plate-file", "map-file", "table-file", "card-file"]],
    channel: Form[Channel] = Channel.LUMA,
    subject: Form[SubjectId] = "",
) -> Follow:
    """Bring a matte for a subject, a plate, a map for a source of distance, a colour table, or a picture for a
    card, that was made elsewhere; `subject` is the id of what it is for."""
    about = {"matte-file": {"subject": subject}, "map-file": {"source": subject}, "card-file": {"card": subject}}
    seen = {"channel": channel} if what in ("matte-file", "map-file") else {}
    order = BRINGS[what].model_validate({"title": (file.name or "file")[:200], **seen, **about.get(what, {})})
    return orders.order_import(open_shot(request, shot_id), order, file, request.user)


@router.post("shots/{shot_id}/follows", response={200: FollowState, 422: Problem})
def start_follow(request: HttpRequest, shot_id: int, order: Body[OverFrames]) -> Follow:
    return orders.order_work(open_shot(request, shot_id), order, request.user)


@router.get("shots/{shot_id}/follows", response=list[FollowState])
def follows(request: HttpRequest, shot_id: int) -> list[Follow]:
    """Those under way; a page that is opened anew takes them up."""
    running = (Follow.State.QUEUED, Follow.State.RUNNING)
    return list(open_shot(request, shot_id).follows.filter(state__in=running))


@router.get("follows/{follow_id}", response=FollowState)
def follow_state(request: HttpRequest, follow_id: int) -> Follow:
    return open_follow(request, follow_id)


@router.get("follows/{follow_id}/newest.png")
def newest_matte(request: HttpRequest, follow_id: int) -> HttpResponse:
    """The newest matte that was found, to be laid over its frame."""
    follow = open_follow(request, follow_id)
    name = (follow.newest or {}).get("matte", "")
    if not name:
        raise Http404("no matte was found yet")
    store.fetch([name])
    response = HttpResponse(laid_over_png(store.local().picture(name)), content_type="image/png")
    response["Cache-Control"] = "no-store"
    return response


@router.post("follows/{follow_id}/cancel", response=FollowState)
def cancel_follow(request: HttpRequest, follow_id: int) -> Follow:
    return orders.cancel(open_follow(request, follow_id))


def open_follow(request: HttpRequest, follow_id: int) -> Follow:
    """Work on a shot that the user may edit; else 404. A page asks several times a second: it is one simple query."""
    follow = get_object_or_404(Follow.objects.select_related("shot__project"), pk=follow_id)
    if not follow.shot.project.is_open_to(request.user):
        raise Http404("no such work")
    return follow
