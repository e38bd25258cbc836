"""Numbers over time, and the distances of a frame."""

from __future__ import annotations

from typing import Any, NotRequired

from django.http import HttpRequest, HttpResponse
from ninja import Router
from typing_extensions import TypedDict

from kalyptra.bench.api.answers import Problem
from kalyptra.bench.api.shots import FrameNumber, Unsaved, check_range, open_shot
from kalyptra.bench.distances import StandingState, SurveyState, standing_of, surveyed, ways_of
from kalyptra.bench.health import Health, health_of, source_health_of
from kalyptra.core import (
    LensReading,
    Note,
    SubjectReading,
    focus_notes,
    iris_outline,
    marks_at,
    read_frame,
    speeds,
)
from kalyptra.library import revisions

router = Router()


MOST_READINGS = 2000


class ReadingsAsked(Unsaved):
    """The whole range, or a part of it that is looked at closely."""

    mattes: bool = True
    """Also how far mattes can be trusted; no drag changes that."""
    first: FrameNumber | None = None
    last: FrameNumber | None = None


class Readings(TypedDict):
    """Numbers over time. Lists go by frame: the first is of `first`, each next one `step` frames later.

    Attributes:
        iris: the outline of the iris.
        speeds: dioptres a second.
        marks: the distance of each mark, metres.
        standing, health: by subject, where mattes were asked for.
        sources: by source of distance that was followed, how far that can be trusted; likewise.
    """

    first: int
    step: int
    iris: list[tuple[float, float]]
    speeds: list[float]
    notes: list[Note]
    marks: dict[str, list[float]]
    lens: list[LensReading]
    subjects: dict[str, list[SubjectReading]]
    standing: NotRequired[dict[str, StandingState]]
    health: NotRequired[dict[str, dict[str, Health]]]
    sources: NotRequired[dict[str, Health]]


@router.post("shots/{shot_id}/readings", response={200: Readings, 422: Problem})
def readings(request: HttpRequest, shot_id: int, asked: ReadingsAsked) -> Readings:
    """The numbers of a setup over its range: every frame, or every n-th of a long shot."""
    shot = open_shot(request, shot_id)
    setup = asked.setup(shot)
    check_range(setup, shot)
    footage, rate = setup.footage, float(shot.media.facts.rate.fraction)
    first = footage.first if asked.first is None else max(footage.first, min(asked.first, footage.last))
    last = footage.last if asked.last is None else max(first, min(asked.last, footage.last))
    step = max(1, -(-(last - first + 1) // MOST_READINGS))
    size = (shot.media.facts.width, shot.media.facts.height)
    read = [read_frame(setup, frame, size) for frame in range(first, last + 1, step)]
    marks = [marks_at(setup, numbers.lens.frame, size) for numbers in read]
    told = Readings(
        first=first,
        step=step,
        iris=iris_outline(setup),
        speeds=speeds(read, rate),
        notes=focus_notes(setup, read, rate),
        marks={mark.id: [at[mark.id] for at in marks] for mark in setup.focus.marks},
        lens=[numbers.lens for numbers in read],
        subjects={name: [numbers.subjects[name] for numbers in read] for name in read[0].subjects},
    )
    if asked.mattes:
        shown = range(first, last + 1, step)
        told |= {
            "standing": standing_of(setup), "health": health_of(setup, shown),
            "sources": source_health_of(setup, shown),
        }  # fmt: skip
    return told


class Surveyed(Unsaved):
    frame: FrameNumber


@router.post("shots/{shot_id}/survey", response={200: SurveyState, 404: Problem, 422: Problem})
def look_at_distances(request: HttpRequest, shot_id: int, asked: Surveyed) -> SurveyState:
    """The distances of a frame: under the pointer, as lines, from above, and what is amiss."""
    shot = open_shot(request, shot_id)
    return surveyed(shot.media, asked.setup(shot), asked.frame)


@router.get("shots/{shot_id}/ways/{revision}.json", response=dict[str, Any])
def subjects_ways(request: HttpRequest, shot_id: int, revision: int, response: HttpResponse) -> dict[str, Any]:
    """Where the subjects are over time, seen from above."""
    shot = open_shot(request, shot_id)
    setup = revisions.setup_at(shot, revision)
    response["Cache-Control"] = "private, max-age=86400, immutable"
    return {"ways": ways_of(shot.media, setup)}
