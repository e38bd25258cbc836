"""Clips made here, with their truth: a figure of five limbs over a moving background, 60 frames of 960 x 540 px.

The pictures that make its surfaces come with scikit-image (their origin is in its data folder's README).
"""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core import Picture, Transfer
from kalyptra.truth.motion.clip import grained

WIDTH, HEIGHT, FRAMES = 960, 540, 60
SIDE = 600
GRAIN = 3.0


class FigureClip(StrEnum):
    """What happens: it turns and scales; bends, too; in the colours of its background; and behind a bar that passes."""

    RIGID = "rigid"
    BENDING = "bending"
    CAMOUFLAGE = "camouflage"
    OCCLUSION = "occlusion"


@dataclass
class MovingFigure:
    """A clip as a source of pictures, with its truth."""

    clip: FigureClip
    facts: Any = None
    frames: int = FRAMES
    _made: dict[int, tuple[NDArray[np.uint8], NDArray[np.float32]]] = field(default_factory=dict)

    def picture(self, frame: int) -> Picture:
        return Picture(self.made(frame)[0], Transfer.SRGB)

    def truth(self, frame: int) -> NDArray[np.float32]:
        return self.made(frame)[1]

    def close(self) -> None:
        pass

    def made(self, frame: int) -> tuple[NDArray[np.uint8], NDArray[np.float32]]:
        if frame not in self._made:
            self._made[frame] = self._make(frame)
        return self._made[frame]

    @cached_property
    def _surfaces(self) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]:
        """Of the figure, of the background, and of the bar."""
        from skimage import data

        left, right, _ = data.stereo_motorcycle()
        if self.clip is FigureClip.CAMOUFLAGE:
            figure, behind = _sized(left, (1100, 750))[80:680, 250:850], _sized(left, (1500, 1000)) * 0.95
        else:
            figure, behind = _sized(data.coffee(), (SIDE, SIDE)), _sized(right, (1500, 1000))
        return np.ascontiguousarray(figure), behind, _sized(data.chelsea(), (700, 700)) * 0.9

    def _make(self, frame: int) -> tuple[NDArray[np.uint8], NDArray[np.float32]]:
        surface, behind, bar = self._surfaces
        u = frame / (FRAMES - 1)
        turn = 2 * np.pi * u
        scale = 0.85 * (1 + 0.18 * np.sin(0.7 * turn))
        motion = cv2.getRotationMatrix2D((SIDE / 2, SIDE / 2), float(12 * np.sin(0.8 * turn)), float(scale))
        motion[:, 2] += [480 + 100 * np.sin(0.9 * turn) - SIDE / 2, 285 + 20 * np.sin(1.2 * turn) - SIDE / 2]
        shape = _figure()
        if self.clip is not FigureClip.RIGID:
            y, x = np.mgrid[0:SIDE, 0:SIDE].astype(np.float32)
            along = x + 16 * np.sin(frame * 0.16 + y / 110) * np.clip(np.abs(y - 300) / 200, 0, 1)
            up = y + 14.4 * np.sin(frame * 0.2) * np.clip((x - 300) / 120, -1.2, 1.2)
            along, up = along.astype(np.float32), up.astype(np.float32)
            shape = cv2.remap(shape, along, up, cv2.INTER_LINEAR)
            surface = cv2.remap(surface, along, up, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
        size = (WIDTH, HEIGHT)
        matte = cv2.warpAffine(shape, motion, size)
        front = cv2.warpAffine(surface, motion, size, borderMode=cv2.BORDER_REFLECT)
        away = np.array([[1, 0, -250 - 60 * np.sin(0.6 * turn + 1)], [0, 1, -200 - 30 * np.cos(0.7 * turn)]])
        back = cv2.warpAffine(behind, away, size, borderMode=cv2.BORDER_REFLECT)
        back = cv2.GaussianBlur(back, (0, 0), 1.0)
        codes = front * matte[..., None] + back * (1 - matte[..., None])
        if self.clip is FigureClip.OCCLUSION:
            left = 1050 - 20 * frame
            a, b = max(0, left), min(WIDTH, left + 110)
            if b > a:
                codes[:, a:b], matte[:, a:b] = bar[:HEIGHT, a - left : b - left], 0
        lit = codes * (1 + 0.06 * np.sin(1.5 * turn))
        return grained(lit, np.random.default_rng(frame), GRAIN), np.clip(matte, 0, 1).astype(np.float32)


def _sized(picture: NDArray[Any], size: tuple[int, int]) -> NDArray[np.float32]:
    large = cv2.resize(picture, size, interpolation=cv2.INTER_CUBIC).astype(np.float32)
    return np.asarray(np.clip(large, 0, 255), np.float32)


def _figure() -> NDArray[np.float32]:
    """Head, trunk, arms and legs, drawn at twice the size."""
    out = np.zeros((2 * SIDE, 2 * SIDE), np.uint8)

    def limb(x: float, y: float, angle: float, long: float, thick: int) -> None:
        end = (int(2 * (x + np.sin(angle) * long)), int(2 * (y + np.cos(angle) * long)))
        cv2.line(out, (int(2 * x), int(2 * y)), end, 255, thick, cv2.LINE_AA)

    cv2.ellipse(out, (600, 280), (96, 120), 0, 0, 360, 255, -1, cv2.LINE_AA)
    cv2.ellipse(out, (600, 600), (150, 230), 0, 0, 360, 255, -1, cv2.LINE_AA)
    for side in (-1, 1):
        limb(300 + 60 * side, 225, 0.9 * side, 130, 68)
        limb(300 + 35 * side, 390, 0.15 * side, 150, 84)
    small = cv2.resize(out, (SIDE, SIDE), interpolation=cv2.INTER_AREA)
    return np.asarray(small.astype(np.float32) / np.float32(255))
