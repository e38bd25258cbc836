"""The border of a matte as closed lines, finer than its pixels.

Source: Suzuki and Abe, Topological structural analysis of digitized binary images by border following, CVGIP 1985
(OpenCV's), of the matte at a finer size.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.setup.geometry.border import Ring
from kalyptra.core.window import window_of

FINER = 3
STRAY = 0.3
"""Px by which a line may stray from the border."""
SPECK = 12.0
"""Px in all; smaller parts and holes are left out."""


def border_rings(matte: NDArray[np.float32]) -> list[Ring]:
    """The lines of half coverage, px; around a hole a line runs the other way.

    Args:
        matte: (height, width) 0 to 1.
    """
    window = window_of((matte > 0.5).astype(np.uint8), 2)
    if window is None:
        return []
    part = np.pad(matte[window], 1)  # a border that runs along the picture's is closed there
    fine = cv2.resize(part, None, fx=FINER, fy=FINER, interpolation=cv2.INTER_LINEAR)
    borders, _ = cv2.findContours((fine > 0.5).astype(np.uint8), cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    origin = np.array([window[1].start - 1, window[0].start - 1], np.float64)
    rings = []
    for border in borders:
        if len(border) < 3:
            continue
        line = (border[:, 0] + 0.5 + 0.5 * outwards(border[:, 0])) / FINER
        few = cv2.approxPolyDP(line.astype(np.float32)[:, None], STRAY, True)[:, 0]
        if len(few) >= 3 and cv2.contourArea(few) >= SPECK:
            rings.append(few.astype(np.float64) + origin)
    return rings


def outwards(border: NDArray[Any]) -> NDArray[np.float64]:
    """(n, 2) away from the region: OpenCV's contours run through the middles of its outermost px."""
    along = (np.roll(border, -2, axis=0) - np.roll(border, 2, axis=0)).astype(np.float64)
    along /= np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-6)
    return np.stack([-along[:, 1], along[:, 0]], axis=1)
