"""How the camera turned, from what is far and from the ground: one step of following a ground's horizon.

Corners are looked for again in each frame where the motion so far expects them, from a reference frame and not from
the frame before, so that errors do not add up. What lies above the horizon is taken to be far, what lies below to be on
the ground; whatever is neither (posts, walls nearby, people) disagrees and counts for little.

Sources: as `corners.py`; P. J. Huber and E. M. Ronchetti, Robust Statistics, 2009, for least squares that are weighed
anew (with Cauchy's weights).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.register.corner_flow import there_and_back
from kalyptra.core.setup.geometry.planes import Camera, Matrix, PlaneAt

Points = NDArray[np.float64]
"""(n, 2) px."""


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the tune half of the camera's clips, where no source is named."""

    cells: tuple[int, int] = (5, 8)
    """Rows and columns of the picture that each give corners of their own, so that none prevails."""
    corners: int = 6
    """Of each cell."""
    window: int = 19
    levels: int = 2
    back: float = 0.8
    """Px by which a corner that is tracked there and back may miss itself."""
    agree: float = 0.8
    """Px from which on a corner that disagrees counts for less."""
    rounds: int = 8
    few: int = 10
    least: float = 0.55
    """Share of the reference's corners that must agree; with less the frame becomes the reference."""
    below: float = 4.0
    """Px below the horizon from which on a corner may lie on the ground."""
    far: float = 0.04
    """Dioptres that what is above the horizon commonly has; nearer things have to show it."""
    noise: float = 0.3
    """Px by which a corner is commonly tracked amiss."""
    hold: float = 0.02
    """How far the camera's way is held back where nothing tells it, as px for a metre at one metre."""


TUNING = Tuning()


@dataclass(frozen=True)
class _Reference:
    """A frame that corners are looked for from.

    Attributes:
        points: (n, 2) px, its corners; rays: (n, 3) toward them, of depth 1.
        below: (n,) whether they may lie on the ground.
        near: (n,) 1/m; of those below as the ground says, of the others as each frame makes likely.
        before: the camera's turn up to it.
    """

    picture: NDArray[np.uint8]
    points: Points
    rays: NDArray[np.float64]
    below: NDArray[np.bool_]
    near: NDArray[np.float64]
    before: Matrix


class CameraTurn:
    """The camera as it is followed from a key.

    Args:
        picture: (height, width) grey codes of the key's frame.
        free: (height, width) 1 where no subject is.
        camera: with its focal length in px of the picture.
        ground: the ground's plane there, in px of the picture.
    """

    def __init__(self, picture: NDArray[np.uint8], free: NDArray[np.uint8], camera: Camera, ground: PlaneAt) -> None:
        self._camera = camera
        cx, cy = camera.middle
        # 1/z of the ground is this times a ray of depth 1, in the key's frame.
        self._ground = np.array(
            [ground.a * camera.focal, ground.b * camera.focal, ground.a * cx + ground.b * cy + ground.c]
        )
        self.turn: Matrix = np.eye(3)
        self._since, self._speed = np.zeros(6), np.zeros(6)
        self._reference = self._referred(picture, free)

    def step(self, picture: NDArray[np.uint8], free: NDArray[np.uint8]) -> float:
        """Follow to the next frame; how far that can be trusted, 0 to 1. `turn` is that from the key's frame then."""
        expected = self._since + self._speed
        there, good = self._looked_for(picture, free, expected)
        motion, share = expected, 0.0
        if good.sum() >= TUNING.few:
            motion, weights = self._fitted(there, good, expected)
            share = float((weights > 0.5).sum() / len(weights))
        self._since, self._speed = motion, motion - self._since
        self.turn = _rotation(self._since[:3]) @ self._reference.before
        if share and share < TUNING.least:
            self._reference, self._since = self._referred(picture, free), np.zeros(6)
        return min(1.0, share / TUNING.least)

    def _referred(self, picture: NDArray[np.uint8], free: NDArray[np.uint8]) -> _Reference:
        """A frame as the reference, with the ground as it sees it: turned along, at a height that is taken to stay."""
        points, camera = _corners(picture, free), self._camera
        rays = np.column_stack([(points - camera.middle) / camera.focal, np.ones(len(points))])
        normal = self.turn @ self._ground
        down = rays @ normal
        below = down > TUNING.below / camera.focal * np.linalg.norm(normal)
        return _Reference(picture, points, rays, below, np.where(below, down, 0.0), self.turn)

    def _seen(self, motion: NDArray[np.float64]) -> Points:
        """Where the reference's corners are after a motion: three numbers of a turn, radians, and three of a way."""
        at = self._reference.rays @ _rotation(motion[:3]).T + self._reference.near[:, None] * motion[3:]
        depth = np.maximum(at[:, 2:], 1e-3)
        return np.asarray(at[:, :2] / depth * self._camera.focal + self._camera.middle)

    def _looked_for(
        self, picture: NDArray[np.uint8], free: NDArray[np.uint8], expected: NDArray[np.float64]
    ) -> tuple[Points, NDArray[np.bool_]]:
        start = self._reference.points.astype(np.float32).reshape(-1, 1, 2) - np.float32(0.5)
        if len(start) == 0:
            return self._reference.points, np.zeros(0, bool)
        guess = self._seen(expected).astype(np.float32).reshape(-1, 1, 2) - np.float32(0.5)
        window = TUNING.window, TUNING.window
        there, good = there_and_back(self._reference.picture, picture, start, guess, window, TUNING.levels, TUNING.back)
        at = np.asarray(there[:, 0], np.float64) + 0.5
        height, width = picture.shape
        good &= ((at > 2) & (at < [width - 2, height - 2])).all(axis=1)
        inside = np.clip(at.astype(int), 0, [width - 1, height - 1])
        return at, good & (free[inside[:, 1], inside[:, 0]] > 0)

    def _fitted(
        self, there: Points, good: NDArray[np.bool_], start: NDArray[np.float64]
    ) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """The motion that most corners agree on, and each corner's weight, 0 to 1."""
        motion, scale = start.copy(), 8.0
        hold = np.concatenate([np.full(3, 1e-6), np.full(3, TUNING.hold * self._camera.focal)]) ** 2
        weights = np.zeros(len(there))
        near, far = self._reference.near, ~self._reference.below
        for _ in range(TUNING.rounds):
            near[far] = self._nearness(there, motion)[far]
            seen = self._seen(motion)
            amiss = (there - seen)[good]
            weighed = 1 / (1 + (np.linalg.norm(amiss, axis=1) / scale) ** 2)
            slopes = np.empty((6, int(good.sum()), 2))
            for i in range(6):
                nudge = np.zeros(6)
                nudge[i] = 1e-5
                slopes[i] = (self._seen(motion + nudge) - seen)[good] / 1e-5
            flat = slopes.reshape(6, -1)
            both = np.repeat(weighed, 2)
            normal = (flat * both) @ flat.T + np.diag(hold)
            motion = motion + np.linalg.solve(normal, (flat * both) @ amiss.reshape(-1) - hold * (motion - start))
            scale = max(TUNING.agree, scale / 2)
            weights[:] = 0
            weights[good] = weighed
        return motion, weights

    def _nearness(self, there: Points, motion: NDArray[np.float64]) -> NDArray[np.float64]:
        """1/m that best explains where each corner is after a motion."""
        rays = self._reference.rays @ _rotation(motion[:3]).T
        depth = np.maximum(rays[:, 2:], 1e-3)
        flat = rays[:, :2] / depth
        along = (motion[3:5] - flat * motion[5]) / depth * self._camera.focal  # px a dioptre
        amiss = there - (flat * self._camera.focal + self._camera.middle)
        told = (amiss * along).sum(axis=1) / ((along**2).sum(axis=1) + (TUNING.noise / TUNING.far) ** 2)
        return np.asarray(np.clip(told, 0.0, 0.5))


def _corners(picture: NDArray[np.uint8], free: NDArray[np.uint8]) -> Points:
    """Corners of a picture where it is free, spread over it."""
    out = []
    height, width = picture.shape
    rows, columns = TUNING.cells
    for top, bottom in zip(*_ends(height, rows), strict=True):
        for left, right in zip(*_ends(width, columns), strict=True):
            part, mask = picture[top:bottom, left:right], free[top:bottom, left:right]
            corners = cv2.goodFeaturesToTrack(part, TUNING.corners, 0.02, 6, mask=mask, blockSize=5)
            if corners is not None:
                out.append(corners[:, 0] + [left + 0.5, top + 0.5])
    return np.concatenate(out) if out else np.zeros((0, 2))


def _ends(length: int, parts: int) -> tuple[list[int], list[int]]:
    at = [length * i // parts for i in range(parts + 1)]
    return at[:-1], at[1:]


def _rotation(turn: NDArray[np.float64]) -> Matrix:
    return np.asarray(cv2.Rodrigues(turn)[0])
