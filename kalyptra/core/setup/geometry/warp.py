"""Perspective maps of the plane, as eight numbers in a document and as 3x3 matrices where one works with them."""

from __future__ import annotations

import math
from typing import Annotated, Any

import numpy as np
from numpy.typing import NDArray
from pydantic import AfterValidator

WarpNumbers = tuple[float, float, float, float, float, float, float, float]
Matrix = NDArray[np.float64]
"""(3, 3), scaled so that the last number is 1."""

UNMOVED: WarpNumbers = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0)


def matrix_of(numbers: WarpNumbers) -> Matrix:
    return np.array([*numbers, 1.0]).reshape(3, 3)


def _side_up(numbers: WarpNumbers) -> WarpNumbers:
    if np.linalg.det(matrix_of(numbers)) <= 1e-9:
        raise ValueError("a placement must neither flatten an outline nor turn it over")
    return numbers


Warp = Annotated[WarpNumbers, AfterValidator(_side_up)]
"""x' = (a x + b y + c) / (g x + h y + 1), y' = (d x + e y + f) / (g x + h y + 1), as (a, b, c, d, e, f, g, h)."""


def numbers_of(matrix: Matrix) -> WarpNumbers:
    """The eight numbers, rounded to what a picture of 8192 px can show."""
    a, b, c, d, e, f, g, h, _ = (matrix / matrix[2, 2]).ravel().tolist()
    return (round(a, 8), round(b, 8), round(c, 4), round(d, 8), round(e, 8), round(f, 4), round(g, 11), round(h, 11))


def inverse(matrix: Matrix) -> Matrix:
    back = np.linalg.inv(matrix)
    return np.asarray(back / back[2, 2], np.float64)


def mapped(matrix: Matrix, points: NDArray[Any]) -> NDArray[Any]:
    """Points (..., 2) carried along by a map, in the precision they have."""
    matrix = matrix.astype(points.dtype)
    x, y = points[..., 0], points[..., 1]
    w = matrix[2, 0] * x + matrix[2, 1] * y + matrix[2, 2]
    out = np.empty_like(points)
    out[..., 0] = (matrix[0, 0] * x + matrix[0, 1] * y + matrix[0, 2]) / w
    out[..., 1] = (matrix[1, 0] * x + matrix[1, 1] * y + matrix[1, 2]) / w
    return out


def share_of(matrix: Matrix, share: float, centre: NDArray[np.float64]) -> Matrix:
    """A share of a map: nothing of it at 0, all of it at 1.

    The centre goes straight to where it is mapped, a turn goes evenly by its angle and a change of size evenly by its
    ratio; so an object that is turned by two keys keeps its size between them.

    Args:
        centre: (2,) the point around which the map is taken apart.
    """
    if share in (0.0, 1.0):
        return matrix.copy() if share else np.eye(3)
    to_centre = np.eye(3)
    to_centre[:2, 2] = -centre
    back = np.eye(3)
    back[:2, 2] = centre
    here = to_centre @ matrix @ back
    here /= here[2, 2]
    move = here[:2, 2].copy()
    perspective = here[2, :2].copy()
    flat = here[:2, :2] - np.outer(move, perspective)
    # Polar decomposition: a turn, and a stretch along two axes.
    turn = math.atan2(flat[1, 0] - flat[0, 1], flat[0, 0] + flat[1, 1])
    ratios, axes = np.linalg.eigh(_rotation(-turn) @ flat)
    stretch = (axes * np.maximum(ratios, 1e-9) ** share) @ axes.T
    part = np.eye(3)
    part[:2, :2] = _rotation(turn * share) @ stretch + np.outer(move, perspective) * share**2
    part[:2, 2] = move * share
    part[2, :2] = perspective * share
    whole = back @ part @ to_centre
    return np.asarray(whole / whole[2, 2])


def _rotation(angle: float) -> NDArray[np.float64]:
    c, s = math.cos(angle), math.sin(angle)
    return np.array([[c, -s], [s, c]])


def similarity_between(a: NDArray[np.float64], b: NDArray[np.float64]) -> Matrix:
    """The move, turn and scale that bring points a (n, 2) closest to points b.

    Source: Umeyama, Least-squares estimation of transformation parameters between two point patterns, PAMI 1991; in the
    plane without mirroring it has this closed form in complex numbers.
    """
    za, zb = a[:, 0] + 1j * a[:, 1], b[:, 0] + 1j * b[:, 1]
    ma, mb = za.mean(), zb.mean()
    spread = float((abs(za - ma) ** 2).sum())
    ratio = complex(((zb - mb) * (za - ma).conj()).sum() / spread) if spread > 0 else 1.0 + 0.0j
    move = mb - ratio * ma
    return np.array([[ratio.real, -ratio.imag, move.real], [ratio.imag, ratio.real, move.imag], [0, 0, 1]])
