"""Numbers over time, and the distances of a frame."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Router

from kalyptra.bench.api.answers import Problem
from kalyptra.bench.api.shots import FrameNumber, Unsaved, check_range, open_shot
from kalyptra.bench.distances import SurveyState, standing_of, surveyed, ways_of
from kalyptra.bench.health import health_of
from kalyptra.core import Setup, focus_notes, iris_outline, marks_at, read_frame, speeds
from kalyptra.library import revisions

router = Router()


MOST_READINGS = 2000


class ReadingsAsked(Unsaved):
    """The whole range, or a part of it that is looked at closely."""

    mattes: bool = True
    """Also how far mattes can be trusted; no drag changes that."""
    first: FrameNumber | None = None
    last: FrameNumber | None = None


@router.post("shots/{shot_id}/readings", response={200: dict[str, Any], 422: Problem})
def readings(request: HttpRequest, shot_id: int, asked: ReadingsAsked) -> dict[str, Any]:
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
    return {
        "first": first,
        "step": step,
        "iris": iris_outline(setup),
        **(about_mattes(setup, range(first, last + 1, step)) if asked.mattes else {}),
        "speeds": speeds(read, rate),
        "notes": [vars(note) for note in focus_notes(setup, read, rate)],
        "marks": {mark.id: [at[mark.id] for at in marks] for mark in setup.focus.marks},
        "lens": [vars(numbers.lens) for numbers in read],
        "subjects": {name: [vars(numbers.subjects[name]) for numbers in read] for name in read[0].subjects},
    }


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


def about_mattes(setup: Setup, shown: range) -> dict[str, Any]:
    return {"standing": standing_of(setup), "health": health_of(setup, shown)}
