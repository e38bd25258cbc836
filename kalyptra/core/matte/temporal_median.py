"""Steady a matte over time: the median of its own line and its neighbours' lines, once their motion is taken out."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.matte.normal import along_normal

Matte = NDArray[np.float32]

WORKING = 240
"""Px on the long side at which motion is looked for."""
REACH = 24.0
"""Px of full size from the line in which it is steadied."""
CRAWL = 2.0
"""Px by which an edge may crawl; it fades out at twice that."""


def temporal_median(matte: Matte, nearby: Sequence[Matte]) -> Matte:
    """A matte whose edge does not crawl.

    Each neighbour is moved to where the matte is now, by the affine motion of their signed distances; the median of all
    distances makes the line, and the matte is shifted by that.

    Args:
        matte: (height, width) 0 to 1.
        nearby: the mattes of frames around it, the same size; empty ones are left out.
    """
    others = [near for near in nearby if (near > 0.5).any()]
    if not others or not (matte > 0.5).any():
        return matte
    here = _signed(matte)
    moved = (_moved(_signed(other), here) for other in others)
    median = np.median(np.stack([here, *(matte for matte in moved if matte is not None)]), axis=0)
    # What is further away is a part that moves its own way, and no crawling.
    shift = (median - here).astype(np.float32)
    shift *= np.clip(2 - np.abs(shift) / np.float32(CRAWL), 0, 1)
    near = np.abs(here) < REACH
    return np.asarray(np.where(near, along_normal(matte, -here, shift), matte), np.float32)


def _signed(matte: Matte) -> Matte:
    """Px to the line, positive inside, capped at REACH."""
    solid = (matte > 0.5).astype(np.uint8)
    inside = cv2.distanceTransform(solid, cv2.DIST_L2, 5) - np.float32(0.5)
    outside = cv2.distanceTransform(1 - solid, cv2.DIST_L2, 5) - np.float32(0.5)
    return np.asarray(np.clip(np.where(solid > 0, inside, -outside), -REACH, REACH), np.float32)


def _moved(other: Matte, here: Matte) -> Matte | None:
    """A neighbour's distances where they are now; None where no motion brings them there.

    Source: Evangelidis and Psarakis, Parametric image alignment using enhanced correlation coefficient maximization,
    PAMI 2008 (OpenCV's).
    """
    height, width = here.shape
    factor = min(1.0, WORKING / max(here.shape))
    small = (max(16, round(width * factor)), max(16, round(height * factor)))
    a, b = (cv2.resize(each, small, interpolation=cv2.INTER_AREA) for each in (here, other))
    motion = np.eye(2, 3, dtype=np.float32)
    motion[:, 2] = _middle(b) - _middle(a)
    until = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 40, 1e-4)
    try:
        _, motion = cv2.findTransformECC(a, b, motion, cv2.MOTION_AFFINE, until, None, 1)
    except cv2.error:
        return None
    motion[:, 2] *= np.array([width / small[0], height / small[1]], np.float32)
    how = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return np.asarray(cv2.warpAffine(other, motion, (width, height), flags=how, borderMode=cv2.BORDER_REPLICATE))


def _middle(distances: Matte) -> NDArray[np.float32]:
    rows, columns = np.nonzero(distances > 0)
    return np.array([columns.mean(), rows.mean()], np.float32) if len(rows) else np.zeros(2, np.float32)
