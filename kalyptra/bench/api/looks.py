"""Looks: taken from a shot, put on it and on others, kept and shared, as files in and out."""

from __future__ import annotations

from typing import Annotated

from django.http import HttpRequest, HttpResponse
from ninja import File, Router, Schema, UploadedFile
from pydantic import Field

from kalyptra.bench.api.answers import Problem
from kalyptra.bench.api.shots import FrameNumber, open_shot
from kalyptra.bench.state import ShotNow, shot_now
from kalyptra.core import PART_WORDS, LookPart, PutLook, replaces, taken_look
from kalyptra.library import looks, revisions
from kalyptra.library.looks import ListedLook
from kalyptra.library.models import Project, StartingLook

router = Router()
Parts = Annotated[list[LookPart], Field(min_length=1, max_length=6)]


class PartRow(Schema):
    part: LookPart
    words: str


class LookRow(Schema):
    key: str
    name: str
    parts: list[PartRow]
    mine: bool
    shared: bool
    shipped: bool
    starts: bool
    """Whether one's new shots begin with it."""


class LookTaken(Schema):
    """What to take of a shot."""

    name: Annotated[str, Field(min_length=1, max_length=60)]
    parts: Parts
    frame: FrameNumber = 0
    shared: bool = False


class LookPut(Schema):
    parts: Parts
    base: int


class Replaced(Schema):
    """What a look would replace, a line a part."""

    lines: list[str]


@router.get("shots/{shot_id}/looks", response=list[LookRow])
def list_looks(request: HttpRequest, shot_id: int) -> list[LookRow]:
    return rows_of(open_shot(request, shot_id).project, request)


@router.post("shots/{shot_id}/looks", response={200: list[LookRow], 422: Problem})
def take(request: HttpRequest, shot_id: int, asked: LookTaken) -> list[LookRow]:
    """Take a look from a shot as it is at a frame."""
    shot = open_shot(request, shot_id)
    look = taken_look(shot.setup, asked.name.strip() or "Look", asked.parts, asked.frame, revisions.clip_of(shot))
    looks.keep(look, request.user, shot.project if asked.shared else None)
    return rows_of(shot.project, request)


@router.post("shots/{shot_id}/looks/file", response={200: list[LookRow], 422: Problem})
def read_file(request: HttpRequest, shot_id: int, file: File[UploadedFile]) -> list[LookRow]:
    """Keep a look that a file holds."""
    shot = open_shot(request, shot_id)
    looks.keep(looks.read(file.read(looks.MOST_BYTES + 1)), request.user, None)
    return rows_of(shot.project, request)


@router.get("shots/{shot_id}/looks/{key}.json")
def as_file(request: HttpRequest, shot_id: int, key: str) -> HttpResponse:
    """A look as a file."""
    listed = looks.look_by(key, open_shot(request, shot_id).project, request.user)
    response = HttpResponse(listed.look.model_dump_json(indent=1), content_type="application/json")
    response["Content-Disposition"] = f'attachment; filename="{key}.look.json"'
    return response


@router.post("shots/{shot_id}/looks/{key}/replaces", response={200: Replaced, 422: Problem})
def would_replace(request: HttpRequest, shot_id: int, key: str, asked: LookPut) -> Replaced:
    """Say what parts of a look would replace in a shot."""
    shot = open_shot(request, shot_id)
    listed = looks.look_by(key, shot.project, request.user)
    return Replaced(lines=replaces(shot.setup, listed.look, asked.parts, revisions.clip_of(shot)))


@router.post("shots/{shot_id}/looks/{key}/put", response={200: ShotNow, 422: Problem})
def put(request: HttpRequest, shot_id: int, key: str, asked: LookPut) -> ShotNow:
    """Put parts of a look on a shot."""
    shot = open_shot(request, shot_id)
    command = PutLook(look=looks.look_by(key, shot.project, request.user).look, parts=tuple(asked.parts))
    return shot_now(revisions.change(shot.pk, asked.base, [command], request.user))


@router.post("shots/{shot_id}/looks/{key}/start", response={200: list[LookRow], 422: Problem})
def start(request: HttpRequest, shot_id: int, key: str, on: bool = True) -> list[LookRow]:
    """Have one's new shots begin with a look, or no more."""
    shot = open_shot(request, shot_id)
    looks.start_with(looks.look_by(key, shot.project, request.user).look if on else None, request.user)
    return rows_of(shot.project, request)


@router.delete("shots/{shot_id}/looks/{key}", response={200: list[LookRow], 422: Problem})
def delete(request: HttpRequest, shot_id: int, key: str) -> list[LookRow]:
    shot = open_shot(request, shot_id)
    looks.forget(key, shot.project, request.user)
    return rows_of(shot.project, request)


def rows_of(project: Project, request: HttpRequest) -> list[LookRow]:
    start = StartingLook.objects.filter(owner_id=request.user.pk).values_list("document", flat=True).first()
    return [
        _row(listed, listed.look.model_dump(mode="json") == start) for listed in looks.looks_in(project, request.user)
    ]


def _row(listed: ListedLook, starts: bool) -> LookRow:
    look = listed.look
    return LookRow(
        key=listed.key,
        name=look.name,
        parts=[PartRow(part=part, words=PART_WORDS[part]) for part in look.parts],
        mine=listed.mine,
        shared=listed.shared,
        shipped=listed.shipped,
        starts=starts,
    )
