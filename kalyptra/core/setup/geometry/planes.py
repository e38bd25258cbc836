"""Planes of the scene as they are seen: over a flat thing 1/z = a x + b y + c, x and y in px of the source.

Coordinates are those of pixel edges: the middle of the top left pixel is 0.5, 0.5. The camera is a pinhole whose axis
goes through the picture's middle; z is along that axis.

Source: R. Hartley and A. Zisserman, Multiple View Geometry in Computer Vision, 2nd edition, 2004, chapters 2, 6 and 8.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Matrix = NDArray[np.float64]
XY = tuple[float, float]
PARALLEL = 1e-6
"""Px^2; pins that span less area than this lie on a line."""


@dataclass(frozen=True)
class Camera:
    """The pinhole that took the footage.

    Attributes:
        width, height: px of the source.
        focal: focal length in px of the source.
    """

    width: int
    height: int
    focal: float

    @classmethod
    def seeing(cls, size: tuple[int, int], angle: float) -> Camera:
        """A camera of some angle of view across, degrees; size is (width, height)."""
        return cls(*size, size[0] / 2 / math.tan(math.radians(angle) / 2))

    @property
    def middle(self) -> XY:
        return self.width / 2, self.height / 2


@dataclass(frozen=True)
class PlaneAt:
    """1/z = a x + b y + c; where that is below 0 it is infinitely far."""

    a: float
    b: float
    c: float

    def dioptres(self, x: float, y: float) -> float:
        return max(0.0, self.a * x + self.b * y + self.c)


def through_pins(pins: Sequence[tuple[XY, float]]) -> PlaneAt:
    """The plane through pins: places, and their distances in metres.

    With two pins, or three on one line, 1/z changes along the line from the first to the last and not across it.
    """
    places = np.array([place for place, _ in pins], float)
    inverse = np.array([1 / distance for _, distance in pins])
    if len(pins) == 3:
        system = np.column_stack([places, np.ones(3)])
        if abs(np.linalg.det(system)) > PARALLEL:
            a, b, c = np.linalg.solve(system, inverse)
            return PlaneAt(float(a), float(b), float(c))
    way = places[-1] - places[0]
    long = float(way @ way)
    if long <= 0:
        return PlaneAt(0.0, 0.0, float(inverse[0]))
    a, b = way * (inverse[-1] - inverse[0]) / long
    return PlaneAt(float(a), float(b), float(inverse[0] - a * places[0, 0] - b * places[0, 1]))


def ground(camera: Camera, horizon: float, roll: float, height: float) -> PlaneAt:
    """Level ground.

    Args:
        horizon: px from the top of the picture to the horizon at the middle column.
        roll: degrees by which the horizon is turned, clockwise.
        height: metres of the camera above the ground.
    """
    # A camera that looks down by t has its horizon tan(t) focal lengths above the middle. A point y below the horizon
    # on the ground is at 1/z = cos(t) y / (focal height).
    cx, cy = camera.middle
    turn = math.radians(roll)
    down = (-math.sin(turn), math.cos(turn))
    above = (cy - horizon) * down[1]
    slope = math.cos(math.atan2(above, camera.focal)) / (camera.focal * height)
    a, b = slope * down[0], slope * down[1]
    return PlaneAt(a, b, -(a * cx + b * horizon))


def of_rectangle(camera: Camera, corners: Sequence[XY], width: float) -> PlaneAt:
    """The plane of a rectangle whose corners are seen.

    Args:
        corners: in their order round it, px of the source.
        width: metres from the first to the second corner.

    Raises:
        ValueError: the corners are those of no rectangle that is seen from the front.
    """
    seen = homography([(0, 0), (1, 0), (1, 1), (0, 1)], corners)
    inner = np.array([[camera.focal, 0, camera.middle[0]], [0, camera.focal, camera.middle[1]], [0, 0, 1.0]])
    across, along, corner = (np.linalg.inv(inner) @ seen).T
    scale = width / float(np.linalg.norm(across))
    normal = np.cross(across, along)
    away = float(normal @ corner) * scale
    if not math.isfinite(away) or abs(away) < 1e-12:
        raise ValueError("the four corners make no surface that can be seen")
    a, b, c = (normal @ np.linalg.inv(inner)) / away
    return PlaneAt(float(a), float(b), float(c))


def homography(before: Sequence[XY], after: Sequence[XY]) -> Matrix:
    """The map of the plane that takes four places to four others, (3, 3) with a last element of 1.

    Raises:
        ValueError: three of the places lie on a line.
    """
    rows, right = [], []
    for (x, y), (u, v) in zip(before, after, strict=True):
        rows += [[x, y, 1, 0, 0, 0, -u * x, -u * y], [0, 0, 0, x, y, 1, -v * x, -v * y]]
        right += [u, v]
    try:
        solved = np.linalg.solve(np.array(rows, float), np.array(right, float))
    except np.linalg.LinAlgError as error:
        raise ValueError("three of the four corners lie on a line") from error
    return np.append(solved, 1.0).reshape(3, 3)
