"""Outlines as a setup keeps them: what was drawn, where it lies over time, and what following found.

Three things are apart, so that each can be redone without the others. *Shape* keys hold the points in the outline's own
coordinates; *placement* keys map those to the picture; both are made by hand. *Steps* say how the subject moved from
one frame to the next, and what of the region within was seen; following writes them, and never a key. The region counts
in the place of the line as long as the key that it was followed from is as it was. `resolve/outline.py` has the sum.
"""

from __future__ import annotations

from bisect import bisect_left
from enum import StrEnum
from functools import cached_property
from hashlib import blake2s
from typing import Annotated, Self

import numpy as np
from pydantic import Field, model_validator

from kalyptra.core.setup.document.followed import (
    MOST_STEPS,
    OUT_OF_ORDER,
    Motion,
    borders_by_frame,
    steps_by_frame,
    track_of,
)
from kalyptra.core.setup.document.records import InRecords, need_order
from kalyptra.core.setup.frozen import Frozen
from kalyptra.core.setup.geometry.curve import Curve
from kalyptra.core.setup.geometry.warp import Warp
from kalyptra.core.setup.time.keyed import Keyed
from kalyptra.core.setup.time.track import Border, Step, Track


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

    def border_at(self, frame: int) -> Border | None:
        """What was followed of its region, as long as what it was followed from is as it was."""
        border = borders_by_frame(self.steps).get(frame) if self.motion is Motion.FREE else None
        if border is None or frame in self.hand_frames:
            return None
        at = bisect_left(self.hand_frames, frame)
        step = self.step_by_frame.get(frame)
        ahead = step is not None and step.border is border
        beside = self.hand_frames[at - 1 : at] if ahead else self.hand_frames[at : at + 1]
        return border if beside and self._drawings[beside[0]] == border.of else None

    @cached_property
    def _drawings(self) -> dict[int, str]:
        return {frame: self.drawing(frame) for frame in self.hand_frames}

    def drawing(self, frame: int) -> str:
        """A name for what was made by hand at a frame, of its line."""
        names = blake2s(str(frame).encode(), digest_size=6)
        for shape in self.shape.keys:
            if shape.frame == frame:
                names.update(np.ascontiguousarray(shape.value.rows[:, :6]).tobytes())
        for placement in self.placement.keys:
            if placement.frame == frame:
                names.update(np.array(placement.value, np.float64).tobytes())
        return names.hexdigest()
