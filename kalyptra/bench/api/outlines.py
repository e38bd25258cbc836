"""Where outlines lie, freehand lines, and outlines as files."""

from __future__ import annotations

from typing import Annotated, Any

from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema
from pydantic import Field

from kalyptra.bench.api.answers import Problem
from kalyptra.bench.api.shots import FrameNumber, open_shot
from kalyptra.bench.doubts import doubts_at
from kalyptra.bench.outlines import MOST_POINTS, fitted, outlines_at, read_drawing, svg_of
from kalyptra.config.errors import answer
from kalyptra.library import revisions

router = Router()


class Drawing(Schema):
    """A freehand line, px of the source."""

    points: Annotated[list[tuple[float, float]], Field(max_length=MOST_POINTS)]
    tolerance: float = 3.0


class OutlineFile(Schema):
    text: str
    frame: FrameNumber


class OverPicture(Schema):
    """What lies over the picture: outlines by subject, and discs in px of the source where a subject is in doubt."""

    outlines: dict[str, Any]
    doubts: dict[str, tuple[float, float, float]]


@router.get("shots/{shot_id}/outlines/{revision}/{frame}.json", response=OverPicture)
def outlines(request: HttpRequest, shot_id: int, revision: int, frame: int, response: HttpResponse) -> OverPicture:
    """Where every outline lies at a frame, for the editor over the picture, and where a subject is in doubt."""
    shot = open_shot(request, shot_id)
    setup = revisions.setup_at(shot, revision)
    response["Cache-Control"] = "private, max-age=86400, immutable"
    return OverPicture(
        outlines=outlines_at(setup, frame),
        doubts=doubts_at(setup, frame, (shot.media.facts.width, shot.media.facts.height)),
    )


@router.post("shots/{shot_id}/outlines/fit", response={200: dict[str, Any], 422: Problem})
def fit(request: HttpRequest, shot_id: int, drawing: Drawing) -> dict[str, Any]:
    """A freehand line as few points."""
    open_shot(request, shot_id)
    return fitted(drawing.points, drawing.tolerance)


@router.post("shots/{shot_id}/outlines/read", response={200: list[dict[str, Any]], 422: Problem})
def read_outlines(request: HttpRequest, shot_id: int, file: OutlineFile) -> list[dict[str, Any]]:
    """The outlines of an SVG file, with a hand-made key for each frame it has."""
    open_shot(request, shot_id)
    return read_drawing(file.text, file.frame)


@router.get("shots/{shot_id}/outlines/{subject}.svg")
def outlines_file(request: HttpRequest, shot_id: int, subject: str) -> HttpResponse:
    shot = open_shot(request, shot_id)
    if all(existing.id != subject for existing in shot.setup.subjects):
        return answer(request, 404, "This shot has no such subject.")
    text = svg_of(shot.setup, subject, (shot.media.facts.width, shot.media.facts.height))
    response = HttpResponse(text, content_type="image/svg+xml")
    response["Content-Disposition"] = f'attachment; filename="shot-{shot.pk}-{subject}.svg"'
    return response
