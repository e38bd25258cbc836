"""Exact coverage of pixels by closed polygons."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled


def coverage(
    lines: Sequence[NDArray[np.float64]], origin: tuple[int, int], size: tuple[int, int]
) -> NDArray[np.float32]:
    """The share of every pixel that lies inside.

    Where a line crosses itself, what it goes around more than once counts once; a line within another that runs the
    other way leaves a hole. Every piece adds the area between
    itself and the right end of its rows, signed by its direction; a running sum along the rows does the rest. Source:
    the signed-area accumulation of font rasterisers (FreeType's smooth rasteriser works so).

    Args:
        lines: of each closed line (m, 2 or more) the starts of its straight pieces, x and y in px.
        origin: (x, y) of the result's corner.
        size: (height, width).

    Returns:
        (height, width) float32, 0 to 1.
    """
    sums = np.zeros((size[0], size[1] + 2), np.float32)
    for pieces in lines:
        _accumulate(sums, np.ascontiguousarray(pieces[:, :2] - np.array(origin, np.float64)), size[1])
    np.cumsum(sums, axis=1, out=sums)
    inside = sums[:, : size[1]]
    return np.minimum(np.abs(inside, out=inside), np.float32(1))


@compiled
def _accumulate(sums, points, width):  # type: ignore[no-untyped-def]
    height = sums.shape[0]
    for i in range(len(points)):
        j = (i + 1) % len(points)
        x0, y0, x1, y1 = points[i, 0], points[i, 1], points[j, 0], points[j, 1]
        if y0 == y1:
            continue
        sign = 1.0
        if y0 > y1:
            x0, y0, x1, y1, sign = x1, y1, x0, y0, -1.0
        slope = (x1 - x0) / (y1 - y0)
        for row in range(max(0, int(np.floor(y0))), min(height, int(np.ceil(y1)))):
            top, bottom = max(y0, float(row)), min(y1, row + 1.0)
            tall = (bottom - top) * sign
            a, b = x0 + (top - y0) * slope, x0 + (bottom - y0) * slope
            if a > b:
                a, b = b, a
            if b <= 0.0:  # left of the picture: whole rows to its right
                sums[row, 0] += tall
                continue
            if a >= width:
                continue
            if a < 0.0:
                outside = tall * -a / (b - a)
                sums[row, 0] += outside
                tall -= outside
                a = 0.0
            if b > width:
                tall *= (width - a) / (b - a)
                b = float(width)
            # Spread over the columns it crosses: each gets the area right of the piece, and hands the rest on.
            first, last = int(np.floor(a)), int(np.ceil(b)) - 1
            if last <= first:
                right = first + 1 - 0.5 * (a + b)
                sums[row, first] += tall * right
                sums[row, first + 1] += tall * (1 - right)
                continue
            per_px = tall / (b - a)
            carried = 0.0
            for column in range(first, last + 1):
                start, end = max(a, float(column)), min(b, column + 1.0)
                height_here = per_px * (end - start)
                area = height_here * (column + 1 - 0.5 * (start + end))
                sums[row, column] += area + carried
                carried = height_here - area
            sums[row, last + 1] += carried
