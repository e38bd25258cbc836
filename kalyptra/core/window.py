"""The part of a picture that a mask touches, so that work on a small subject costs little."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Window = tuple[slice, slice]
"""Rows and columns."""
Margins = tuple[int, int, int, int]
"""Px above, below, left and right."""


def window_of(mask: NDArray[np.uint8], margin: int) -> Window | None:
    """The smallest window around all that is not 0, `margin` px wider on each side; None where all is 0."""
    left, top, width, height = cv2.boundingRect(mask)
    if width == 0:
        return None
    rows = slice(max(0, top - margin), min(mask.shape[0], top + height + margin))
    columns = slice(max(0, left - margin), min(mask.shape[1], left + width + margin))
    return rows, columns


def widened(window: Window, margin: int, inner: tuple[int, ...], frame: tuple[int, ...]) -> tuple[Window, Margins]:
    """A window `margin` px wider on each side, within the frame, from an even row and column: so that a part is halved
    just as the whole would be. And how much was added above, below, left and right.

    Args:
        inner: (height, width, ...) of the window.
        frame: (height, width, ...) of the picture.
    """
    top, left = window[0].start, window[1].start
    above, before = top - (max(0, top - margin) & ~1), left - (max(0, left - margin) & ~1)
    below = min(margin, frame[0] - top - inner[0])
    after = min(margin, frame[1] - left - inner[1])
    rows = slice(top - above, top + inner[0] + below)
    columns = slice(left - before, left + inner[1] + after)
    return (rows, columns), (above, below, before, after)


def middle_of(matte: NDArray[np.float32]) -> NDArray[np.float64] | None:
    """(2,) x and y of the middle of what a matte covers, px; None where it covers nothing."""
    sums = cv2.moments(matte)
    return np.array([sums["m10"], sums["m01"]]) / sums["m00"] if sums["m00"] > 1 else None


def within(outer: Window, inner: Window) -> Window:
    """A window of a window, as one of the whole picture."""
    rows, columns = (
        slice(whole.start + part.start, whole.start + part.stop) for whole, part in zip(outer, inner, strict=True)
    )
    return rows, columns
