"""Fill a small or thin hole along the lines that run into it.

Source: Telea, An image inpainting technique based on the fast marching method, Journal of Graphics Tools 2004
(OpenCV's).
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

REACH = 5
"""Px around the hole's rim that a pixel is made of."""


def fill_detailed(light: NDArray[np.float32], known: NDArray[np.float32]) -> NDArray[np.float32]:
    """Fill what is not known.

    Args:
        light: (height, width, 3) linear light, 0 to 1 and a little above.
        known: (height, width) 0 or 1.

    Returns:
        Light, same shape: unchanged where known.
    """
    # In the square root of light, in 8 bits: the filling is a guess, and steps of half a percent do not show in it.
    codes = np.round(np.sqrt(np.clip(light, 0, 1)) * 255).astype(np.uint8)
    hole = (known < 1).astype(np.uint8)
    filled = cv2.inpaint(codes, hole, REACH, cv2.INPAINT_TELEA)
    guess = np.square(filled.astype(np.float32) / np.float32(255))
    return np.where(hole[..., None] > 0, guess, light).astype(np.float32)
