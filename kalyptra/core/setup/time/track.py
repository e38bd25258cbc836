"""What following found about an outline, frame by frame, and its sum over time."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import AfterValidator, Field, ValidationInfo

from kalyptra.core.setup.frozen import Frozen
from kalyptra.core.setup.geometry.border import LONGEST, rings_of
from kalyptra.core.setup.geometry.curve import Coordinate
from kalyptra.core.setup.geometry.warp import UNMOVED, Matrix, Warp, inverse, matrix_of


def _readable(text: str, info: ValidationInfo) -> str:
    # What lies in records was read when it was kept; to unpack thousands of borders again would take seconds.
    if not (info.context or {}).get("records"):
        rings_of(text)
    return text


class Border(Frozen):
    """What following saw of the region that a free outline encloses, at a frame.

    Attributes:
        of: names what was drawn by hand that it was followed from; of a drawing that changed since it says nothing.
        sure: 0 to 1, how far it can be trusted.
        rings: its closed lines, packed, px of the source; none where nothing of it was seen.
    """

    frame: Annotated[int, Field(ge=0, le=10_000_000)]
    of: Annotated[str, Field(pattern=r"^[0-9a-f]{12}$")]
    sure: Annotated[float, Field(ge=0, le=1)]
    rings: Annotated[str, Field(max_length=LONGEST), AfterValidator(_readable)]


class Step(Frozen):
    """How the subject moved from the frame before to `frame`.

    Attributes:
        warp: of the picture, px of the source.
        shifts: (id, x, y) of points that moved on their own besides, in the outline's own coordinates.
        held: 0 to 1, the share of the subject's corners that were found again and agreed.
        visible: 0 to 1, how much of the subject looks as it did.
        predicted: the subject could not be seen; the step carries on what it did before.
        border: of the frame that was reached by it: this one, or the one before where it was followed back.
    """

    frame: Annotated[int, Field(ge=1, le=10_000_000)]
    warp: Warp = UNMOVED
    shifts: tuple[tuple[int, Coordinate, Coordinate], ...] = ()
    held: Annotated[float, Field(ge=0, le=1)] = 1.0
    visible: Annotated[float, Field(ge=0, le=1)] = 1.0
    predicted: bool = False
    border: Annotated[Border | None, Field(exclude_if=lambda border: border is None)] = None


SELF, LOST, HIDDEN = 0.01, 0.44, 0.5
"""Doubt about the way there: of any step, of losing all corners in it, and of seeing nothing of the subject."""


def doubt_of(step: Step | None) -> float:
    """Doubt about the way that a step adds, in units that halve the trust; a frame that was not followed has little."""
    return SELF + LOST * (1 - step.held) + HIDDEN * (1 - step.visible) if step else SELF


class Track:
    """The steps of an outline, summed up; frames without a step stand still.

    Args:
        steps: in the order of their frames.
    """

    def __init__(self, steps: Sequence[Step]) -> None:
        self._first = steps[0].frame - 1 if steps else 0
        count = steps[-1].frame - self._first + 1 if steps else 1
        self._moved = np.empty((count, 3, 3))
        self._moved[0] = np.eye(3)
        self._wander: dict[int, NDArray[np.float64]] = {}
        by_frame = {step.frame: step for step in steps}
        for i in range(1, count):
            step = by_frame.get(self._first + i)
            after = matrix_of(step.warp) @ self._moved[i - 1] if step else self._moved[i - 1]
            self._moved[i] = after / after[2, 2]
            for name, x, y in step.shifts if step else ():
                if name not in self._wander:
                    self._wander[name] = np.zeros((count, 2))
                self._wander[name][i] = (x, y)
        for moves in self._wander.values():
            np.cumsum(moves, axis=0, out=moves)
        doubts = [doubt_of(by_frame.get(self._first + i)) for i in range(1, count)]
        self._doubt = np.concatenate([[0.0], np.cumsum(doubts)])

    def clock(self, start: float, end: float, now: float) -> float:
        """How much less a frame is to be trusted as seen from the start than as seen from the end, 0 to 1.

        Even where following was as sure everywhere. Where it was in doubt for a while, what is amiss at the end is
        spread over those frames, and those before are left as they were found.
        """
        a, b, t = (self._doubted(frame) for frame in (start, end, now))
        since, until = math.exp2(min(t - a, 60)) - 1, math.exp2(min(b - t, 60)) - 1
        return since / (since + until)

    def motion(self, since: float, frame: float) -> Matrix:
        """How the picture moved from one frame to another."""
        a, b = self._index(since), self._index(frame)
        return np.asarray(self._moved[b] @ inverse(self._moved[a])) if a != b else np.eye(3)

    def wandered(self, ids: tuple[int, ...], since: float, frame: float) -> NDArray[np.float64]:
        """(n, 2) how far points moved on their own; one that was not followed goes with its neighbours."""
        a, b = self._index(since), self._index(frame)
        away = np.full((len(ids), 2), np.nan)
        for i, name in enumerate(ids):
            if name in self._wander:
                away[i] = self._wander[name][b] - self._wander[name][a]
        known = ~np.isnan(away[:, 0])
        if not known.any():
            return np.zeros_like(away)
        at = np.arange(len(ids))
        for axis in (0, 1):
            away[~known, axis] = np.interp(at[~known], at[known], away[known, axis], period=len(ids))
        return away

    def _doubted(self, frame: float) -> float:
        low, high = self._first, self._first + len(self._doubt) - 1
        inside = float(np.interp(frame, np.arange(low, high + 1), self._doubt))
        return inside + SELF * (min(frame - low, 0) + max(frame - high, 0))

    def _index(self, frame: float) -> int:
        return min(max(round(frame) - self._first, 0), len(self._moved) - 1)
