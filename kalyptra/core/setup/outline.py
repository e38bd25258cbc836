"""Outlines as a setup keeps them: what was drawn, where it lies over time, and what following found.

Three things are apart, so that each can be redone without the others. *Shape* keys hold the points in the outline's own
coordinates; *placement* keys map those to the picture; both are made by hand. *Steps* say how the subject moved from
one frame to the next; following writes them, and never a key. `outline_at.py` puts them together.
"""

from __future__ import annotations

from enum import StrEnum
from functools import cached_property
from typing import Annotated, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from kalyptra.core.setup.keyed import Frozen, Keyed
from kalyptra.core.setup.records import InRecords, need_order, remembered
from kalyptra.core.setup.track import Coordinate, Step, Track, Warp

Width = Annotated[float, Field(ge=0, le=4000)]


class Joins(StrEnum):
    """How an outline acts on those before it."""

    ADD = "add"
    TAKE_AWAY = "take-away"
    OVERLAP = "overlap"


class Motion(StrEnum):
    """How much of an outline's motion following looks for."""

    POSITION = "position"
    SIMILARITY = "similarity"
    PERSPECTIVE = "perspective"
    FREE = "free"


class Point(Frozen):
    """A point of a closed cubic spline. Its id names it in every key of the outline."""

    id: Annotated[int, Field(ge=0, le=1_000_000)]
    x: Coordinate
    y: Coordinate
    before: tuple[Coordinate, Coordinate] = (0.0, 0.0)
    """The handle towards the point before, as an offset."""
    after: tuple[Coordinate, Coordinate] = (0.0, 0.0)
    smooth: bool = False
    """Whether the handles are kept in line when one is moved."""
    feather_in: Width = 0.0
    """Added to the subject's own feather here, px."""
    feather_out: Width = 0.0


class Curve(Frozen):
    """A closed line of cubic segments."""

    points: Annotated[tuple[Point, ...], Field(min_length=3, max_length=4000)]

    @model_validator(mode="after")
    def _named_apart(self) -> Self:
        if len({point.id for point in self.points}) != len(self.points):
            raise ValueError("two points have the same id")
        return self

    @cached_property
    def ids(self) -> tuple[int, ...]:
        return tuple(point.id for point in self.points)

    @cached_property
    def rows(self) -> NDArray[np.float64]:
        """(points, 8): x, y, the handle before (x, y), the handle after (x, y), feather in, feather out."""
        return np.array(
            [(p.x, p.y, p.x + p.before[0], p.y + p.before[1], p.x + p.after[0], p.y + p.after[1],
              p.feather_in, p.feather_out) for p in self.points]
        )  # fmt: skip


class Outline(Frozen):
    """A drawn closed line, keyed by hand and followed over the frames."""

    id: Annotated[str, Field(pattern=r"^[a-z0-9]{4,16}$")]
    joins: Joins = Joins.ADD
    motion: Motion = Motion.FREE
    shape: Keyed[Curve]
    placement: Keyed[Warp]
    steps: Annotated[tuple[Step, ...], Field(max_length=100_000), InRecords(lambda step: step.frame)] = ()

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        need_order(self.steps, lambda step: step.frame, "steps must be in the order of their frames, one a frame")
        return self

    @cached_property
    def hand_frames(self) -> tuple[int, ...]:
        """Frames with a key made by hand, in order."""
        return tuple(sorted({key.frame for key in self.shape.keys} | {key.frame for key in self.placement.keys}))

    @cached_property
    def track(self) -> Track:
        return remembered(self.steps, "track", lambda: Track(self.steps))

    @property
    def step_by_frame(self) -> dict[int, Step]:
        return remembered(self.steps, "by frame", lambda: {step.frame: step for step in self.steps})
