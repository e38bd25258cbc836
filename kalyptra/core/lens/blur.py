"""Blur with a disc of its own for every pixel: span-derivative scatter.

Each source pixel would add its colour to every pixel of its disc. Instead it adds plus and minus its colour
at the two ends of each row of the disc, and one running sum along each row then makes the blurred picture: the
cost goes with the disc's perimeter, not with its area, and every pixel has its exact radius.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kalyptra.core.lens.iris import STEPS_PER_PIXEL, disc_spans

Layer = NDArray[np.float32]
"""(height, width, 4) premultiplied linear light RGB and coverage."""

NEGLIGIBLE = 0.6
"""Radius in px under which a disc is no larger than its pixel."""


def scatter(layer: Layer, radius: NDArray[np.float32]) -> Layer:
    """Spread every pixel of a layer over its own disc.

    Args:
        layer: (height, width, 4) premultiplied linear RGB and coverage.
        radius: (height, width) px, not negative.

    Returns:
        The spread layer, same shape. Beyond the frame the picture goes on mirrored, so that it
        never darkens towards the edge.
    """
    largest = float(radius.max())
    if largest < NEGLIGIBLE:
        return layer
    pad = min(math.ceil(largest) + 1, layer.shape[0] - 1, layer.shape[1] - 1)
    wide = np.pad(layer, ((pad, pad), (pad, pad), (0, 0)), mode="symmetric")
    radii = np.pad(radius, pad, mode="symmetric")
    spans = disc_spans(2 ** math.ceil(math.log2(largest + 1)))
    ends = np.zeros((layer.shape[0], layer.shape[1] + 2, 4), np.float32)
    _add_ends(wide, radii, spans.left, spans.right, spans.weight, spans.rows, spans.reach, pad, ends)
    out = np.empty_like(layer)
    _sum_rows(ends, out)
    return out


@njit(nogil=True, fastmath=True, cache=True)
def _add_ends(source, radius, left, right, weight, rows, reach, pad, ends):  # type: ignore[no-untyped-def]
    """Add each source pixel's signed row ends. Ends between two pixels are shared by both."""
    height, width = ends.shape[0], ends.shape[1] - 2
    limit = np.float32(width)
    for sy in range(source.shape[0]):
        for sx in range(source.shape[1]):
            c3 = source[sy, sx, 3]
            if c3 <= 0:
                continue
            k = int(radius[sy, sx] * STEPS_PER_PIXEL + np.float32(0.5))
            reached = rows[k]
            x, y = sx - pad, sy - pad
            c0, c1, c2 = source[sy, sx, 0], source[sy, sx, 1], source[sy, sx, 2]
            middle = np.float32(x) + np.float32(0.5)
            for row in range(max(-reached, -y), min(reached, height - 1 - y) + 1):
                w = weight[k, row + reach]
                a = min(max(middle + left[k, row + reach], np.float32(0)), limit)
                b = min(max(middle + right[k, row + reach], np.float32(0)), limit)
                if a >= b:
                    continue
                to = ends[y + row]
                i = int(a)
                near = w * (1 - (a - i))
                far = w * (a - i)
                to[i, 0] += near * c0
                to[i, 1] += near * c1
                to[i, 2] += near * c2
                to[i, 3] += near * c3
                to[i + 1, 0] += far * c0
                to[i + 1, 1] += far * c1
                to[i + 1, 2] += far * c2
                to[i + 1, 3] += far * c3
                i = int(b)
                near = w * (1 - (b - i))
                far = w * (b - i)
                to[i, 0] -= near * c0
                to[i, 1] -= near * c1
                to[i, 2] -= near * c2
                to[i, 3] -= near * c3
                to[i + 1, 0] -= far * c0
                to[i + 1, 1] -= far * c1
                to[i + 1, 2] -= far * c2
                to[i + 1, 3] -= far * c3


@njit(nogil=True, fastmath=True, cache=True)
def _sum_rows(ends, out):  # type: ignore[no-untyped-def]
    """Running sum along each row."""
    for y in range(out.shape[0]):
        a = np.float32(0)
        b = np.float32(0)
        c = np.float32(0)
        d = np.float32(0)
        for x in range(out.shape[1]):
            a += ends[y, x, 0]
            b += ends[y, x, 1]
            c += ends[y, x, 2]
            d += ends[y, x, 3]
            out[y, x, 0] = a
            out[y, x, 1] = b
            out[y, x, 2] = c
            out[y, x, 3] = d
