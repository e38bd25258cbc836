"""Work over frames that ends up in the setup."""

from __future__ import annotations

from typing import Any, Literal

from django.http import Http404, HttpRequest
from ninja import Body, File, Form, Router, Schema, UploadedFile

from kalyptra.bench.api.answers import Problem
from kalyptra.bench.api.shots import open_shot
from kalyptra.core import Channel
from kalyptra.work import orders
from kalyptra.work.kinds import BringFile, BringMap, BringMatte, BringPlate, OverFrames
from kalyptra.work.kinds.order import SubjectId
from kalyptra.work.models import Follow

router = Router()


class Newest(Schema):
    """The newest frame that was found, and by subject and outline where outlines lie in it."""

    frame: int
    outlines: dict[str, Any]


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


BRINGS: dict[str, type[BringFile]] = {"matte-file": BringMatte, "plate-file": BringPlate, "map-file": BringMap}


@router.post("shots/{shot_id}/imports", response={200: FollowState, 422: Problem})
def bring(
    request: HttpRequest,
    shot_id: int,
    file: File[UploadedFile],
    what: Form[Literal["matte-file", "plate-file", "map-file"]],
    channel: Form[Channel] = Channel.LUMA,
    subject: Form[SubjectId] = "",
) -> Follow:
    """Bring a matte for a subject, a plate, or a map for a source of distance, that was made elsewhere."""
    about = {"matte-file": {"subject": subject}, "plate-file": {}, "map-file": {"source": subject}}[what]
    seen = {} if what == "plate-file" else {"channel": channel}
    order = BRINGS[what].model_validate({"title": (file.name or "file")[:200], **seen, **about})
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


@router.post("follows/{follow_id}/cancel", response=FollowState)
def cancel_follow(request: HttpRequest, follow_id: int) -> Follow:
    return orders.cancel(open_follow(request, follow_id))


# Written out: the page asks for it all the time while work goes on, and to build the query takes longer than to run it.
OPEN = """
    select follow.* from work_follow follow
    join library_shot shot on shot.id = follow.shot_id
    join library_project project on project.id = shot.project_id
    where follow.id = %(follow)s and (project.owner_id = %(user)s or exists (
        select from library_project_editors editor
        where editor.project_id = project.id and editor.user_id = %(user)s))
"""


def open_follow(request: HttpRequest, follow_id: int) -> Follow:
    """Work on a shot of a project that is open to who asks."""
    rows = iter(Follow.objects.raw(OPEN, {"follow": follow_id, "user": request.user.pk}))
    follow = next(rows, None)
    if follow is None:
        raise Http404
    return follow
