"""Steady a matte over time: the median of its own line and its neighbours' lines, once their motion is taken out."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

Matte = NDArray[np.float32]

WORKING = 240
"""Px on the long side at which motion is looked for."""
REACH = 24.0
"""Px of full size from the line in which it is steadied."""
AS_ONE = 12.0
"""Px of working size that move as one: what crawls within that is not taken for motion."""


def steadied(matte: Matte, nearby: Sequence[Matte]) -> Matte:
    """A matte whose edge does not crawl.

    Each neighbour is moved to where the matte is now, as a smooth motion of their signed distances; the median of all
    distances makes the line, and the matte is shifted by that.

    Args:
        matte: (height, width) 0 to 1.
        nearby: the mattes of frames around it, the same size; empty ones are left out.
    """
    others = [one for one in nearby if (one > 0.5).any()]
    if not others or not (matte > 0.5).any():
        return matte
    here = _signed(matte)
    lines = [here, *(_moved(_signed(one), here) for one in others)]
    median = np.median(np.stack(lines), axis=0).astype(np.float32)
    shift = median - here
    near = np.abs(here) < REACH
    # A ramp of the edge's own softness, moved along the normal by the shift.
    soft = np.clip(matte + shift * _slope(matte), 0, 1)
    return np.where(near & (np.abs(shift) > 0.05), soft, matte).astype(np.float32)


def _signed(matte: Matte) -> Matte:
    """Px to the line, positive inside, capped at REACH."""
    solid = (matte > 0.5).astype(np.uint8)
    inside = cv2.distanceTransform(solid, cv2.DIST_L2, 5) - np.float32(0.5)
    outside = cv2.distanceTransform(1 - solid, cv2.DIST_L2, 5) - np.float32(0.5)
    return np.asarray(np.clip(np.where(solid > 0, inside, -outside), -REACH, REACH), np.float32)


def _slope(matte: Matte) -> Matte:
    """How much coverage a px along the normal is worth: that of the edge nearby."""
    gx, gy = cv2.Sobel(matte, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(matte, cv2.CV_32F, 0, 1, scale=1 / 8)
    steep = cv2.dilate(cv2.magnitude(gx, gy), np.ones((5, 5), np.uint8))
    return np.asarray(np.clip(steep, 0.05, 1.0), np.float32)


def _moved(other: Matte, here: Matte) -> Matte:
    """A neighbour's distances where they are now."""
    height, width = here.shape
    factor = min(1.0, WORKING / max(here.shape))
    small = (max(16, round(width * factor)), max(16, round(height * factor)))
    a, b = (
        ((cv2.resize(one, small, interpolation=cv2.INTER_AREA) + REACH) * (255 / (2 * REACH))).astype(np.uint8)
        for one in (here, other)
    )
    flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_ULTRAFAST).calc(a, b, None)
    weight = (np.abs(a.astype(np.float32) - 127) < 120).astype(np.float32)
    total = cv2.GaussianBlur(weight, (0, 0), AS_ONE) + np.float32(1e-3)
    smooth = cv2.GaussianBlur(flow * weight[..., None], (0, 0), AS_ONE) / total[..., None]
    whole = cv2.resize(smooth, (width, height), interpolation=cv2.INTER_LINEAR) * np.float32(width / small[0])
    gx, gy = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    x, y = gx + whole[..., 0], gy + whole[..., 1]
    return np.asarray(cv2.remap(other, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE))
