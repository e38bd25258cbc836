"""The motion that most tracked points agree on."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.setup.document.followed import Motion
from kalyptra.core.setup.geometry.warp import Matrix

AGREE = 2.0
"""Px by which a point may miss the motion that it is said to follow."""
LARGE, MANY = 60, 16
"""Px across and corners from which on perspective can be told from a turn."""


def fit_motion(
    kind: Motion, before: NDArray[np.float64], after: NDArray[np.float64]
) -> tuple[Matrix, NDArray[np.bool_]]:
    """Fit a motion to points, leaving out those that go another way.

    Source: Fischler and Bolles, Random sample consensus, CACM 1981; OpenCV's estimators refine on those that agree.

    Args:
        kind: how much may change; a free outline has a move, turn and scale in common.
        before, after: (n, 2) px.

    Returns:
        The motion, and which points follow it. Without enough points it is no motion, and none.
    """
    count = len(before)
    nothing = np.eye(3), np.zeros(count, bool)
    if count == 0:
        return nothing
    if kind is Motion.POSITION or count < 3:
        matrix = np.eye(3)
        matrix[:2, 2] = np.median(after - before, axis=0)
        agree = np.linalg.norm(after - before - matrix[:2, 2], axis=1) < AGREE
        if agree.any():
            matrix[:2, 2] = (after - before)[agree].mean(axis=0)
        return matrix, agree
    affine, seen = cv2.estimateAffinePartial2D(before, after, ransacReprojThreshold=AGREE)
    if affine is None:
        return nothing
    matrix, agree = np.vstack([affine, [0.0, 0.0, 1.0]]), seen[:, 0] == 1
    large = np.ptp(before, axis=0).min() >= LARGE and count >= MANY
    if kind is Motion.PERSPECTIVE and large:
        affine, seen = cv2.findHomography(before, after, cv2.RANSAC, AGREE)
        if affine is not None and seen.sum() >= agree.sum() and _believable(affine, before):
            return affine / affine[2, 2], seen[:, 0] == 1
    return (matrix, agree) if _believable(matrix, before) else nothing


def _believable(matrix: Matrix, points: NDArray[np.float64]) -> bool:
    """Between two frames nothing doubles, halves or swings round: asked at the corners of the points' box."""
    low, high = points.min(axis=0), points.max(axis=0)
    corners = np.array([low, [high[0], low[1]], high, [low[0], high[1]]])
    depth = corners @ matrix[2, :2] + matrix[2, 2]
    if not np.isfinite(matrix).all() or (np.abs(depth / depth.mean() - 1) > 0.1).any():
        return False
    growth = np.linalg.det(matrix) / depth**3
    return bool((growth > 0.5).all() and (growth < 2.0).all())
