"""Outlines as a setup keeps them: what was drawn, where it lies over time, and what following found.

Three things are apart, so that each can be redone without the others. *Shape* keys hold the points in the outline's own
coordinates; *placement* keys map those to the picture; both are made by hand. *Steps* say how the subject moved from
one frame to the next; following writes them, and never a key. `resolve/outline.py` puts them together.
"""

from __future__ import annotations

from enum import StrEnum
from functools import cached_property
from typing import Annotated, Self

from pydantic import Field, model_validator

from kalyptra.core.setup.document.followed import MOST_STEPS, OUT_OF_ORDER, Motion, steps_by_frame, track_of
from kalyptra.core.setup.document.records import InRecords, need_order
from kalyptra.core.setup.frozen import Frozen
from kalyptra.core.setup.geometry.curve import Curve
from kalyptra.core.setup.geometry.warp import Warp
from kalyptra.core.setup.time.keyed import Keyed
from kalyptra.core.setup.time.track import Step, Track


class Joins(StrEnum):
    """How an outline acts on those before it."""

    ADD = "add"
    TAKE_AWAY = "take-away"
    OVERLAP = "overlap"


class Outline(Frozen):
    """A drawn closed line, keyed by hand and followed over the frames."""

    id: Annotated[str, Field(pattern=r"^[a-z0-9]{4,16}$")]
    joins: Joins = Joins.ADD
    motion: Motion = Motion.FREE
    shape: Keyed[Curve]
    placement: Keyed[Warp]
    steps: Annotated[tuple[Step, ...], Field(max_length=MOST_STEPS), InRecords(lambda step: step.frame)] = ()

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        need_order(self.steps, lambda step: step.frame, OUT_OF_ORDER)
        return self

    @cached_property
    def hand_frames(self) -> tuple[int, ...]:
        """Frames with a key made by hand, in order."""
        return tuple(sorted({key.frame for key in self.shape.keys} | {key.frame for key in self.placement.keys}))

    @cached_property
    def track(self) -> Track:
        return track_of(self.steps)

    @property
    def step_by_frame(self) -> dict[int, Step]:
        return steps_by_frame(self.steps)
