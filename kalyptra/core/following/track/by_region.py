"""One step of following outlines whose subject's region is known in both frames.

A line goes along with the subject: first as corners within the region moved, the whole and then its parts; then it is
matched to the region's border, in order around it. So its points keep to what they were drawn on, and the line is where
the region ends.
"""

from __future__ import annotations

from collections.abc import Sequence
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
from kalyptra.core.window import Window, middle_of

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


class CarriedLine(NamedTuple):
    """A line that was found again.

    Attributes:
        matrix: the motion of the whole, px of the views.
        shifts: (n, 2) px by which points moved besides.
        fits: its overlap with its part of the region, 0 to 1; 0 where that has no part for it.
    """

    matrix: Matrix
    shifts: NDArray[np.float64]
    fits: float


def find_by_region(
    before: NDArray[np.uint8],
    after: NDArray[np.uint8],
    lines: Sequence[Rows],
    regions: tuple[Region, Region],
    guesses: Sequence[Matrix],
) -> list[CarriedLine]:
    """Find outlines again that enclose a region together.

    Args:
        before, after: (height, width, 3) RGB codes of two frames, 8 bits.
        lines: (n, 8) each, the outlines in the first one, px.
        regions: the subject's matte in both.
        guesses: the motion of each to start from.
    """
    onto = _onto([carried(guess, rows) for guess, rows in zip(guesses, lines, strict=True)], regions[1])
    guesses = [onto @ guess for guess in guesses]
    window, origin = _window_around(lines, guesses, before.shape)
    views = TrackingView.of(before[window]), TrackingView.of(after[window])
    region_before, region = (np.ascontiguousarray(region[window]) for region in regions)
    here = [moved_by(rows, -origin) for rows in lines]
    moved = [
        _by_corners(views, rows, region_before, about(guess, -origin))
        for rows, guess in zip(here, guesses, strict=True)
    ]  # fmt: skip
    parts = parts_of(region, [line.ahead for line in moved])
    drawn = [_drawn_on(rows, line, part) for rows, line, part in zip(here, moved, parts, strict=True)]
    return [line._replace(matrix=about(line.matrix, origin)) for line in drawn]


def _window_around(
    lines: Sequence[Rows], guesses: Sequence[Matrix], shape: tuple[int, ...]
) -> tuple[Window, NDArray[np.float64]]:
    """The window around all lines, and its origin."""
    windows = [window_around(rows, guess, shape)[0] for rows, guess in zip(lines, guesses, strict=True)]
    rows, columns = (
        slice(min(part.start for part in parts), max(part.stop for part in parts))
        for parts in zip(*windows, strict=True)
    )
    return (rows, columns), np.array([columns.start, rows.start], np.float64)


class _Moved(NamedTuple):
    """An outline as its corners moved: the motion of the whole, its parts' own ways, and where the line lies then."""

    matrix: Matrix
    sway: Sway | None
    ahead: Rows


def _by_corners(views: tuple[TrackingView, TrackingView], rows: Rows, region: Region, guess: Matrix) -> _Moved:
    mask = inside_of(rows, region.shape)
    tracks = corners_of(*views, mask & (region > 0.5).astype(np.uint8), rows, guess)
    matrix, agree = fit_motion(Motion.SIMILARITY, tracks.before, tracks.after)
    if agree.sum() < TUNING.fewest:
        return _Moved(guess, None, carried(guess, rows))
    places = mapped(matrix, tracks.before)
    apart = tracks.after - places
    with_it = np.linalg.norm(apart, axis=1) < TUNING.own_way
    size = max(float(cv2.countNonZero(mask)), 1.0) ** 0.5
    sway = Sway(places[with_it], apart[with_it], TUNING.sway * size)
    return _Moved(matrix, sway, _swayed(carried(matrix, rows), sway))


def _swayed(rows: Rows, sway: Sway | None) -> Rows:
    if sway is not None:
        rows[:, :6] += np.tile(sway.at(rows[:, :2]), 3)
    return rows


def parts_of(region: Region, lines: Sequence[Rows], seam: float = 0.0) -> list[Region]:
    """What of a region is each line's: what lies inside of it, and what lies nearer to it than to all others.

    Args:
        seam: px by which parts reach over each other.
    """
    if len(lines) == 1:
        return [region]
    away = [
        cv2.distanceTransform(1 - inside_of(rows, region.shape), cv2.DIST_L2, cv2.DIST_MASK_PRECISE) for rows in lines
    ]
    nearest = np.minimum.reduce(away)
    return [np.where(own <= nearest + np.float32(seam), region, np.float32(0)) for own in away]


def _drawn_on(rows: Rows, moved: _Moved, region: Region) -> CarriedLine:
    """Draw a line that moved to the border of its part of the region."""
    matrix = _onto([moved.ahead], region) @ moved.matrix
    ahead = _swayed(carried(matrix, rows), moved.sway)
    border = border_of(region)
    if len(border):
        for _ in range(TUNING.passes):
            _draw_to(border, ahead)
    fits = _overlap([ahead], region) if len(border) else 0.0
    return CarriedLine(matrix, ahead[:, :2] - carried(matrix, rows)[:, :2], fits)


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


def _onto(lines: Sequence[Rows], region: Region) -> Matrix:
    """The way that puts lines on a region that they would miss together; none where they do not."""
    move = np.eye(3)
    here, there = middle_of(_inside(lines, region.shape)), middle_of(region)
    if here is not None and there is not None and _overlap(lines, region) <= TUNING.overlap:
        move[:2, 2] = there - here
    return move


def _inside(lines: Sequence[Rows], size: tuple[int, ...]) -> Region:
    return np.asarray(np.maximum.reduce([inside_of(rows, size) for rows in lines]), np.float32)


def _overlap(lines: Sequence[Rows], region: Region) -> float:
    inside = _inside(lines, region.shape)
    return overlap(inside, region) if inside.any() else 0.0
