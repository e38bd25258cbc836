"""Move a matte's edge along its normal, as soft as it is."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Matte = NDArray[np.float32]


def along_normal(matte: Matte, distances: Matte, by: Matte | np.float32) -> Matte:
    """A matte whose edge lies further out.

    Args:
        matte: (height, width) 0 to 1.
        distances: (height, width) px to its line, negative inside.
        by: px outwards, one number or (height, width).
    """
    smooth = cv2.GaussianBlur(distances, (0, 0), 1.0)
    gx, gy = cv2.Sobel(smooth, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(smooth, cv2.CV_32F, 0, 1, scale=1 / 8)
    share = by / np.maximum(cv2.magnitude(gx, gy), np.float32(1e-3))
    height, width = matte.shape
    x, y = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    x, y = (x - share * gx).astype(np.float32), (y - share * gy).astype(np.float32)
    return np.asarray(cv2.remap(matte, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE))
