"""Renders."""

from __future__ import annotations

from typing import Literal

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema

from kalyptra.bench.api.answers import Problem
from kalyptra.bench.api.shots import FrameNumber, open_shot
from kalyptra.core import Format
from kalyptra.library.models import Project
from kalyptra.work import orders
from kalyptra.work.models import Render

router = Router()


class RenderOrder(Schema):
    first: FrameNumber
    last: FrameNumber
    made: Literal["result"] | Format = "result"
    subject: str = ""
    gaps: bool = False
    """Render although mattes are missing at some frames."""


class Gap(Problem):
    """Mattes are missing at some frames; asked again with `gaps`, it is rendered all the same."""

    gaps: bool = True


class RenderState(Schema):
    id: int
    revision: int
    first: int
    last: int
    frames: int
    frames_done: int
    frames_a_second: float
    seconds_left: float | None
    state: str
    words: str
    message: str
    file: bool
    made: str

    @staticmethod
    def resolve_file(render: Render) -> bool:
        return bool(render.file)


@router.get("shots/{shot_id}/renders", response=list[RenderState])
def renders(request: HttpRequest, shot_id: int) -> list[Render]:
    return list(open_shot(request, shot_id).renders.all()[:20])


@router.post("shots/{shot_id}/renders", response={200: RenderState, 409: Gap, 422: Problem})
def start_render(request: HttpRequest, shot_id: int, order: RenderOrder) -> Render | tuple[int, Problem]:
    shot = open_shot(request, shot_id)
    try:
        return orders.order_render(
            shot, order.first, order.last, request.user, str(order.made), order.subject, order.gaps
        )
    except orders.Gaps as reason:
        return 409, Gap(error=str(reason))


@router.post("renders/{render_id}/cancel", response=RenderState)
def cancel_render(request: HttpRequest, render_id: int) -> Render:
    return orders.cancel(open_render(request, render_id))


def open_render(request: HttpRequest, render_id: int) -> Render:
    return get_object_or_404(Render, pk=render_id, shot__project__in=Project.objects.open_to(request.user))
