"""One step of following an outline whose subject's region is known in both frames.

The line goes along with the subject: first as corners within the region moved, the whole and then its parts; then it is
matched to the region's border, in order around it. So its points keep to what they were drawn on, and the line is where
the region ends.
"""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.track.corners import TrackingView
from kalyptra.core.following.track.matched_line import border_of, matched
from kalyptra.core.following.track.motion import fit_motion
from kalyptra.core.following.track.shape import Sway, about, corners_of, inside_of, moved_by, window_around
from kalyptra.core.matte.overlap import overlap
from kalyptra.core.setup.document.followed import Motion
from kalyptra.core.setup.geometry.spline import Rows, on_line
from kalyptra.core.setup.geometry.warp import Matrix, mapped
from kalyptra.core.setup.resolve.outline import carried
from kalyptra.core.window import middle_of

Region = NDArray[np.float32]
"""(height, width) 0 to 1."""


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the tune half of `truth/motion`."""

    passes: int = 4
    still: float = 0.01
    """How far a point would rather not move."""
    overlap: float = 0.4
    """With less overlap than this the line is put where the region lies."""
    own_way: float = 12.0
    sway: float = 0.1
    """Px by which a part may go its own way between two frames, and the width of what moves as one."""
    fewest: int = 3


TUNING = Tuning()


def find_by_region(
    before: NDArray[np.uint8], after: NDArray[np.uint8], rows: Rows, regions: tuple[Region, Region], guess: Matrix
) -> tuple[Matrix, NDArray[np.float64], float]:
    """Find an outline again.

    Args:
        before, after: (height, width, 3) RGB codes of two frames, 8 bits.
        rows: (n, 8) the outline in the first one, px.
        regions: the subject's matte in both.
        guess: the motion to start from.

    Returns:
        The motion of the whole, px of the views; (n, 2) px by which points moved besides; and the outline's overlap
        with the region, 0 to 1.
    """
    guess = _onto(guess, rows, regions[1])
    window, origin = window_around(rows, guess, before.shape)
    a, b = TrackingView.of(before[window]), TrackingView.of(after[window])
    here, region = moved_by(rows, -origin), np.ascontiguousarray(regions[1][window])
    mask = inside_of(here, region.shape)
    own = mask & (regions[0][window] > 0.5).astype(np.uint8)
    tracks = corners_of(a, b, own, here, about(guess, -origin))
    matrix, agree = fit_motion(Motion.SIMILARITY, tracks.before, tracks.after)
    agreed = agree.sum() >= TUNING.fewest
    if not agreed:
        matrix = about(guess, -origin)
    matrix = _onto(matrix, here, region)
    ahead = carried(matrix, here)
    if agreed:
        apart = tracks.after - mapped(matrix, tracks.before)
        with_it = np.linalg.norm(apart, axis=1) < TUNING.own_way
        size = max(float(cv2.countNonZero(mask)), 1.0) ** 0.5
        sway = Sway(mapped(matrix, tracks.before)[with_it], apart[with_it], TUNING.sway * size)
        ahead[:, :6] += np.tile(sway.at(ahead[:, :2]), 3)
    border = border_of(region)
    if len(border):
        for _ in range(TUNING.passes):
            _draw_to(border, ahead)
    return about(matrix, origin), ahead[:, :2] - carried(matrix, here)[:, :2], _overlap(ahead, region)


def _draw_to(border: NDArray[np.float64], ahead: Rows) -> None:
    """Draw the outline to a border, in place: its points go to where the line between them fits best."""
    parts = max(3, min(10, 300 // len(ahead)))
    places = on_line(ahead, parts)
    aims = matched(places.reshape(-1, 2), border).reshape(places.shape)
    # A place between two points moves with both, by the weights that a cubic with its handles gives them.
    u = np.arange(parts) / parts
    own, count = (1 - u) ** 3 + 3 * (1 - u) ** 2 * u, len(ahead)
    weights = np.zeros((count, parts, count))
    for i in range(count):
        weights[i, :, i] += own
        weights[i, :, (i + 1) % count] += 1 - own
    matrix = weights.reshape(-1, count)
    still = TUNING.still * parts * np.eye(count)
    moves = np.linalg.solve(matrix.T @ matrix + still, matrix.T @ (aims - places).reshape(-1, 2))
    ahead[:, :6] += np.tile(moves, 3)


def _onto(guess: Matrix, rows: Rows, region: Region) -> Matrix:
    """A motion that puts an outline on a region that it would miss; the same where it does not."""
    put = carried(guess, rows)
    here, there = middle_of(inside_of(put, region.shape).astype(np.float32)), middle_of(region)
    if here is None or there is None or _overlap(put, region) > TUNING.overlap:
        return guess
    move = np.eye(3)
    move[:2, 2] = there - here
    return np.asarray(move @ guess)


def _overlap(rows: Rows, region: Region) -> float:
    inside = inside_of(rows, region.shape).astype(np.float32)
    return overlap(inside, region) if inside.any() else 0.0
