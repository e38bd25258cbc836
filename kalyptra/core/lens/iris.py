"""The iris: the shape into which the lens spreads a point, as row spans for the blur."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

STEPS_PER_PIXEL = 8
"""Radii are kept every 1/8 px."""


@dataclass(frozen=True)
class Spans:
    """For each radius k/8 px and each row of the iris: where the row begins and ends, and its weight.

    Attributes:
        left, right: (radii, 2 reach + 1) float32, px from the centre.
        weight: the same shape; what a pixel of value 1 puts on each px of the row. 0 outside the iris.
        rows: (radii,) int32; rows above and below the centre that the iris touches.
        reach: rows on either side that the tables hold.
    """

    left: NDArray[np.float32]
    right: NDArray[np.float32]
    weight: NDArray[np.float32]
    rows: NDArray[np.int32]
    reach: int


@lru_cache(maxsize=16)
def disc_spans(max_radius: int) -> Spans:
    """Spans of a disc for every radius up to `max_radius` px; each radius' coverage sums to one."""
    reach = max_radius + 1
    radii = np.arange(max_radius * STEPS_PER_PIXEL + 1) / STEPS_PER_PIXEL
    # Below a pixel's own half width the disc is the pixel: a point in focus stays one sharp pixel.
    radii = np.maximum(radii, 1e-3)
    fine = 16
    offsets = (np.arange(fine) + 0.5) / fine - 0.5
    rows = np.arange(-reach, reach + 1)[:, None] + offsets  # (rows, fine)
    half = np.sqrt(np.maximum(radii[:, None, None] ** 2 - rows[None] ** 2, 0.0))
    inside = half > 0
    share = inside.mean(axis=2)
    width = half.sum(axis=2) / np.maximum(inside.sum(axis=2), 1)
    # A pixel has an extent of its own: widen each row so that the disc's area includes its source pixel.
    area = np.pi * np.maximum(radii, 0.5642) ** 2
    single = radii < 0.5642
    share[single] = 0.0
    width[single] = 0.0
    share[single, reach] = 1.0
    width[single, reach] = 0.5
    total = (2 * width * share).sum(axis=1)
    area[:] = np.where(total > 0, total, 1.0)
    weight = share / area[:, None]
    touched = np.array([np.abs(np.flatnonzero(line) - reach).max(initial=0) for line in share], dtype=np.int32)
    return Spans(
        left=(-width).astype(np.float32),
        right=width.astype(np.float32),
        weight=weight.astype(np.float32),
        rows=touched,
        reach=reach,
    )
