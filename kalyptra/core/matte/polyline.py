"""A closed cubic spline as a line of short straight pieces."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled

FLATNESS = 0.004
"""Px by which the pieces may stray from the spline."""


def pieces_of(rows: NDArray[np.float64], longest: float) -> NDArray[np.float64]:
    """Cut a spline into straight pieces.

    Args:
        rows: (n, 8) one a point: x, y, handle before, handle after, feather in, feather out; px.
        longest: px that a piece may have at most.

    Returns:
        (m, 4): the pieces' starts, x and y, and the two feathers there; the last one leads back to the first.
    """
    after = np.roll(rows, -1, axis=0)
    p0, p1, p2, p3 = rows[:, 0:2], rows[:, 4:6], after[:, 2:4], after[:, 0:2]
    # A cubic strays from n even chords by at most 6/8 of its largest second difference over n^2; it is at most as long
    # as its hull. Source: Wang's bound, in Goldman, Pyramid Algorithms, 2003.
    bend = np.maximum(np.linalg.norm(p0 - 2 * p1 + p2, axis=1), np.linalg.norm(p1 - 2 * p2 + p3, axis=1))
    length = sum(np.linalg.norm(b - a, axis=1) for a, b in ((p0, p1), (p1, p2), (p2, p3)))
    counts = np.ceil(np.maximum(np.sqrt(6 * bend / (8 * FLATNESS)), length / longest)).astype(np.int64)
    counts = np.clip(counts, 1, 8192)
    out = np.empty((int(counts.sum()), 4))
    _cut(np.ascontiguousarray(rows, np.float64), counts, out)
    return out


@compiled
def _cut(rows, counts, out):  # type: ignore[no-untyped-def]
    at = 0
    for i in range(len(rows)):
        j = (i + 1) % len(rows)
        for k in range(counts[i]):
            u = k / counts[i]
            v = 1 - u
            a, b, c, d = v * v * v, 3 * v * v * u, 3 * v * u * u, u * u * u
            for axis in range(2):
                out[at, axis] = a * rows[i, axis] + b * rows[i, 4 + axis] + c * rows[j, 2 + axis] + d * rows[j, axis]
                out[at, 2 + axis] = v * rows[i, 6 + axis] + u * rows[j, 6 + axis]
            at += 1


def bounds(pieces: NDArray[np.float64]) -> tuple[int, int, int, int]:
    """Left, top, right, bottom of whole px that hold the line."""
    low, high = pieces[:, :2].min(axis=0), pieces[:, :2].max(axis=0)
    return math.floor(low[0]), math.floor(low[1]), math.ceil(high[0]), math.ceil(high[1])
