"""A flat card in space as a pinhole sees it.

Source: R. Hartley and A. Zisserman, Multiple View Geometry in Computer Vision, 2nd edition, 2004, chapters 6 and 8.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from kalyptra.core.setup.geometry.planes import XY, Camera, Matrix, PlaneAt

CLOSEST = 0.01
"""Metres before the camera that all of a card must be."""


@dataclass(frozen=True)
class CardSeen:
    """A card as it is seen.

    Attributes:
        matrix: the nine numbers of the map from the card's picture to what is seen, both in px of the source.
        plane: its distances over what is seen.
        corners: where its corners are seen, in their order round it from the upper left one.
        nearest, farthest: metres of its corners.
    """

    matrix: tuple[float, ...]
    plane: PlaneAt
    corners: tuple[XY, ...]
    nearest: float
    farthest: float


def turned_by(yaw: float, pitch: float, roll: float) -> Matrix:
    """A turn: first clockwise by `roll`, then the upper side away by `pitch`, then the right side away by `yaw`;
    degrees. From a card's own axes to the world's (x to the right, y down, z ahead)."""
    a, b, c = (math.radians(angle) for angle in (yaw, pitch, roll))
    about_y = np.array([[math.cos(a), 0, -math.sin(a)], [0, 1, 0], [math.sin(a), 0, math.cos(a)]])
    about_x = np.array([[1, 0, 0], [0, math.cos(b), math.sin(b)], [0, -math.sin(b), math.cos(b)]])
    about_z = np.array([[math.cos(c), -math.sin(c), 0], [math.sin(c), math.cos(c), 0], [0, 0, 1]])
    return np.asarray(about_y @ about_x @ about_z)


def seen_card(
    camera: Camera, width: float, turn: Matrix, middle: Matrix, looks: Matrix, stands: Matrix
) -> CardSeen | None:
    """A card as a camera sees it; None where part of it is beside or behind the camera.

    Args:
        camera: with its focal length, px.
        width: of the card, metres; it has the picture's proportions.
        turn: (3, 3) from the card's axes to the world's.
        middle: (3,) its middle, metres.
        looks: (3, 3) from the camera's axes to the world's.
        stands: (3,) where the camera is, metres.
    """
    cx, cy = camera.middle
    inner = np.array([[camera.focal, 0, cx], [0, camera.focal, cy], [0, 0, 1.0]])
    pixel = width / camera.width
    own = np.array([[pixel, 0, -cx * pixel], [0, pixel, -cy * pixel], [0, 0, 1.0]])
    axes = looks.T @ turn
    away = looks.T @ (middle - stands)
    placed = np.column_stack([axes[:, 0], axes[:, 1], away]) @ own
    ends = placed @ np.array([[0, camera.width, camera.width, 0], [0, 0, camera.height, camera.height], [1, 1, 1, 1.0]])
    if (ends[2] < CLOSEST).any():
        return None
    normal, reach = axes[:, 2], float(axes[:, 2] @ away)
    if abs(reach) < 1e-9:
        return None  # seen from its very edge
    a, b, c = (normal @ np.linalg.inv(inner)) / reach
    matrix = inner @ placed
    seen = inner @ ends
    corners = tuple((float(x / z), float(y / z)) for x, y, z in seen.T)
    return CardSeen(
        tuple(float(v) for v in (matrix / matrix[2, 2]).ravel()), PlaneAt(float(a), float(b), float(c)), corners,
        float(ends[2].min()), float(ends[2].max()),
    )  # fmt: skip
