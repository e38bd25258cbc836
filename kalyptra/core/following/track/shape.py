"""What steps of following share: the line as rows, the window around it, and its corners."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.track.corners import TrackingView, Tracks, track_points, tracked
from kalyptra.core.following.track.scattered import spread
from kalyptra.core.matte.drawn import outline_matte
from kalyptra.core.setup.document.setup import Refine
from kalyptra.core.setup.geometry.spline import Rows, on_line
from kalyptra.core.setup.geometry.warp import Matrix, mapped


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the demo's clips, where no source is named."""

    corners: int = 120
    around: int = 48
    """Px around the outline that are looked at."""
    few: int = 8
    """With fewer corners inside, the line's own points are tracked, too."""
    sway_rest: float = 0.85
    """The weight of standing still, where parts of the subject go their own way."""
    least_window: int = 64
    """Px that are looked at in each direction, where the frame has them."""


TUNING = Tuning()


@dataclass(frozen=True)
class Sway:
    """How parts of the subject moved besides the whole.

    Attributes:
        points, moves: (n, 2) px in the frame after.
        width: px that move as one.
    """

    points: NDArray[np.float64]
    moves: NDArray[np.float64]
    width: float

    def at(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        return spread(places, self.points, self.moves, np.ones(len(self.points)), self.width, TUNING.sway_rest)


def inside_of(rows: Rows, size: tuple[int, ...]) -> NDArray[np.uint8]:
    return (outline_matte(rows, Refine(), (size[0], size[1])) > 0.5).astype(np.uint8)


def window_around(rows: Rows, guess: Matrix, shape: tuple[int, ...]) -> tuple[tuple[slice, slice], NDArray[np.float64]]:
    both = np.concatenate([rows[:, :2], mapped(guess, rows[:, :2])])
    low, high = np.floor(both.min(axis=0)) - TUNING.around, np.ceil(both.max(axis=0)) + TUNING.around
    ends = []
    for i, length in ((0, shape[1]), (1, shape[0])):
        start = int(np.clip(low[i], 0, max(0, length - TUNING.least_window)))
        ends.append((start, int(np.clip(high[i], min(start + TUNING.least_window, length), length))))
    (left, right), (top, bottom) = ends
    return (slice(top, bottom), slice(left, right)), np.array([left, top], np.float64)


def moved_by(rows: Rows, by: NDArray[np.float64]) -> Rows:
    out = rows.copy()
    out[:, :6] += np.tile(by, 3)
    return out


def about(matrix: Matrix, origin: NDArray[np.float64]) -> Matrix:
    """The same motion about an origin that was moved."""
    to, back = np.eye(3), np.eye(3)
    to[:2, 2], back[:2, 2] = origin, -origin
    whole = to @ matrix @ back
    return np.asarray(whole / whole[2, 2])


def corners_of(a: TrackingView, b: TrackingView, mask: NDArray[np.uint8], rows: Rows, guess: Matrix) -> Tracks:
    """Corners inside; of a plain subject the line's own places."""
    tracks = tracked(a, b, mask, TUNING.corners, guess)
    if len(tracks.before) >= TUNING.few:
        return tracks
    places = on_line(rows, max(1, 24 // len(rows))).reshape(-1, 2)
    height, width = mask.shape
    places = places[((places >= 4) & (places < [width - 4, height - 4])).all(axis=1)]
    if len(places) == 0:
        return tracks
    more = track_points(a, b, places, guess)
    return Tracks(np.concatenate([tracks.before, more.before]), np.concatenate([tracks.after, more.after]),
                  tracks.looked_for + more.looked_for)  # fmt: skip
