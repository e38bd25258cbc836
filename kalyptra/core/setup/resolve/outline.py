"""An outline at a frame: keys and steps put together, and how far each frame can be trusted.

Between two keys made by hand the outline goes as following found, and what is amiss at the later key is spread over
the frames between: by the ease of the earlier key, and most over those where following was in doubt. So a mended frame
mends its neighbours, and hand-made keys hold exactly.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum
from typing import NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.setup.document.outline import Joins, Outline
from kalyptra.core.setup.geometry.curve import Curve
from kalyptra.core.setup.geometry.spline import Ids, Rows, mix_curves
from kalyptra.core.setup.geometry.warp import Matrix, inverse, mapped, matrix_of, share_of
from kalyptra.core.setup.time.keyed import Key
from kalyptra.core.setup.time.track import Step


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the demo's clips, where no source is named."""

    lost_here: float = 1.6
    hidden_here: float = 5.4
    """Units of doubt about a frame: for losing all corners in the step to it, and for seeing nothing of the subject."""
    lost_before: float = 0.025
    hidden_before: float = 0.115
    """The same, for each step on the way from the key."""


TUNING = Tuning()


NEEDS_A_LOOK = 0.5
"""Confidence below which a frame needs a look."""


@dataclass(frozen=True)
class OutlineAt:
    """An outline at one frame, in px of the source.

    Attributes:
        rows: one a point: x, y, handle before (x, y), handle after (x, y), feather in, feather out.
        border: the region that was followed in its place, packed; None where the line itself counts.
    """

    joins: Joins
    rows: tuple[tuple[float, ...], ...]
    border: str | None = None


@dataclass(frozen=True)
class Placed:
    """An outline at one frame, with what an editor needs besides.

    Attributes:
        ids: the points' ids.
        rows: (n, 8) in px of the source.
        matrix: from the outline's own coordinates to the picture. A shape key for this frame holds points that it
            carries to where they are wanted.
    """

    ids: Ids
    rows: Rows
    matrix: Matrix


class TrustKind(StrEnum):
    """How an outline comes to be where it is at a frame."""

    HAND = "hand"
    FOLLOWED = "followed"
    REGION = "region"
    """Followed, and what was seen of its region counts in the place of its line."""
    PREDICTED = "predicted"
    BETWEEN = "between"


@dataclass(frozen=True)
class Trust:
    """How far an outline can be trusted at a frame, 0 to 1; frames that nothing was found about have 1."""

    confidence: float
    kind: TrustKind


def outline_at(outline: Outline, frame: float, by_line: bool = False) -> OutlineAt:
    """An outline at a frame.

    Args:
        by_line: its line alone counts, and not the region that was followed.
    """
    rows = tuple(tuple(row) for row in np.round(placed_at(outline, frame).rows, 4).tolist())
    border = None if by_line else outline.border_at(int(frame))
    return OutlineAt(outline.joins, rows, border.rings if border else None)


def placed_at(outline: Outline, frame: float) -> Placed:
    """The outline at a frame, whole."""
    ids, shape = _shape_at(outline, frame)
    matrix = _placement_at(outline, frame, shape[:, :2].mean(axis=0))
    return Placed(ids, carried(matrix, shape), matrix)


def placed_points(outline: Outline, frame: int) -> list[list[float | bool]]:
    """The outline's points at a frame for an editor, px of the source: id, x, y, handle before (x, y), handle after
    (x, y), feather in, feather out, and whether its handles are kept in line.
    """
    placed = placed_at(outline, frame)
    _, nearest, _ = outline.shape.around(frame)
    smooth = {point.id: point.smooth for key in outline.shape.keys for point in key.value.points}
    smooth |= {point.id: point.smooth for point in nearest.value.points}
    rows = np.round(placed.rows, 3).tolist()
    return [[name, *row, smooth[name]] for name, row in zip(placed.ids, rows, strict=True)]


def carried(matrix: Matrix, rows: Rows) -> Rows:
    """Rows with their points and handles carried along by a map."""
    out = rows.copy()
    out[:, :6] = mapped(matrix, rows[:, :6].reshape(-1, 3, 2)).reshape(-1, 6)
    return out


def _shape_at(outline: Outline, frame: float) -> tuple[Ids, Rows]:
    """The outline in its own coordinates."""
    left, right, share = outline.shape.around(frame, outline.track.clock)
    here = _wandered(outline, left, frame)
    return mix_curves(here, _wandered(outline, right, frame), share) if share > 0 else here


def _wandered(outline: Outline, key: Key[Curve], frame: float) -> tuple[Ids, Rows]:
    """A shape key's points at another frame: each with what it moved on its own since."""
    ids, rows = key.value.ids, key.value.rows.copy()
    rows[:, :6] += np.tile(outline.track.wandered(ids, key.frame, frame), 3)
    return ids, rows


def _placement_at(outline: Outline, frame: float, centre: NDArray[np.float64]) -> Matrix:
    left, right, share = outline.placement.around(frame, outline.track.clock)
    track = outline.track
    here = track.motion(left.frame, frame) @ matrix_of(left.value)
    if share > 0:
        amiss = inverse(track.motion(left.frame, right.frame) @ matrix_of(left.value)) @ matrix_of(right.value)
        here = here @ share_of(amiss / amiss[2, 2], share, centre)
    return np.asarray(here / here[2, 2])


class Followed(Protocol):
    """What has hand-made keys and was followed: an outline, a source of distance."""

    @property
    def hand_frames(self) -> tuple[int, ...]: ...

    @property
    def step_by_frame(self) -> dict[int, Step]: ...


def outline_trust(outline: Outline, first: int, last: int, by_line: bool = False) -> list[Trust]:
    """How far an outline can be trusted, for every frame from first to last: its region, where that was followed.

    Args:
        by_line: its line alone counts.
    """
    trusts = trust(outline, first, last)
    for i, frame in enumerate(range(first, last + 1)):
        border = None if by_line else outline.border_at(frame)
        if border is not None:
            unseen = trusts[i].kind is TrustKind.PREDICTED
            trusts[i] = Trust(border.sure, TrustKind.PREDICTED if unseen else TrustKind.REGION)
    return trusts


def trust(followed: Followed, first: int, last: int) -> list[Trust]:
    """How far what was followed can be trusted, for every frame from first to last.

    Corners that were lost and what was hidden make doubt: much at the frame itself, and a little at each step on the
    way from a key made by hand. One unit of doubt halves the confidence. Of the two keys around a frame the surer one
    counts. The weights were fitted to where outlines went astray on the demo clips.
    """
    steps = followed.step_by_frame
    hand = followed.hand_frames
    trusts = {frame: Trust(1.0, TrustKind.HAND) for frame in hand}
    low, high = min(first, hand[0]), max(last, hand[-1])
    for key, end in zip(hand, [*hand[1:], high + 1], strict=True):
        _walk(trusts, steps, range(key + 1, end), entered=0)
    for key, end in zip(hand[::-1], [*hand[-2::-1], low - 1], strict=True):
        _walk(trusts, steps, range(key - 1, end, -1), entered=1)
    return [trusts.get(frame, Trust(1.0, TrustKind.BETWEEN)) for frame in range(first, last + 1)]


def held_for(confidence: float) -> float:
    """What a step must have held, 0 to 1, for a frame in full view to be trusted so far by that step alone."""
    return min(max(1 + math.log2(max(confidence, 1e-6)) / TUNING.lost_here, 0.0), 1.0)


def _walk(trusts: dict[int, Trust], steps: dict[int, Step], frames: range, entered: int) -> None:
    """Note the trust along steps away from a key; `entered` is how much later than its frame the step into it is."""
    doubt = 0.0
    for frame in frames:
        step = steps.get(frame + entered)
        if step is None:
            return
        lost, hidden = 1 - step.held, 1 - step.visible
        confidence = math.exp2(-(doubt + TUNING.lost_here * lost + TUNING.hidden_here * hidden))
        doubt += TUNING.lost_before * lost + TUNING.hidden_before * hidden
        if frame not in trusts or trusts[frame].confidence < confidence:
            trusts[frame] = Trust(confidence, TrustKind.PREDICTED if step.predicted else TrustKind.FOLLOWED)
