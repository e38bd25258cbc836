"""Breathing: a real lens changes its angle of view with focus.

A lens of focal length f focused at S images at the distance v = f S / (S - f) behind it, so that the picture is larger
the nearer the focus; at infinity v = f. Source: the thin-lens equation, as in any optics handbook.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray


def enlargement(focal_length: float, focus: float) -> float:
    """How much larger the picture is than with focus at infinity; never less than 1, so that no edge falls into view.

    Args:
        focal_length, focus: metres.
    """
    return focus / (focus - focal_length)


def breathed(light: NDArray[np.float32], by: float) -> NDArray[np.float32]:
    """A picture enlarged about its middle: (height, width, 3) linear light."""
    if by <= 1:
        return light
    height, width = light.shape[:2]
    move = np.array([[by, 0, (1 - by) * (width - 1) / 2], [0, by, (1 - by) * (height - 1) / 2]])
    larger = cv2.warpAffine(light, move, (width, height), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(np.maximum(larger, 0), np.float32)
