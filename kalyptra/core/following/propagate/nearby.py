"""What lies near a part of a picture."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Mask = NDArray[np.bool_]


def wider(mask: Mask, px: int) -> Mask:
    """(height, width) all that lies within so many px of a mask, up and down and to either side."""
    return np.asarray(cv2.dilate(mask.astype(np.uint8), np.ones((2 * px + 1,) * 2, np.uint8)) > 0)
