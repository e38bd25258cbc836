"""Corners tracked from one picture to another and back: those that come back to where they were are held.

Sources: Bouguet, Pyramidal implementation of the Lucas Kanade feature tracker, 2001; Kalal, Mikolajczyk and Matas,
Forward-backward error, ICPR 2010.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

Corners = NDArray[np.float32]
"""(n, 1, 2) px, counted from the middle of a pixel."""


def there_and_back(
    before: NDArray[np.uint8], after: NDArray[np.uint8], start: Corners, first: Corners, window: tuple[int, int],
    levels: int, miss: float, begin: Corners | None = None, **more: Any,
) -> tuple[Corners, NDArray[np.bool_]]:  # fmt: skip
    """Track corners there and back.

    Args:
        before, after: grey codes.
        start: the corners; first: where they are looked for first.
        miss: px by which a corner may miss itself.
        begin: where the way back begins to look; else as far off as the corner was from where it was looked for, since
            begun at the corner itself a wrong match may agree with itself.
        more: for OpenCV's tracker.

    Returns:
        Where each corner is, and whether it came back.
    """
    how = {"winSize": window, "maxLevel": levels, "flags": cv2.OPTFLOW_USE_INITIAL_FLOW, **more}
    there, seen, _ = cv2.calcOpticalFlowPyrLK(before, after, start, first.copy(), **how)
    begin = start + (there - first) if begin is None else begin.copy()
    back, seen_back, _ = cv2.calcOpticalFlowPyrLK(after, before, there, begin, **how)
    held = (seen[:, 0] == 1) & (seen_back[:, 0] == 1) & (np.linalg.norm(back - start, axis=2)[:, 0] < miss)
    return np.asarray(there, np.float32), np.asarray(held)
