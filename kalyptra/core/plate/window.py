"""The part of a picture that a mask touches, so that work on a small subject costs little."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Window = tuple[slice, slice]
"""Rows and columns."""


def window_of(mask: NDArray[np.uint8], margin: int) -> Window | None:
    """The smallest window around all that is not 0, `margin` px wider on each side; None where all is 0."""
    left, top, width, height = cv2.boundingRect(mask)
    if width == 0:
        return None
    rows = slice(max(0, top - margin), min(mask.shape[0], top + height + margin))
    columns = slice(max(0, left - margin), min(mask.shape[1], left + width + margin))
    return rows, columns
