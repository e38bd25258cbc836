"""Made clips of something that moves over something else, with its truth: for following."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.reader import Picture
from kalyptra.core.matte.drawn import outline_matte
from kalyptra.core.setup.document.setup import Refine
from kalyptra.core.setup.geometry.curve import Curve
from kalyptra.core.setup.geometry.fit import fit_closed
from kalyptra.core.setup.geometry.warp import Matrix, mapped
from kalyptra.truth.motion.clip import grained

SIZE = (270, 480)


def texture(seed: int, size: tuple[int, int], colour: tuple[float, float, float]) -> NDArray[np.float32]:
    """Soft coloured noise of several widths."""
    chance = np.random.default_rng(seed)
    total = np.zeros((*size, 3), np.float32)
    for width in (1.5, 4, 12):
        noise = chance.normal(0, 1, (*size, 3)).astype(np.float32)
        noise = cv2.GaussianBlur(noise, (0, 0), width)
        total += noise / noise.std() * 14
    return np.clip(total + np.float32(colour) * 255, 0, 255)


def curve(seed: int = 5) -> Curve:
    """A bulging line around the middle of the picture's left half."""
    chance = np.random.default_rng(seed)
    turn = np.linspace(0, 2 * np.pi, 180, endpoint=False)
    away = 48 + 7 * np.sin(3 * turn + chance.random()) + 5 * np.sin(5 * turn)
    return fit_closed(np.stack([150 + away * np.cos(turn), 135 + away * np.sin(turn)], axis=1), 0.6)


def similarity(turn: float, size: float, by: tuple[float, float], about: tuple[float, float] = (150, 135)) -> Matrix:
    """Turn by degrees and scale about a place, then move."""
    c, s = size * np.cos(np.radians(turn)), size * np.sin(np.radians(turn))
    x, y = about
    return np.array([[c, -s, x + by[0] - c * x + s * y], [s, c, y + by[1] - s * x - c * y], [0, 0, 1]])


@dataclass
class Moving:
    """A clip: a textured thing that is moved frame by frame, and maybe a bar in front of it.

    Attributes:
        motions: one a frame, from the first frame to it.
        bar: left and right end of a bar by frame.
    """

    motions: list[Matrix]
    bar: dict[int, tuple[int, int]] = field(default_factory=dict)
    seed: int = 1
    drawn: Curve = field(default_factory=curve)

    def __post_init__(self) -> None:
        # Colours are alike: it is by texture and motion that the two are told apart.
        self._ground = texture(self.seed, SIZE, (0.42, 0.40, 0.38))
        self._thing = texture(self.seed + 1, SIZE, (0.50, 0.42, 0.34))
        self._bar = texture(self.seed + 2, SIZE, (0.16, 0.18, 0.24))

    facts: Any = None

    def truth(self, frame: int) -> NDArray[np.float32]:
        """Coverage of the thing, whether or not the bar lies over it."""
        rows = self.drawn.rows.copy()
        rows[:, :6] = mapped(self.motions[frame], rows[:, :6].reshape(-1, 3, 2)).reshape(-1, 6)
        return outline_matte(rows, Refine(), SIZE)

    def picture(self, frame: int) -> Picture:
        half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
        matrix = np.linalg.inv(half) @ self.motions[frame] @ half
        thing = cv2.warpPerspective(self._thing, matrix, SIZE[::-1], borderMode=cv2.BORDER_REFLECT)
        share = self.truth(frame)[..., None]
        codes = self._ground * (1 - share) + thing * share
        if frame in self.bar:
            left, right = self.bar[frame]
            codes[:, left:right] = self._bar[:, left:right]
        return Picture(grained(codes, np.random.default_rng(1000 + frame), 1.5), Transfer.SRGB)

    def close(self) -> None:
        pass


def overlap(a: NDArray[np.float32], b: NDArray[np.float32]) -> float:
    """Region similarity J: intersection over union. Source: Perazzi et al., CVPR 2016."""
    first, other = a > 0.5, b > 0.5
    either = (first | other).sum()
    return float((first & other).sum() / either) if either else 1.0
