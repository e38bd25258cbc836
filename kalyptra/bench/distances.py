"""A frame's distances as the page needs them."""

from __future__ import annotations

import base64
from typing import Any

import numpy as np
from ninja import Schema
from typing_extensions import TypedDict

from kalyptra.bench.pictures import borrowed
from kalyptra.core import (
    HeldPicture,
    LensReading,
    Note,
    Setup,
    Sources,
    SpacePlan,
    SubjectReading,
    carried_values,
    matte_name,
    palette,
    pictures_needed,
    read_frame,
    survey,
    ways,
)
from kalyptra.library import store
from kalyptra.library.models import Media

TOP = 65535
MOST_WAYS = 24
"""Frames of a subject's way that are looked at."""
LEGEND = 24


class SurveyState(Schema):
    """A survey. `grid` is base64 of little-endian 16-bit numbers, row by row: `most` dioptres are 65535."""

    frame: int
    low: float
    high: float
    width: int
    height: int
    most: float
    grid: str
    lines: list[tuple[float, list[list[tuple[float, float]]]]]
    sources: dict[str, list[list[float]]]
    carried: dict[str, dict[str, float | tuple[float, float]]]
    """Of sources that were followed, their values at this frame by their paths."""
    notes: list[Note]
    lens: LensReading
    subjects: dict[str, SubjectReading]
    blur_end: float
    legend: list[str]
    """Colours of the distance view, from far to near."""
    space: SpacePlan | None


def surveyed(media: Media, setup: Setup, frame: int) -> SurveyState:
    """A frame's distances.

    Raises:
        FrameUnreadable, NotKept: a picture is not there.
    """
    store.fetch(pictures_needed(setup, frame, frame))
    with borrowed(media) as reader:
        footage = HeldPicture(reader.facts, reader.picture(frame))
    surveyed = survey(setup, frame, Sources(footage, media.facts.width, store.local()))
    most = max(float(surveyed.foremost.max()), 1e-3)
    grid = np.rint(surveyed.foremost / most * TOP).astype("<u2")
    colours = palette()[np.linspace(0, 255, LEGEND).round().astype(int)]
    numbers = read_frame(setup, frame, (media.facts.width, media.facts.height))
    carried = carried_values(setup, frame, (media.facts.width, media.facts.height))
    return SurveyState(
        carried=carried, lens=numbers.lens, subjects=numbers.subjects,
        frame=frame, low=surveyed.low, high=surveyed.high, width=grid.shape[1], height=grid.shape[0], most=most,
        grid=base64.b64encode(grid.tobytes()).decode(), lines=surveyed.lines, sources=surveyed.sources,
        notes=surveyed.notes, space=surveyed.space, blur_end=surveyed.blur_end,
        legend=[f"#{r:02x}{g:02x}{b:02x}" for r, g, b in colours],
    )  # fmt: skip


def ways_of(media: Media, setup: Setup) -> dict[str, Any]:
    """Where the subjects are over time, at few frames of the range."""
    first, last = setup.footage.first, setup.footage.last
    frames = sorted({round(frame) for frame in np.linspace(first, last, min(MOST_WAYS, last - first + 1))})
    for frame in frames:
        store.fetch(pictures_needed(setup, frame, frame))
    return ways(setup, frames, (media.facts.width, media.facts.height), store.local())


class StandingState(TypedDict):
    """At how many frames a subject's foot is known, and whether its matte was changed since."""

    feet: int
    changed: bool


def standing_of(setup: Setup) -> dict[str, StandingState]:
    """Of each subject that stands on a ground: at how many frames its foot is known, and whether that is still true."""
    return {
        subject.id: StandingState(feet=len(subject.standing.feet), changed=subject.standing.of != matte_name(subject))
        for subject in setup.subjects
        if subject.standing
    }
