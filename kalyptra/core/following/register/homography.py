"""How the background moved from one frame to another: a homography, from background corners alone.

Sources: Shi and Tomasi, CVPR 1994 (corners); Bouguet 2001 (tracking); Hartley and Zisserman, Multiple View Geometry,
chapter 4 (homography); OpenCV's MAGSAC for leaving out what disagrees (Barath et al., CVPR 2020).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.register.corner_flow import there_and_back


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the demo's clips, where no source is named."""

    corners: int = 300
    few: int = 12
    back: float = 0.7
    """Px by which a corner that is tracked there and back may miss itself."""
    agree: float = 1.0


TUNING = Tuning()


WINDOW, LEVELS = (17, 17), 3
STILL = 0.25
"""Px of motion in the picture's corners below which a camera counts as locked."""


@dataclass(frozen=True)
class Aligned:
    """A homography from one frame to another, px of the pictures it was found in.

    Attributes:
        matrix: (3, 3).
        amiss: median px by which background corners miss it; large where there is parallax.
        corners: how many corners agree; 0 where none was found and the guess was kept.
    """

    matrix: NDArray[np.float64]
    amiss: float
    corners: int


def background_corners(picture: NDArray[np.uint8], background: NDArray[np.uint8]) -> NDArray[np.float32]:
    """(n, 1, 2) corners of a grey picture where its background, 1, is."""
    corners = cv2.goodFeaturesToTrack(picture, TUNING.corners, 0.003, 6, mask=background, blockSize=5)
    return np.zeros((0, 1, 2), np.float32) if corners is None else np.asarray(corners, np.float32)


def align(
    before: NDArray[np.uint8], after: NDArray[np.uint8], start: NDArray[np.float32], guess: NDArray[np.float64]
) -> Aligned:
    """Find how the background of one grey picture lies in another.

    Args:
        start: (n, 1, 2) background corners of the first.
        guess: the homography to start from, kept where nothing better is found.
    """
    if len(start) < TUNING.few:
        return Aligned(guess, 0.0, 0)
    first = cv2.perspectiveTransform(start, guess).astype(np.float32)
    there, held = there_and_back(before, after, start, first, WINDOW, LEVELS, TUNING.back, begin=start)
    a, b = start[held, 0], there[held, 0]
    if len(a) < TUNING.few:
        return Aligned(guess, 0.0, 0)
    homography, agree = cv2.findHomography(a, b, cv2.USAC_MAGSAC, TUNING.agree, maxIters=2000, confidence=0.999)
    if homography is None or agree.sum() < TUNING.few or not _believable(homography, before.shape):
        return Aligned(guess, 0.0, 0)
    missed = np.linalg.norm(cv2.perspectiveTransform(a[:, None], homography)[:, 0] - b, axis=1)
    return Aligned(homography / homography[2, 2], float(np.median(missed)), int(agree.sum()))


def motion_of(matrix: NDArray[np.float64], size: tuple[int, ...]) -> float:
    """The most that a homography moves a corner of the picture, px."""
    corners = _corners(size)
    return float(np.linalg.norm(cv2.perspectiveTransform(corners, matrix) - corners, axis=2).max())


def _corners(size: tuple[int, ...]) -> NDArray[np.float32]:
    height, width = size[:2]
    return np.array([[[0, 0]], [[width, 0]], [[width, height]], [[0, height]]], np.float32)


def _believable(matrix: NDArray[np.float64], size: tuple[int, ...]) -> bool:
    """Between frames of one shot the picture neither flips nor folds."""
    corners = cv2.perspectiveTransform(_corners(size), matrix)[:, 0]
    area = float(cv2.contourArea(corners, oriented=True)) / float(size[0] * size[1])
    return bool(np.isfinite(corners).all()) and cv2.isContourConvex(corners) and 0.25 < abs(area) < 4
