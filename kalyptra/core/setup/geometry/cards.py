"""A flat card in space as a pinhole sees it.

Source: R. Hartley and A. Zisserman, Multiple View Geometry in Computer Vision, 2nd edition, 2004, chapters 6 and 8.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kalyptra.core.setup.geometry.planes import XY, Camera, Matrix, PlaneAt

CLOSEST = 0.01
"""Metres before the camera that all of a card must be."""


@dataclass(frozen=True)
class CardSeen:
    """A card as it is seen.

    Attributes:
        matrix: the nine numbers of the map from px of the card's picture to px of the source.
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


@dataclass(frozen=True)
class Placed:
    """Something in the world.

    Attributes:
        turn: (3, 3) from its own axes to the world's.
        at: (3,) where it is, metres: a card's middle, or where a camera stands.
    """

    turn: Matrix
    at: Matrix


@dataclass(frozen=True)
class Pose:
    """Where a card's middle is, and how it is turned, by the numbers of a setup.

    Attributes:
        turn, tilt, roll: degrees.
        across, up, distance: metres.
    """

    turn: float
    tilt: float
    roll: float
    across: float
    up: float
    distance: float

    @property
    def placed(self) -> Placed:
        turn = turned_by(self.turn, self.tilt, self.roll)
        return Placed(turn, np.array([self.across, -self.up, self.distance]))


def corners_in_space(card: Placed, width: float, size: tuple[float, float]) -> Matrix:
    """A card's corners, (3, 4) metres, in their order round it from the upper left one.

    Args:
        width: of the card, metres.
        size: (width, height) of its picture, in whatever unit.
    """
    half, high = width / 2, width / 2 * size[1] / size[0]
    own = np.array([[-half, half, half, -half], [-high, -high, high, high], [0, 0, 0, 0.0]])
    return np.asarray(card.turn @ own + card.at[:, None])


def seen_card(camera: Camera, width: float, size: tuple[float, float], card: Placed, own: Placed) -> CardSeen | None:
    """A card as a camera sees it; None where part of it is beside or behind the camera.

    Args:
        camera: with its focal length, px.
        width: of the card, metres.
        size: (width, height) of its picture, px.
        card: its middle, and how it is turned.
        own: where the camera stands, and where it looks.
    """
    cx, cy = camera.middle
    inner = np.array([[camera.focal, 0, cx], [0, camera.focal, cy], [0, 0, 1.0]])
    wide, high = size
    pixel = width / wide
    laid = np.array([[pixel, 0, -wide / 2 * pixel], [0, pixel, -high / 2 * pixel], [0, 0, 1.0]])
    axes = own.turn.T @ card.turn
    away = own.turn.T @ (card.at - own.at)
    placed = np.column_stack([axes[:, 0], axes[:, 1], away]) @ laid
    ends = placed @ np.array([[0, wide, wide, 0], [0, 0, high, high], [1, 1, 1, 1.0]])
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


def fitted_pose(
    camera: Camera, width: float, size: tuple[float, float], own: Placed, start: Pose, corners: Sequence[XY],
    weights: Sequence[float],
) -> Pose:  # fmt: skip
    """The pose at which a card's corners are seen as near as they can be to where they should be: four places ask for
    eight numbers, and a pose has six.

    Args:
        camera, width, size, own: as of `seen_card`.
        start: the pose to begin from; of two that fit, the nearer one is found.
        corners: px of the source, round it from the upper left one.
        weights: how much each corner counts.

    Source: Levenberg-Marquardt on the distances in the picture, as Hartley and Zisserman, section 7.2.
    """
    from scipy.optimize import least_squares

    wanted, heavy = np.array(corners, float), np.sqrt(np.array(weights, float))[:, None]
    inner = np.array([[camera.focal, 0, camera.middle[0]], [0, camera.focal, camera.middle[1]], [0, 0, 1.0]])
    # Degrees, and metres beside the distance: steps of about one size.
    unit = np.array([20.0, 20.0, 20.0, start.distance, start.distance, start.distance])

    def errors(numbers: Matrix) -> Matrix:
        placed = Pose(*(numbers * unit)).placed
        x, y, z = inner @ own.turn.T @ (corners_in_space(placed, width, size) - own.at[:, None])
        z = np.maximum(z, CLOSEST)
        return np.asarray(((np.column_stack([x / z, y / z]) - wanted) * heavy).ravel())

    begun = np.array([start.turn, start.tilt, start.roll, start.across, start.up, start.distance]) / unit
    solved = least_squares(errors, begun, method="lm", max_nfev=400)
    return Pose(*(float(number) for number in solved.x * unit))
