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
    discs = np.ascontiguousarray(np.broadcast_to(np.abs(coc), light.shape[:2]))
    out = np.empty_like(light)
    _lift(light, discs, np.float32(threshold), np.float32(2**gain - 1), np.float32(keep_colour), out)
    return out


@compiled
def _lift(light, discs, threshold, more, keep, out):  # type: ignore[no-untyped-def]
    for y in range(light.shape[0]):
        for x in range(light.shape[1]):
            brightest = max(light[y, x, 0], light[y, x, 1], light[y, x, 2])
            u = min(max((brightest - threshold) / (np.float32(1) - threshold), np.float32(0)), np.float32(1))
            v = min(max((discs[y, x] - UNTOUCHED) / (LIFTED - UNTOUCHED), 0.0), 1.0)
            amount = more * u * u * (3 - 2 * u) * v * v * (3 - 2 * v)
            for c in range(3):
                own = light[y, x, c]
                out[y, x, c] = own + amount * (keep * own + (1 - keep) * brightest)
