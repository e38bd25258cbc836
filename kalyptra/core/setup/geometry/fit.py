"""A freehand line as few cubic segments.

Source: Schneider, An algorithm for automatically fitting digitized curves, in Graphics Gems, 1990.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.setup.geometry.curve import Curve, Point

Points = NDArray[np.float64]

DEEPEST = 40
CORNER = np.radians(50)
"""A turn of at least this much within a short way is meant as a corner."""


def fit_closed(points: Points, tolerance: float) -> Curve:
    """Fit a closed spline to a drawn line.

    Args:
        points: (n, 2) px, in the order they were drawn; the last one joins the first.
        tolerance: px by which the spline may stray from them.

    Raises:
        ValueError: fewer than three points lie apart from each other.
    """
    points = _evenly(points, max(tolerance, 0.5))
    if len(points) < 3:
        raise ValueError("the line is too short to enclose anything")
    corners = _corners(points, tolerance)
    smooth_start = not corners
    starts = corners or [0]
    pieces = []
    for start, end in zip(starts, [*starts[1:], starts[0] + len(points)], strict=True):
        run = points[np.arange(start, end + 1) % len(points)]
        left, right = _tangent(run), _tangent(run[::-1])
        if smooth_start:  # around the one point where the line begins it goes on without a corner
            across = points[1 % len(points)] - points[-1]
            left = across / max(float(np.hypot(*across)), 1e-9)
            right = -left
        pieces += _fit(run, left, right, tolerance, 0)
    if len(pieces) < 3:
        pieces = [half for piece in pieces for half in _halves(piece)]
    if len(pieces) < 3:
        pieces = [half for piece in pieces for half in _halves(piece)]
    return _curve_of(pieces)


def fit_cubic(run: Points) -> tuple[Points, float]:
    """The one cubic that fits a run of points best, setting out and arriving as they do.

    Returns:
        (4, 2) px, and by how much it strays at most.
    """
    if len(run) == 2:
        return np.array([run[0], run[0] + (run[1] - run[0]) / 3, run[1] + (run[0] - run[1]) / 3, run[1]]), 0.0
    left, right, at = _tangent(run), _tangent(run[::-1]), _chord_lengths(run)
    piece = _solve(run, at, left, right)
    for _ in range(3):
        at = _closer(run, piece, at)
        piece = _solve(run, at, left, right)
    return piece, _stray(run, piece, at)[0]


def _curve_of(pieces: list[Points]) -> Curve:
    made = []
    for i, piece in enumerate(pieces):
        before, after = pieces[i - 1][2] - piece[0], piece[1] - piece[0]
        cross, along = before[0] * after[1] - before[1] * after[0], float(before @ after)
        made.append(
            Point(id=i, x=_round(piece[0][0]), y=_round(piece[0][1]), before=(_round(before[0]), _round(before[1])),
                  after=(_round(after[0]), _round(after[1])), smooth=along < 0 and abs(cross) < 0.09 * -along)
        )  # fmt: skip
    return Curve(points=tuple(made))


def _round(value: float) -> float:
    return round(float(value), 3)


def _evenly(points: Points, least: float) -> Points:
    """The points without those closer than `least` px to the one kept before."""
    chosen = [points[0]]
    for point in points[1:]:
        if np.hypot(*(point - chosen[-1])) >= least:
            chosen.append(point)
    while len(chosen) > 1 and np.hypot(*(chosen[-1] - chosen[0])) < least:
        chosen.pop()
    return np.array(chosen)


def _corners(points: Points, tolerance: float) -> list[int]:
    """Where the line turns sharply, seen over a way that is long beside the tremor of a hand."""
    spacing = float(np.median(np.linalg.norm(np.diff(points, axis=0, append=points[:1]), axis=1)))
    reach = int(np.clip(round(max(4 * tolerance, 6.0) / max(spacing, 1e-9)), 1, max(1, len(points) // 8)))
    ahead, back = np.roll(points, -reach, axis=0) - points, points - np.roll(points, reach, axis=0)
    turn = np.abs(np.arctan2(back[:, 0] * ahead[:, 1] - back[:, 1] * ahead[:, 0], (back * ahead).sum(axis=1)))
    corners: list[int] = []
    for i in np.argsort(-turn):
        if turn[i] < CORNER:
            break
        if all(min((i - j) % len(points), (j - i) % len(points)) > 2 * reach for j in corners):
            corners.append(int(i))
    return sorted(corners)


def _tangent(run: Points) -> Points:
    """The direction in which a run of points sets out, over its first few."""
    away = run[min(3, len(run) - 1)] - run[0]
    return np.asarray(away / max(float(np.hypot(*away)), 1e-9))


def _fit(run: Points, left: Points, right: Points, tolerance: float, depth: int) -> list[Points]:
    if len(run) == 2:
        third = np.hypot(*(run[1] - run[0])) / 3
        return [np.array([run[0], run[0] + left * third, run[1] + right * third, run[1]])]
    at = _chord_lengths(run)
    piece = _solve(run, at, left, right)
    error, worst = _stray(run, piece, at)
    for _ in range(3):
        if error <= tolerance:
            break
        at = _closer(run, piece, at)
        piece = _solve(run, at, left, right)
        error, worst = _stray(run, piece, at)
    if error <= tolerance or depth > DEEPEST:
        return [piece]
    worst = min(max(worst, 1), len(run) - 2)
    across = run[worst - 1] - run[worst + 1]
    middle = across / max(float(np.hypot(*across)), 1e-9)
    return _fit(run[: worst + 1], left, middle, tolerance, depth + 1) + _fit(
        run[worst:], -middle, right, tolerance, depth + 1
    )


def _chord_lengths(run: Points) -> Points:
    lengths = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(run, axis=0), axis=1))])
    return np.asarray(lengths / max(float(lengths[-1]), 1e-9))


def _basis(at: Points) -> Points:
    u, v = at, 1 - at
    return np.stack([v**3, 3 * v**2 * u, 3 * v * u**2, u**3], axis=1)


def _solve(run: Points, at: Points, left: Points, right: Points) -> Points:
    """The lengths of the two handles that fit best, in the least squares."""
    basis = _basis(at)
    ends = (basis[:, :2].sum(axis=1))[:, None] * run[0] + (basis[:, 2:].sum(axis=1))[:, None] * run[-1]
    a, b = basis[:, 1:2] * left, basis[:, 2:3] * right
    system = np.array([[(a * a).sum(), (a * b).sum()], [(a * b).sum(), (b * b).sum()]])
    wanted = np.array([(a * (run - ends)).sum(), (b * (run - ends)).sum()])
    span = float(np.hypot(*(run[-1] - run[0])))
    determinant = float(np.linalg.det(system))
    lengths = np.linalg.solve(system, wanted) if abs(determinant) > 1e-9 else np.zeros(2)
    way = float(np.linalg.norm(np.diff(run, axis=0), axis=1).sum())
    if lengths.min() < 1e-3 * span or lengths.max() > way:  # Schneider's fall-back: a third of the way
        lengths = np.full(2, max(span, way) / 3)
    return np.array([run[0], run[0] + left * lengths[0], run[-1] + right * lengths[1], run[-1]])


def _stray(run: Points, piece: Points, at: Points) -> tuple[float, int]:
    away = np.linalg.norm(_basis(at) @ piece - run, axis=1)
    return float(away.max()), int(away.argmax())


def _closer(run: Points, piece: Points, at: Points) -> Points:
    """One step of Newton's method for every point, towards the nearest place on the piece."""
    u, v = at[:, None], 1 - at[:, None]
    first = 3 * (v**2 * (piece[1] - piece[0]) + 2 * v * u * (piece[2] - piece[1]) + u**2 * (piece[3] - piece[2]))
    second = 6 * (v * (piece[2] - 2 * piece[1] + piece[0]) + u * (piece[3] - 2 * piece[2] + piece[1]))
    away = _basis(at) @ piece - run
    slope = (first * first).sum(axis=1) + (away * second).sum(axis=1)
    step = (away * first).sum(axis=1) / np.where(np.abs(slope) < 1e-9, 1.0, slope)
    moved = np.clip(at - step, 0, 1)
    return moved if (np.diff(moved) >= 0).all() else at


def _halves(piece: Points) -> list[Points]:
    """A piece cut in the middle. Source: de Casteljau's construction."""
    a, b, c = (piece[:-1] + piece[1:]) / 2
    d, e = (a + b) / 2, (b + c) / 2
    f = (d + e) / 2
    return [np.array([piece[0], a, d, f]), np.array([f, e, c, piece[3]])]
