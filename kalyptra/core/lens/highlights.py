"""Clipped lights, lifted before the blur: what the camera recorded as white was brighter, and its disc shows it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled

UNTOUCHED, LIFTED = 1.0, 4.0
"""Discs of this many px and less are not lifted, from the second size on wholly: what is in focus keeps its light."""


def lift(
    light: NDArray[np.float32], coc: NDArray[np.float32], threshold: float, gain: float, keep_colour: float
) -> NDArray[np.float32]:
    """Lift values near clipping, smoothly in value and in disc size, so that nothing flickers.

    Args:
        light: (height, width, 3) linear light, 0 to 1.
        coc: (height, width) signed disc diameters in px, or one as a 0-d array.
        threshold: linear light from which on a pixel's brightest channel counts as a light, wholly so at 1.
        gain: stops.
        keep_colour: 1 lifts all channels alike, 0 adds white.

    Returns:
        (height, width, 3), above 1 where lights were lifted; the input itself with a gain of 0.
    """
    if gain <= 0:
        return light
    out = np.empty_like(light)
    _lift(light, np.broadcast_to(coc, light.shape[:2]), np.float32(threshold), np.float32(2**gain - 1),
          np.float32(keep_colour), np.float32(UNTOUCHED), np.float32(1 / (LIFTED - UNTOUCHED)), out)  # fmt: skip
    return out


@compiled
def _lift(light, coc, threshold, more, keep, untouched, growth, out):  # type: ignore[no-untyped-def]
    zero, one, two, three = np.float32(0), np.float32(1), np.float32(2), np.float32(3)
    for y in range(light.shape[0]):
        for x in range(light.shape[1]):
            a, b, c = light[y, x, 0], light[y, x, 1], light[y, x, 2]
            brightest = max(a, b, c)
            if brightest > threshold:
                u = min((brightest - threshold) / (one - threshold), one)
                v = min(max((abs(coc[y, x]) - untouched) * growth, zero), one)
                amount = more * u * u * (three - two * u) * v * v * (three - two * v)
                white = amount * (one - keep) * brightest
                amount *= keep
                a, b, c = a + amount * a + white, b + amount * b + white, c + amount * c + white
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = a, b, c
