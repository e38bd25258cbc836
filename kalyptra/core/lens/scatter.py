"""Scatter: spread every pixel over an iris of its own radius, at a cost that goes with the iris' perimeter.

Each source pixel would add its colour to every pixel of its iris. Instead it adds signed shares of it at the ends of
the iris' rows (see `iris`), and one running sum along each row of the picture makes the blurred picture of them.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled
from kalyptra.core.lens.iris import STEPS_PER_PIXEL, reach_of, taps
from kalyptra.core.setup.document import Iris

Layer = NDArray[np.float32]
"""(height, width, 4) premultiplied linear light RGB and coverage."""


def scatter(layer: Layer, radius: NDArray[np.float32], iris: Iris) -> Layer:
    """Spread every pixel of a layer over its own iris.

    Args:
        layer: (height, width, 4) premultiplied linear RGB and coverage; pixels without coverage add nothing.
        radius: (height, width) px, not negative.

    Returns:
        The spread layer, same shape. Beyond the frame the picture goes on with its edge
        repeated, so that it never darkens there.
    """
    height, width = radius.shape
    # Tables are made for a few sizes, not for every radius that a pull passes through.
    largest = 4 * math.ceil((float(radius.max()) + 0.1) / 4)
    reach = reach_of(iris, largest)
    stride = width + 4 * reach + 2
    table = taps(iris, largest, stride)
    changes = np.zeros((height + 4 * reach + 1) * stride * 4, np.float32)
    _add_taps(layer, radius, table.start, table.offset, table.weight, stride, reach, changes)
    out = np.empty_like(layer)
    _sum_rows(changes, stride, 2 * reach, out)
    return out


@compiled
def _add_taps(source, radius, start, offset, weight, stride, pad, changes):  # type: ignore[no-untyped-def]
    """Add each source pixel's taps, `pad` rows and columns of repeated ones around the picture, too.

    Unsigned indices spare the check for negative ones.
    """
    steps = np.float32(STEPS_PER_PIXEL)
    height, width = radius.shape
    for row in range(height + 2 * pad):
        y = min(max(row - pad, 0), height - 1)
        for column in range(width + 2 * pad):
            x = min(max(column - pad, 0), width - 1)
            d = source[y, x, 3]
            if d <= 0:
                continue
            a, b, c = source[y, x, 0], source[y, x, 1], source[y, x, 2]
            # A radius between two tables is made of both, by a fixed pattern of pixels: a slow pull has no steps.
            pattern = np.float32(((x * 3 + y * 5) & 7) + 0.5) * np.float32(0.125)
            k = np.uint64(radius[y, x] * steps + pattern)
            base = np.uint64((row * stride + column) * 4)
            for tap in range(np.uint64(start[k]), np.uint64(start[k + np.uint64(1)])):
                at, w = base + np.uint64(offset[tap]), weight[tap]
                changes[at] += w * a
                changes[at + np.uint64(1)] += w * b
                changes[at + np.uint64(2)] += w * c
                changes[at + np.uint64(3)] += w * d


@compiled
def _sum_rows(changes, stride, margin, out):  # type: ignore[no-untyped-def]
    """Running sum along each row; `margin` rows and columns of the changes lie outside the picture."""
    for y in range(out.shape[0]):
        a, b, c, d = np.float32(0), np.float32(0), np.float32(0), np.float32(0)
        i = (y + margin) * stride * 4
        for x in range(-margin, out.shape[1]):
            a += changes[i]
            b += changes[i + 1]
            c += changes[i + 2]
            d += changes[i + 3]
            i += 4
            if x >= 0:
                out[y, x, 0], out[y, x, 1], out[y, x, 2], out[y, x, 3] = a, b, c, d
