"""A perspective map that was found roughly, fitted once more so that points that miss it count for less.

RANSAC counts all points that miss by less than a limit alike; where there are few, one that misses by nearly as much
bends the map far from them.

Sources: R. Hartley and A. Zisserman, Multiple View Geometry in Computer Vision, 2nd edition, 2004, chapter 4 (points
moved and scaled first; the geometric error); P. J. Huber and E. M. Ronchetti, Robust Statistics, 2009 (weighing anew).
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.setup.geometry.warp import Matrix

AGREE = 0.25
"""Px from which on a point that misses counts for less (Cauchy's weights); chosen on the camera's tune half."""
ROUNDS = 5


def refined_homography(matrix: Matrix, before: NDArray[Any], after: NDArray[Any]) -> Matrix:
    """Fit a map again, starting from itself.

    Args:
        matrix: (3, 3), roughly.
        before, after: (n, 2) px, at least 5.

    Returns:
        (3, 3) with a last element of 1; the one that was given where the points do not tell one.
    """
    middle, size = before.mean(axis=0), float(before.std())
    if size < 1e-6 or len(before) < 5:
        return matrix
    smaller = np.array([[1 / size, 0, -middle[0] / size], [0, 1 / size, -middle[1] / size], [0, 0, 1.0]])
    larger = np.linalg.inv(smaller)
    x, y = ((before - middle) / size).T
    goal = (after - middle) / size
    now = smaller @ matrix @ larger
    now = now / now[2, 2]
    zeros, ones = np.zeros(len(x)), np.ones(len(x))
    for _ in range(ROUNDS):
        u, v, z = now @ np.stack([x, y, ones])
        u, v = u / z, v / z
        slopes = np.stack([
            np.concatenate(pair)
            for pair in ((x / z, zeros), (y / z, zeros), (ones / z, zeros),
                         (zeros, x / z), (zeros, y / z), (zeros, ones / z),
                         (-u * x / z, -v * x / z), (-u * y / z, -v * y / z))
        ])  # fmt: skip
        missed = np.concatenate([goal[:, 0] - u, goal[:, 1] - v])
        away = np.hypot(*missed.reshape(2, -1)) * size
        weighed = np.tile(1 / (1 + (away / AGREE) ** 2), 2)
        normal = (slopes * weighed) @ slopes.T + 1e-9 * np.eye(8)
        now = now + np.append(np.linalg.solve(normal, (slopes * weighed) @ missed), 0.0).reshape(3, 3)
    whole = larger @ now @ smaller
    return np.asarray(whole / whole[2, 2]) if np.isfinite(whole).all() else matrix
