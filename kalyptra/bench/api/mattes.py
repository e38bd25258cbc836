"""Mattes from brush marks and from lines drawn around."""

from __future__ import annotations

from typing import Annotated

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from kalyptra.bench.api.answers import Problem
from kalyptra.bench.api.shots import FrameNumber, open_shot
from kalyptra.bench.mattes import MOST_MARKS, matte_at, matte_from_line, matte_from_marks
from kalyptra.core import Curve, Stroke
from kalyptra.library import revisions

router = Router()


class Mends(Schema):
    """The matte that a subject has at the frame in a revision."""

    base: int
    subject: str


class BrushMarks(Schema):
    """Brush marks on a frame, and the stored matte that they mend, if any: named, or a subject's."""

    frame: FrameNumber
    marks: Annotated[list[Stroke], Field(max_length=MOST_MARKS)]
    under: str | None = None
    mends: Mends | None = None


class DrawnLine(Schema):
    """A line drawn around the subject."""

    curve: Curve


class Made(Schema):
    """A stored matte, and the one that it mends."""

    matte: str
    under: str | None = None


@router.post("shots/{shot_id}/mattes/marks", response={200: Made, 404: Problem, 422: Problem})
def mark(request: HttpRequest, shot_id: int, marks: BrushMarks) -> Made:
    """Find a matte from brush marks, or mend one. It is put into a setup by saving that."""
    shot, under = open_shot(request, shot_id), marks.under
    if marks.mends:
        under = matte_at(revisions.setup_at(shot, marks.mends.base), marks.mends.subject, marks.frame)
    return Made(matte=matte_from_marks(shot.media, marks.frame, marks.marks, under), under=under)


@router.post("shots/{shot_id}/mattes/line", response={200: Made, 422: Problem})
def line_around(request: HttpRequest, shot_id: int, line: DrawnLine) -> Made:
    return Made(matte=matte_from_line(open_shot(request, shot_id).media, line.curve))
