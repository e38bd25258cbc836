"""Scatter: spread every pixel over an iris of its own radius, at a cost that goes with the iris' perimeter.

Each source pixel would add its colour to every pixel of its iris. Instead it adds signed shares of it at the ends of
the iris' rows (see `iris`), and one running sum along each row makes the blurred picture of them. Rows are finished
and forgotten as soon as no later pixel can reach them, so that the work stays in the processor's cache.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled
from kalyptra.core.lens.by_place import ByPlace, Sides
from kalyptra.core.lens.iris import STEPS_PER_PIXEL, reach_of, taps
from kalyptra.core.lens.taps_by_place import reach_by_place, taps_by_place
from kalyptra.core.setup.document.setup import Iris

Layer = NDArray[np.float32]
"""(height, width, 4) premultiplied linear light RGB and coverage."""
ROWS_AT_ONCE = 8


def _cubic(t: float, a: float = -0.75) -> list[float]:
    """Shares of the neighbours at 1 and 0 px before and 1 and 2 px behind, t of a pixel beyond the second."""

    def near(d: float) -> float:
        return ((a + 2) * d - (a + 3)) * d * d + 1

    def far(d: float) -> float:
        return ((a * d - 5 * a) * d + 8 * a) * d - 4 * a

    return [far(1 + t), near(t), near(1 - t), far(2 - t)]


DOUBLING = np.array([_cubic(0.75), _cubic(0.25)], np.float32)
"""Shares of four neighbours in an even and an odd pixel of a picture twice the size.

Source: R. Keys, Cubic convolution interpolation for digital image processing (1981)."""


@dataclass(frozen=True)
class Flat:
    """What is to be spread.

    Attributes:
        light: (height, width, 3) linear light.
        coverage: (height, width) 0 to 1; pixels without coverage add nothing. None where all is covered.
        premultiplied: whether the light has been multiplied by its coverage.
        radius: (height, width) px of each pixel's iris, not negative.
        sides: what differs on the two sides of the focus, where that matters.
    """

    light: NDArray[np.float32]
    coverage: NDArray[np.float32] | None
    premultiplied: bool
    radius: NDArray[np.float32]
    sides: Sides | None = None


def scatter(
    flat: Flat,
    spread: Iris | ByPlace,
    largest: float,
    full: float,
    half: float,
    coarse: Layer | None,
    out: NDArray[np.float32],
) -> None:
    """Spread the pixels of small irises, and lay the result on that of the large ones.

    Beyond the frame the picture goes on with its edge repeated, so that it never darkens there.

    Args:
        largest: px of the largest radius to be spread.
        full: up to this radius a pixel is spread wholly, then less and less up to `half`.
        coarse: what the others make, at half the size.
        out: (height, width, 4) the layer; or with 3 channels its light, no longer multiplied by coverage.
    """
    height, width = flat.radius.shape
    # Tables are made for a few sizes, not for every radius that a pull passes through.
    most = 4 * math.ceil((largest + 0.1) / 4)
    reach = reach_of(spread, most) if isinstance(spread, Iris) else reach_by_place(spread, most)
    stride = width + 4 * reach + 2
    table = taps(spread, most, stride) if isinstance(spread, Iris) else taps_by_place(spread, most, stride)
    ring = np.zeros(1 << math.ceil(math.log2((2 * reach + 1 + ROWS_AT_ONCE) * stride * 4)), np.float32)
    lines = np.zeros((1, 1), np.float32) if coarse is None else coarse.reshape(coarse.shape[0], -1)
    mixed = np.zeros(((width + 1) // 2 + 4) * 4, np.float32)
    sums = np.zeros((3, (width + 1) * 4), np.float32)
    coverage = np.broadcast_to(np.float32(1), (height, width)) if flat.coverage is None else flat.coverage
    # A plain iris is one shape for all: whatever the place, its number is that of the first.
    numbers, one_for_all, red_blue = np.zeros((1, 1), np.uint16), 31, flat.radius
    if isinstance(spread, ByPlace):
        numbers, one_for_all = spread.numbers(height, width, flat.sides.near if flat.sides else None), 0
        if flat.sides and flat.sides.red_blue is not None:
            red_blue = flat.sides.red_blue
    # The picture goes on by `reach` rows on every side, and these spread by `reach` rows once more.
    for first in range(0, height + 2 * reach, ROWS_AT_ONCE):
        last = min(first + ROWS_AT_ONCE, height + 2 * reach)
        _add_taps(flat.light, coverage, flat.premultiplied, flat.radius, np.float32(half),
                  np.float32(1 / (half - full)), first, last, table.start, table.offset, table.weight, stride, reach,
                  sums[2], ring, numbers, one_for_all, most * STEPS_PER_PIXEL + 2, red_blue,
                  red_blue is not flat.radius)  # fmt: skip
        _finish(ring, first, last, stride, reach, coarse is not None, lines, DOUBLING, mixed, sums, out)


@compiled
def _add_taps(  # type: ignore[no-untyped-def]
    light, coverage, premultiplied, radius, half, slope, first, last, start, offset, weight, stride, pad, shares, ring,
    numbers, one_for_all, radii, red_blue, apart,
):  # fmt: skip
    """Add the taps of rows of the picture; `pad` rows and columns of repeated ones lie around it.

    Unsigned indices spare the check for negative ones; flat ones into the ring wrap by its power of two. The taps of
    each shape follow those of the one before, `radii` of them. Where red and blue lie apart they go a way of their own.
    """
    steps, zero, one, eighth = np.float32(STEPS_PER_PIXEL), np.float32(0), np.float32(1), np.float32(0.125)
    one_on, two_on, three_on = np.uint64(1), np.uint64(2), np.uint64(3)
    height, width = radius.shape
    wrap, largest = np.uint64(ring.size - 1), np.float32(radii - 2)
    for row in range(first, last):
        y = min(max(row - pad, 0), height - 1)
        for i in range(width):
            shares[i] = min(max((half - radius[y, i]) * slope, zero), one) * coverage[y, i]
        base = np.uint64(row * stride * 4)
        for part in range(3):
            begin, count, step = (0, width, 1) if part == 1 else ((0, pad, 0) if part == 0 else (width - 1, pad, 0))
            x = np.uint64(begin)
            for _ in range(count):
                d = shares[x]
                if d > zero:
                    r = radius[y, x]
                    shown = d
                    if premultiplied:
                        shown = min((half - r) * slope, one)
                    a, b, c = light[y, x, 0] * shown, light[y, x, 1] * shown, light[y, x, 2] * shown
                    # A radius between two tables is made of both, by a fixed pattern: a slow pull has no steps.
                    pattern = np.float32((x * np.uint64(3) + np.uint64(y * 5)) & np.uint64(7)) + np.float32(0.5)
                    shape = np.uint64(numbers[y >> one_for_all, x >> np.uint64(one_for_all)]) * np.uint64(radii)
                    k = shape + np.uint64(r * steps + pattern * eighth)
                    if apart:
                        q = shape + np.uint64(min(red_blue[y, x] * steps + pattern * eighth, largest))
                        for tap in range(np.uint64(start[q]), np.uint64(start[q + one_on])):
                            at, w = (base + np.uint64(offset[tap])) & wrap, weight[tap]
                            ring[at] += w * a
                            ring[at + two_on] += w * c
                        a, c = zero, zero
                    for tap in range(np.uint64(start[k]), np.uint64(start[k + one_on])):
                        at, w = (base + np.uint64(offset[tap])) & wrap, weight[tap]
                        ring[at] += w * a
                        ring[at + one_on] += w * b
                        ring[at + two_on] += w * c
                        ring[at + three_on] += w * d
                base += np.uint64(4)
                x += np.uint64(step)


@compiled
def _finish(ring, first, last, stride, pad, has_coarse, coarse, doubling, mixed, sums, out):  # type: ignore[no-untyped-def]
    """Take rows that no later pixel reaches out of the ring: their running sums, on the doubled coarse picture."""
    one_on, two_on, three_on, pixel = np.uint64(1), np.uint64(2), np.uint64(3), np.uint64(4)
    zero, one, least = np.float32(0), np.float32(1), np.float32(1e-4)
    wrap, line, width = np.uint64(ring.size - 1), stride * 4, out.shape[1]
    n, total = coarse.shape[1], sums[2]
    for row in range(first, last):
        y = row - 2 * pad
        if y >= 0:
            if has_coarse:
                odd, top, end = y & 1, (y - 1) >> 1, coarse.shape[0] - 1
                v0, v1, v2, v3 = doubling[odd, 0], doubling[odd, 1], doubling[odd, 2], doubling[odd, 3]
                r0, r1 = coarse[min(max(top - 1, 0), end)], coarse[min(max(top, 0), end)]
                r2, r3 = coarse[min(top + 1, end)], coarse[min(top + 2, end)]
                for u in range(n):
                    mixed[u + 8] = v0 * r0[u] + v1 * r1[u] + v2 * r2[u] + v3 * r3[u]
                for e in range(4):
                    mixed[e] = mixed[4 + e] = mixed[8 + e]
                    mixed[n + 8 + e] = mixed[n + 12 + e] = mixed[n + 4 + e]
                for odd in range(2):
                    v0, v1, v2, v3 = doubling[odd, 0], doubling[odd, 1], doubling[odd, 2], doubling[odd, 3]
                    side, of = sums[odd], mixed[4 * odd :]
                    for u in range(n):
                        side[u] = v0 * of[u] + v1 * of[u + 4] + v2 * of[u + 8] + v3 * of[u + 12]
            a, b, c, d = zero, zero, zero, zero
            base = np.uint64(row * line)
            for _ in range(2 * pad):
                at = base & wrap
                a += ring[at]
                b += ring[at + one_on]
                c += ring[at + two_on]
                d += ring[at + three_on]
                base += pixel
            i = np.uint64(0)
            for x in range(width):
                at, odd, half = base & wrap, x & 1, np.uint64((x >> 1) * 4)
                a += ring[at]
                b += ring[at + one_on]
                c += ring[at + two_on]
                d += ring[at + three_on]
                total[i] = a + sums[odd, half]
                total[i + one_on] = b + sums[odd, half + one_on]
                total[i + two_on] = c + sums[odd, half + two_on]
                total[i + three_on] = d + sums[odd, half + three_on]
                base += pixel
                i += pixel
            pixels = out[y].reshape(-1)
            if out.shape[2] == 3:
                i, o = np.uint64(0), np.uint64(0)
                for _ in range(width):
                    whole = one / max(total[i + three_on], least)
                    pixels[o] = total[i] * whole
                    pixels[o + one_on] = total[i + one_on] * whole
                    pixels[o + two_on] = total[i + two_on] * whole
                    i += pixel
                    o += three_on
            else:
                pixels[:] = total[: width * 4]
        begin = int(np.uint64(row * line) & wrap)
        beyond = max(begin + line - ring.size, 0)
        ring[begin : begin + line - beyond] = zero
        ring[:beyond] = zero
