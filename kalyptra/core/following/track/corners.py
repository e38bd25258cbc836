"""Corners tracked from one picture to another, forwards and back."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.register.corner_flow import there_and_back
from kalyptra.core.setup.geometry.warp import Matrix, mapped

WINDOW = (17, 17)
LEVELS = 3
BACK = 1.0
"""Px by which a corner that is tracked there and back may miss itself."""
_UNTIL = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 12, 0.03)


@dataclass(frozen=True)
class TrackingView:
    """A part of a frame, as following looks at it.

    Attributes:
        lab: (height, width, 3) CIE L*a*b* in 8 bits.
        grey: (height, width) its lightness.
    """

    lab: NDArray[np.uint8]
    grey: NDArray[np.uint8]

    @staticmethod
    def of(codes: NDArray[np.uint8]) -> TrackingView:
        """A view of RGB codes."""
        lab = cv2.cvtColor(codes, cv2.COLOR_RGB2LAB)
        return TrackingView(np.asarray(lab), np.ascontiguousarray(lab[..., 0]))


@dataclass(frozen=True)
class Tracks:
    """Corners that were found again.

    Attributes:
        before, after: (n, 2) px.
        looked_for: how many corners there were.
    """

    before: NDArray[np.float64]
    after: NDArray[np.float64]
    looked_for: int


def tracked(a: TrackingView, b: TrackingView, mask: NDArray[np.uint8], most: int, guess: Matrix) -> Tracks:
    """Track corners of one view into another.

    Sources: Shi and Tomasi, Good features to track, CVPR 1994; Bouguet, Pyramidal implementation of the Lucas Kanade
    feature tracker, 2001; Kalal, Mikolajczyk and Matas, Forward-backward error, ICPR 2010.

    Args:
        mask: (height, width) where to look for corners.
        most: how many corners at most.
        guess: the motion to start from.
    """
    apart = max(3.0, float(np.sqrt(cv2.countNonZero(mask) / most)) * 0.5)
    corners = cv2.goodFeaturesToTrack(a.grey, most, 0.005, apart, mask=mask, blockSize=5)
    if corners is None:
        return Tracks(np.empty((0, 2)), np.empty((0, 2)), 0)
    return track_points(a, b, corners[:, 0] + 0.5, guess)


def track_points(a: TrackingView, b: TrackingView, points: NDArray[Any], guess: Matrix) -> Tracks:
    """Track given points (n, 2), px."""
    start = (points - 0.5).astype(np.float32)[:, None]
    first = mapped(guess, points.astype(np.float64)).astype(np.float32)[:, None] - np.float32(0.5)
    there, held = there_and_back(a.grey, b.grey, start, first, WINDOW, LEVELS, BACK, begin=start, criteria=_UNTIL)
    return Tracks(start[held, 0] + 0.5, there[held, 0].astype(np.float64) + 0.5, len(points))
