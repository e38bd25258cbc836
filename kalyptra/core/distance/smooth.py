"""Softening a distance map, as people do with a map whose edges are too hard."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.setup.document.distance import SmoothBy

LEAST = 1e-3
"""Share of known neighbours from which on a pixel takes their mean."""


def smoothed(
    dioptres: NDArray[np.float32], by: SmoothBy, radius: float, hidden: NDArray[np.bool_] | None = None
) -> NDArray[np.float32]:
    """Soften a map. What cut-outs hide is left out of it, so that their edge is never smeared into what lies behind.

    Args:
        dioptres: (height, width) 1/m.
        radius: half a box's width, or a Gaussian's standard deviation, px.
        hidden: (height, width) what counts as not known; it keeps its own values where no neighbour is known.
    """
    if radius < 0.3:
        return dioptres
    if hidden is None or not hidden.any():
        return _soften(dioptres, by, radius)
    known = (~hidden).astype(np.float32)
    share = _soften(known, by, radius)
    mean = _soften(dioptres * known, by, radius) / np.maximum(share, np.float32(LEAST))
    return np.where(share > LEAST, mean, dioptres)


def _soften(values: NDArray[np.float32], by: SmoothBy, radius: float) -> NDArray[np.float32]:
    if by is SmoothBy.BOX:
        side = 2 * max(1, round(radius)) + 1
        return np.asarray(cv2.blur(values, (side, side), borderType=cv2.BORDER_REPLICATE), np.float32)
    side = 2 * int(np.ceil(3 * radius)) + 1
    soft = cv2.GaussianBlur(values, (side, side), radius, borderType=cv2.BORDER_REPLICATE)
    return np.asarray(soft, np.float32)
