"""Vectors known at some points, spread smoothly over others."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled


def spread(
    at: NDArray[np.float64], points: NDArray[np.float64], vectors: NDArray[np.float64], weights: NDArray[np.float64],
    width: float, rest: float,
) -> NDArray[np.float64]:  # fmt: skip
    """The mean of nearby vectors, weighted by a Gaussian of their distance; far from all of them, nothing.

    Source: Nadaraya, On estimating regression, 1964, with a weight at rest that pulls towards no motion.

    Args:
        at: (m, 2) where to evaluate.
        points, vectors, weights: (n, 2), (n, 2) and (n,).
        width: standard deviation of the Gaussian, px.
        rest: the weight of standing still.

    Returns:
        (m, 2).
    """
    out = np.zeros((len(at), 2))
    if len(points):
        at, points, vectors, weights = (
            np.ascontiguousarray(part, np.float64) for part in (at, points, vectors, weights)
        )
        _spread(at, points, vectors, weights, 0.5 / width**2, rest, out)
    return out


@compiled
def _spread(at, points, vectors, weights, steep, rest, out):  # type: ignore[no-untyped-def]
    for i in range(len(at)):
        total, x, y = rest, 0.0, 0.0
        for k in range(len(points)):
            square = (at[i, 0] - points[k, 0]) ** 2 + (at[i, 1] - points[k, 1]) ** 2
            fall = square * steep
            if fall < 12.0:
                weight = weights[k] * np.exp(-fall)
                total += weight
                x += weight * vectors[k, 0]
                y += weight * vectors[k, 1]
        if total > 0:
            out[i, 0], out[i, 1] = x / total, y / total
