"""Taps of a spread that differs from place to place: the tables of all its shapes, one after the other."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.lens.by_place import ByPlace
from kalyptra.core.lens.iris import STEPS_PER_PIXEL, Taps, reach_of
from kalyptra.core.lens.shape import GAUSSIAN_REACH, Shape, shape_ends
from kalyptra.core.setup.document.blur import BlurKind

Table = tuple[NDArray[np.int64], NDArray[np.int32], NDArray[np.int32], NDArray[np.float32]]
COARSER = 2
"""Only every other radius has a table of its own here: there are many shapes."""


def reach_by_place(spread: ByPlace, radius: float) -> int:
    """Px that any of its shapes of this radius reaches, sideways or up and down."""
    if spread.kind is BlurKind.LENS:
        return reach_of(spread.iris, radius)
    if spread.kind is BlurKind.GAUSSIAN:
        return math.ceil(GAUSSIAN_REACH * radius / 2) + 2
    return math.ceil(radius + 1) + 2


def taps_by_place(spread: ByPlace, max_radius: int, stride: int) -> Taps:
    """Taps for every radius up to `max_radius` px, of its first shape, then of its second, and so on.

    Args:
        stride: px from one row of the flat picture to the next.
    """
    starts, rows, columns, weights = _ends_of_all(spread.shapes, max_radius)
    reach = reach_by_place(spread, max_radius)
    return Taps(starts, ((rows + reach) * stride + columns + reach) * 4, weights, reach)


@lru_cache(maxsize=12)
def _ends_of_all(shapes: tuple[Shape, ...], max_radius: int) -> Table:
    tables = [_ends_to(shape, max_radius) for shape in shapes]
    starts, before = [], 0
    for start, rows, _, _ in tables:
        starts.append(start + before)
        before += len(rows)
    rows, columns, weights = (np.concatenate([table[i] for table in tables]) for i in (1, 2, 3))
    return np.concatenate([*starts, [before]]), rows, columns, weights


@lru_cache(maxsize=1024)
def _ends_to(shape: Shape, max_radius: int) -> Table:
    start, rows, columns, weights = [0], [], [], []
    for k in range(0, max_radius * STEPS_PER_PIXEL + 2, COARSER):
        y, x, w = shape_ends(shape, k / STEPS_PER_PIXEL)
        order = np.argsort(y, kind="stable")
        for _ in range(COARSER):
            rows.append(y[order])
            columns.append(x[order])
            weights.append(w[order])
            start.append(start[-1] + len(y))
    # One start more than there are radii: so each shape has as many as the next.
    return (np.array(start[:-1], np.int64), np.concatenate(rows).astype(np.int32),
            np.concatenate(columns).astype(np.int32), np.concatenate(weights).astype(np.float32))  # fmt: skip
