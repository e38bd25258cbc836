"""Several shots of a project at once."""

from __future__ import annotations

from typing import Annotated

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema
from pydantic import Field

from kalyptra.bench.api.answers import Problem
from kalyptra.bench.api.looks import LookRow, Parts, rows_of
from kalyptra.bench.health import health_of
from kalyptra.core import Setup
from kalyptra.library import looks
from kalyptra.library.looks import CameOf
from kalyptra.library.models import Project, Shot
from kalyptra.work import many
from kalyptra.work.models import Ordered, Render

router = Router()
ShotIds = Annotated[list[int], Field(min_length=1, max_length=500)]


class Chosen(Schema):
    shots: ShotIds


class LookOnMany(Chosen):
    """Parts of a look for several shots."""

    key: str
    parts: Parts


class WorkRow(Schema):
    """How a shot stands: its newest work, and what needs a look."""

    shot: int
    title: str
    state: str
    words: str
    share: float
    message: str
    render: int | None
    looks: int
    """Frames to look at, once nothing is under way."""


@router.get("projects/{project_id}/looks", response=list[LookRow])
def list_looks(request: HttpRequest, project_id: int) -> list[LookRow]:
    return rows_of(_project(request, project_id), request)


@router.post("projects/{project_id}/looks", response={200: list[CameOf], 422: Problem})
def put_look(request: HttpRequest, project_id: int, asked: LookOnMany) -> list[CameOf]:
    """Put parts of a look on shots, each as a change of its own that can be undone there."""
    project = _project(request, project_id)
    listed = looks.look_by(asked.key, project, request.user)
    return looks.put_on(listed, tuple(asked.parts), _shots(project, asked.shots), request.user)


@router.post("projects/{project_id}/looks/replaces", response={200: list[CameOf], 422: Problem})
def would_replace(request: HttpRequest, project_id: int, asked: LookOnMany) -> list[CameOf]:
    """Say what parts of a look would replace in shots."""
    project = _project(request, project_id)
    listed = looks.look_by(asked.key, project, request.user)
    return looks.would_replace(listed, tuple(asked.parts), _shots(project, asked.shots))


@router.post("projects/{project_id}/people", response={200: list[CameOf], 422: Problem})
def find_people(request: HttpRequest, project_id: int, chosen: Chosen) -> list[CameOf]:
    """Have people found in shots."""
    return many.find_people(_shots(_project(request, project_id), chosen.shots), request.user)


@router.post("projects/{project_id}/renders", response={200: list[CameOf], 422: Problem})
def render(request: HttpRequest, project_id: int, chosen: Chosen) -> list[CameOf]:
    """Have shots rendered."""
    return many.render_all(_shots(_project(request, project_id), chosen.shots), request.user)


@router.post("projects/{project_id}/work", response=list[WorkRow])
def work(request: HttpRequest, project_id: int, chosen: Chosen) -> list[WorkRow]:
    """How shots stand."""
    shots = _shots(_project(request, project_id), chosen.shots)
    newest = many.newest_work(shots)
    return [_row(shot, newest[shot.pk]) for shot in shots]


def _row(shot: Shot, work: Ordered | None) -> WorkRow:
    active = work is not None and work.state in Ordered.ACTIVE
    ready = isinstance(work, Render) and work.state == Ordered.State.DONE
    return WorkRow(
        shot=shot.pk,
        title=shot.title,
        state=work.state if work else "",
        words=work.words if work else "",
        share=work.frames_done / max(1, work.frames) if isinstance(work, Render) else 0.0,
        message=work.message if work else "",
        render=work.pk if work and ready else None,
        looks=0 if active else _frames_to_look_at(shot.setup),
    )


def _frames_to_look_at(setup: Setup) -> int:
    footage = setup.footage
    health = health_of(setup, range(footage.first, footage.last + 1, max(1, footage.frames // 50)))
    return sum(last - first + 1 for lines in health.values() for line in lines.values() for first, last in line.looks)


def _project(request: HttpRequest, project_id: int) -> Project:
    return get_object_or_404(Project.objects.open_to(request.user), pk=project_id)


def _shots(project: Project, chosen: list[int]) -> list[Shot]:
    return list(project.shots.filter(pk__in=chosen).select_related("media"))
