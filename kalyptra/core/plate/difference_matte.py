"""Mend a matte by how much the picture differs from what lies behind it.

Where the plate is known, a pixel near the edge lies on the way from the plate's colour to the subject's; how far along
it lies is its coverage: a = (I - B)(F - B) / |F - B|^2.
Source: Smith and Blinn, Blue screen matting, SIGGRAPH 1996, with a known background.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.pull_push import fill

BAND = 6
"""Px on either side of the line that may change."""
SOLID = 0.95
TELLS = 0.004
"""Square of the difference between subject and plate, linear light, at which colours tell as much as the matte."""


def difference_matte(
    light: NDArray[np.float32], matte: NDArray[np.float32], plate: NDArray[np.float32], seen: NDArray[np.bool_]
) -> NDArray[np.float32]:
    """A matte mended where the plate was seen.

    Args:
        light, plate: (height, width, 3) linear light.
        matte: (height, width) 0 to 1.
        seen: (height, width) where the plate is what was seen, not a filling.
    """
    solid = (matte > 0.5).astype(np.uint8)
    if not solid.any():
        return matte
    to_line = cv2.distanceTransform(solid, cv2.DIST_L2, 3) + cv2.distanceTransform(1 - solid, cv2.DIST_L2, 3)
    band = (to_line <= BAND) & seen
    inner = cv2.erode((matte >= SOLID).astype(np.uint8), np.ones((3, 3), np.uint8))
    own = fill(light, inner.astype(np.float32))
    way = own - plate
    square = np.einsum("yxc,yxc->yx", way, way)
    along = np.einsum("yxc,yxc->yx", light - plate, way) / np.maximum(square, np.float32(1e-6))
    tells = square / (square + np.float32(TELLS))
    mended = matte + tells * (np.clip(along, 0, 1) - matte)
    return np.where(band, mended, matte).astype(np.float32)
