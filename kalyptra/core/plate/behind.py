"""The picture behind all cut-outs, and its distance, filled from what surrounds them."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.plate.fill import fill_in
from kalyptra.core.window import Window, window_of

HIDDEN = 0.02
"""From this coverage on, a cut-out hides the picture behind it."""
SURROUNDINGS = 0.04
"""How far around a hole its surroundings are looked at, as a share of the width."""


def picture_behind(
    light: NDArray[np.float32], dioptres: NDArray[np.float32], mattes: Sequence[NDArray[np.float32]], growth: float
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Fill what the cut-outs hide.

    Args:
        light: (height, width, 3) linear light.
        dioptres: (height, width) 1/m.
        mattes: (height, width) each, 0 to 1.
        growth: how far beyond its matte a subject is taken to spoil the picture, px.

    Returns:
        Light and dioptres of the plate; the inputs themselves where nothing is hidden.
    """
    if not mattes:
        return light, dioptres
    hidden = np.logical_or.reduce([matte > HIDDEN for matte in mattes]).astype(np.uint8)
    margin = round(SURROUNDINGS * light.shape[1])
    windows = [window_of((matte > HIDDEN).astype(np.uint8), margin) for matte in mattes]
    seen = [window for window in windows if window is not None]
    if not seen:
        return light, dioptres
    plate, distances = light.copy(), dioptres.copy()
    for window in seen:
        known = _known(hidden, window, growth)
        fill_in(plate[window], known)
        least, most, _, _ = cv2.minMaxLoc(dioptres[window])
        if least < most:
            fill_in(distances[window][..., None], known)
    return plate, distances


def _known(hidden: NDArray[np.uint8], window: Window, growth: float) -> NDArray[np.float32]:
    distance: NDArray[np.float32] = cv2.distanceTransform(1 - hidden[window], cv2.DIST_L2, 5)
    return (distance > np.float32(growth)).astype(np.float32)
