"""How the exposure changes: colours of a key are compared with a frame as if it were exposed as the key was."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

DARK, BRIGHT = 16, 240
"""Codes between which a pixel tells."""
MOST_CHANGE = 0.2
"""The share by which a pixel may change between two frames; what changes more is something else."""
LEAST_PIXELS = 400
LEAST, MOST = 0.4, 2.5


def exposure_ratio(before: NDArray[np.uint8], after: NDArray[np.uint8], tells: NDArray[np.bool_]) -> float:
    """By what the codes of a frame are those of the one before, over what is the same in both.

    A ratio of sums: a median of single ratios would round slow changes away.

    Args:
        before, after: (height, width, 3) codes, registered.
        tells: (height, width) where they show the same.
    """
    third = np.full((1, 3), 1 / 3, np.float32)
    a, b = (cv2.transform(codes.astype(np.float32), third) for codes in (before, after))
    same = tells & (a > DARK) & (a < BRIGHT) & (b > DARK) & (b < BRIGHT) & (np.abs(b - a) < MOST_CHANGE * a)
    if same.sum() < LEAST_PIXELS:
        return 1.0
    return float(b[same].sum() / a[same].sum())


def exposed_back(codes: NDArray[np.uint8], exposure: float) -> NDArray[np.uint8]:
    """(height, width, 3) codes as they would be without a change of exposure."""
    if abs(exposure - 1) < 0.005:
        return codes
    return np.asarray(cv2.convertScaleAbs(codes, alpha=1 / exposure), np.uint8)
