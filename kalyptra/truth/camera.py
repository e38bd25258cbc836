"""A place seen by a camera of which all is known: level ground, a wall far off, posts, and a page at an angle.

For judging what follows the camera or a surface. Like the test bed of motion it has two halves by seed and surface:
what is chosen sees the tune half only. World: metres, x to the right, y down, z ahead; the ground is y = 0.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core import ClipFacts, FootageKind, Picture, Rate, Transfer
from kalyptra.truth.motion import surfaces
from kalyptra.truth.motion.clip import GRAIN, grained, recorded
from kalyptra.truth.motion.scene import HEIGHT, RATE, WIDTH, laid_over, reached

FOCAL = 900.0
"""Px of the picture: an angle of 56 degrees across."""
EYES = 1.6
"""Metres of the camera above the ground."""
Matrix = NDArray[np.float64]


class Move(StrEnum):
    """How the camera moves over the clip. Whoever does not say so holds it by hand, a little."""

    PAN = "pan"
    TILT = "tilt"
    ROLL = "roll"
    HANDHELD = "handheld"
    PUSH = "push"


@dataclass(frozen=True)
class Pose:
    """Where the camera is, metres, and how it is turned: from the world to what it sees, (3, 3)."""

    place: NDArray[np.float64]
    turn: Matrix


def _turned(pan: float, tilt: float, roll: float) -> Matrix:
    """Radians: to the right, down, and clockwise as the picture shows the world."""
    parts = [cv2.Rodrigues(np.array(axis))[0] for axis in ((0.0, 0.0, -roll), (tilt, 0.0, 0.0), (0.0, -pan, 0.0))]
    return np.asarray(parts[0] @ parts[1] @ parts[2])


@dataclass(frozen=True)
class Board:
    """An upright or tilted rectangle: a corner, and its two sides, metres."""

    corner: NDArray[np.float64]
    across: NDArray[np.float64]
    down: NDArray[np.float64]
    face: surfaces.Picture


class CameraClip:
    """A clip of it, as footage.

    Args:
        move: of the camera.
        half: of the surfaces, "tune" or "test".
    """

    def __init__(self, move: Move, half: str = "tune", seed: int = 0, frames: int = 100) -> None:
        self.move, self.frames, self.width = move, frames, WIDTH
        self.facts = ClipFacts(
            kind=FootageKind.SEQUENCE, container="made", codec="made", width=WIDTH, height=HEIGHT,
            rate=Rate(numerator=RATE, denominator=1), frames=frames, transfer=Transfer.SRGB, bits=8,
        )  # fmt: skip
        rng = np.random.default_rng([seed, 18, len(half)])
        self._rng_phase = rng.uniform(0, 2 * np.pi, 12)
        self._sign = float(rng.choice((-1.0, 1.0)))
        self._seed = seed
        self._sky = cv2.GaussianBlur(surfaces.place(rng, half, (700, 1400)), (0, 0), 25)
        self._ground = [surfaces.busy(rng, half, (1024, 1024))]
        for _ in range(6):
            self._ground.append(cv2.resize(self._ground[-1], None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA))
        self.page = Board(
            np.array([-0.15 + rng.uniform(-0.1, 0.1), -1.75, 2.3]), np.array([0.62, 0.02, 0.2]),
            np.array([0.0, 0.5, -0.18]), surfaces.place(rng, half, (500, 640)),
        )  # fmt: skip
        boards = [Board(np.array([-60.0, -14.0, 55.0]), np.array([120.0, 0, 0]), np.array([0, 14.0, 0]),
                        surfaces.place(rng, half, (300, 2400)))]  # fmt: skip
        for z in sorted(rng.uniform(4, 30, 7), reverse=True):
            x, wide, high = rng.uniform(-0.7, 0.7) * z, rng.uniform(0.3, 1.2), rng.uniform(0.9, 3.2)
            face = surfaces.surface(rng, half, tuple(rng.uniform(40, 200, 3)))
            boards.append(Board(np.array([x, -high, z]), np.array([wide, 0, 0]), np.array([0, high, 0]), face))
        self._boards = [*boards, self.page]

    # What a page or a follower asks of footage.

    def picture(self, frame: int) -> Picture:
        return Picture(self._coded[frame], Transfer.SRGB)

    def close(self) -> None:
        pass

    # The truth.

    def pose(self, frame: float) -> Pose:
        """Where the camera is at a frame."""
        s, share, a = frame / RATE, frame / max(1, self.frames - 1), self._rng_phase
        much = 1.0 if self.move is Move.HANDHELD else 0.35
        turn = much * np.array(
            [
                0.012 * np.sin(1.7 * s + a[0]) + 0.002 * np.sin(7 * s + a[1]),
                0.009 * np.sin(2.1 * s + a[2]) + 0.002 * np.sin(8 * s + a[3]),
                0.008 * np.sin(1.3 * s + a[4]),
            ]
        )
        place = much * np.array(
            [0.05 * np.sin(1.1 * s + a[5]), 0.03 * np.sin(2.4 * s + a[6]), 0.05 * np.sin(0.9 * s + a[7])]
        )
        way = self._sign * share
        turn += np.radians(
            {Move.PAN: (14 * way, 0, 0), Move.TILT: (0, 7 * way, 0), Move.ROLL: (0, 0, 12 * way)}.get(
                self.move, (0, 0, 0)
            )
        )
        if self.move is Move.PUSH:
            place = place + np.array([0.1 * way, 0.0, 0.9 * share])
        pan, tilt, roll = turn
        return Pose(np.array([0.0, -EYES, 0.0]) + place, _turned(pan, tilt + np.radians(5), roll))

    def seen(self, frame: float, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """(n, 2) px of (n, 3) places of the world, pixel edges as a setup counts them."""
        pose = self.pose(frame)
        at = (np.atleast_2d(points) - pose.place) @ pose.turn.T
        return np.asarray(at[:, :2] / at[:, 2:] * FOCAL + [WIDTH / 2, HEIGHT / 2])

    def distance(self, frame: float, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """(n,) metres along the camera's axis."""
        pose = self.pose(frame)
        return np.asarray(((np.atleast_2d(points) - pose.place) @ pose.turn.T)[:, 2])

    def corners(self) -> NDArray[np.float64]:
        """(4, 3) of the page, in their order round it."""
        page = self.page
        return np.array([page.corner, page.corner + page.across, page.corner + page.across + page.down,
                         page.corner + page.down])  # fmt: skip

    def horizon(self, frame: float) -> tuple[float, float]:
        """Px from the top to the horizon at the middle column, and its roll, degrees clockwise."""
        pose = self.pose(frame)
        down = pose.turn @ np.array([0.0, 1.0, 0.0])  # n . ray = 0 is the horizon
        a, b, c = down[0], down[1], down[2] * FOCAL
        level = -c / b + HEIGHT / 2
        return float(level), float(np.degrees(np.arctan2(-a, b)))

    # How it is drawn.

    @cached_property
    def _coded(self) -> list[NDArray[np.uint8]]:
        out = []
        for frame in range(self.frames):
            out.append(grained(self._drawn(frame), np.random.default_rng([self._seed, frame]), GRAIN))
        return recorded(out)

    def _drawn(self, frame: int) -> surfaces.Picture:
        pose, (height, width) = self.pose(frame), (HEIGHT, WIDTH)
        y, x = np.mgrid[:height, :width].astype(np.float32)
        rays = np.stack([x + 0.5 - WIDTH / 2, y + 0.5 - HEIGHT / 2, np.full_like(x, FOCAL)], axis=-1)
        rays = np.asarray((rays / np.float32(FOCAL)) @ pose.turn.astype(np.float32), np.float32)
        long = np.arctan2(rays[..., 0], rays[..., 2])
        out = cv2.remap(self._sky, (long + 1) * 700, (rays[..., 1] + 0.7) * 500, cv2.INTER_LINEAR,
                        borderMode=cv2.BORDER_REFLECT_101)  # fmt: skip
        with np.errstate(divide="ignore", invalid="ignore"):
            away = np.where(rays[..., 1] > 1e-4, -pose.place[1] / rays[..., 1], 1e4).astype(np.float32)
        rows = np.flatnonzero((away < 200).any(axis=1))
        if len(rows):
            low = slice(int(rows[0]), height)
            ground = self._ground_at(pose, rays[low], np.minimum(away[low], 200))
            out[low] = np.where((away[low] < 200)[..., None], ground, out[low])
        for board in self._boards:
            self._lay(out, board, pose)
        return np.asarray(out, np.float32)

    def _ground_at(self, pose: Pose, rays: NDArray[Any], away: NDArray[Any]) -> surfaces.Picture:
        """The ground's texture, 120 px a metre, from smaller copies where it is far."""
        place = [np.asarray((pose.place[i] + rays[..., i] * away) * 120, np.float32) for i in (0, 2)]
        blurred = np.clip(np.log2(np.maximum(away / 6, 1)) + 1, 0, 5)
        out = np.zeros((*away.shape, 3), np.float32)
        for i, level in enumerate(self._ground):
            share = np.clip(1 - np.abs(blurred - i), 0, 1).astype(np.float32)
            rows = np.flatnonzero(share.any(axis=1))
            if len(rows):
                band = slice(int(rows[0]), int(rows[-1]) + 1)
                across, ahead = (np.mod(at[band] / 2**i, level.shape[0]).astype(np.float32) for at in place)
                seen = cv2.remap(level, across, ahead, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP)
                out[band] += share[band, :, None] * seen
        return out

    def _lay(self, out: surfaces.Picture, board: Board, pose: Pose) -> None:
        corners = np.array([board.corner, board.corner + board.across, board.corner + board.across + board.down,
                            board.corner + board.down])  # fmt: skip
        at = (corners - pose.place) @ pose.turn.T
        if (at[:, 2] < 0.1).any():
            return
        seen = (at[:, :2] / at[:, 2:] * FOCAL + [WIDTH / 2, HEIGHT / 2]).astype(np.float32)
        face = board.face
        wide = float(np.linalg.norm(seen[1] - seen[0])) / face.shape[1]
        if wide < 1:  # smaller copies, against shimmer
            size = (max(8, round(face.shape[1] * wide)), max(8, round(face.shape[0] * wide)))
            face = cv2.resize(face, size, interpolation=cv2.INTER_AREA)
        high, broad = face.shape[:2]
        own = np.array([[0, 0], [broad, 0], [broad, high], [0, high]], np.float32) - np.float32(0.5)
        cover = np.zeros(out.shape[:2], np.uint8)
        cv2.fillConvexPoly(cover, np.round(seen * 16).astype(np.int32), 255, cv2.LINE_AA, 4)
        window = reached(cover)
        share = cover[window].astype(np.float32) / np.float32(255)
        if not share.size:
            return
        corner = np.array([window[1].start, window[0].start], np.float32)
        matrix = cv2.getPerspectiveTransform(own, seen - corner - np.float32(0.5))
        laid = cv2.warpPerspective(
            face, matrix, share.shape[::-1], flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
        )
        laid_over(out[window], laid, share)
