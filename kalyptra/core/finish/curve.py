"""Curves over light by table: numbers as they lie in memory, so that equal ratios are equally far apart."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled

Curve = NDArray[np.float32]
DARKEST, BRIGHTEST = 2.0**-16, 2.0**7
"""Values between which a curve is known: lifted lights are six stops over white at most."""
SHIFT = 13
"""Bits of a number that a curve leaves out: ten of its fraction are left, 0.05 % of its value."""
STRIP = 8
"""Rows that are worked on at a time."""


def curve_of(function: Callable[[NDArray[np.float64]], NDArray[np.float64]], from_nothing: bool = True) -> Curve:
    """A function of values above 0 as a curve.

    Args:
        from_nothing: whether nothing, and what is below, comes to nothing.
    """
    low, high = (int(np.array(end, np.float32).view(np.int32)) >> SHIFT for end in (DARKEST, BRIGHTEST))
    values = ((np.arange(low, high + 1) << SHIFT) + (1 << (SHIFT - 1))).astype(np.int32).view(np.float32)
    curve = function(values.astype(np.float64)).astype(np.float32)
    if from_nothing:
        curve[0] = 0
    curve.flags.writeable = False
    return curve


def through_curve(values: NDArray[np.float32], curve: Curve) -> NDArray[np.float32]:
    """A picture (height, width, 3) with a curve over each of its values; an array of its own."""
    height, width = values.shape[:2]
    flat = np.ascontiguousarray(values).reshape(height, 3 * width)
    bits, curves, out = flat.view(np.int32), np.stack([curve] * 3), np.empty_like(flat)
    steps = np.empty((STRIP, 3 * width), np.int32)
    for top in range(0, height, STRIP):  # a strip stays at hand from one loop to the next
        strip, rows = slice(top, top + STRIP), slice(min(STRIP, height - top))
        number(bits[strip], steps[rows])
        look_up(steps[rows], curves, out[strip])
    return out.reshape(values.shape)


@compiled
def number(bits, steps):  # type: ignore[no-untyped-def]
    for y in range(bits.shape[0]):
        for i in range(bits.shape[1]):
            steps[y, i] = min(max((bits[y, i] >> 13) - 113664, 0), 23552)


@compiled
def look_up(steps, curves, curved):  # type: ignore[no-untyped-def]
    for y in range(steps.shape[0]):
        for x in range(steps.shape[1] // 3):
            curved[y, 3 * x] = curves[0, steps[y, 3 * x]]
            curved[y, 3 * x + 1] = curves[1, steps[y, 3 * x + 1]]
            curved[y, 3 * x + 2] = curves[2, steps[y, 3 * x + 2]]
