"""How a surface moved, from its own corners: one step of following a source of distance that lies on something.

Its corners are looked for again from a reference frame and not from the frame before, so that errors do not add up. The
reference is laid over the frame by the motion so far first; then corners have to move by little, whatever the turn and
the perspective.

Sources: as `corners.py`; S. Baker and I. Matthews, Lucas-Kanade 20 years on: a unifying framework, IJCV 2004.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.register.corner_flow import there_and_back
from kalyptra.core.following.track.motion import fit_motion
from kalyptra.core.following.track.refined import refined_homography
from kalyptra.core.setup.document.followed import Motion
from kalyptra.core.setup.geometry.warp import Matrix, mapped

Grey = NDArray[np.uint8]
"""(height, width) codes, or a mask of 0 and 1."""


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the tune half of the camera's clips, where no source is named."""

    corners: int = 140
    window: int = 17
    back: float = 0.8
    """Px by which a corner that is tracked there and back may miss itself."""
    few: int = 6
    least: float = 0.4
    """Share of the reference's corners that must agree; with less the frame becomes the reference."""
    good: float = 0.6
    """Share of them from which on a step is as sure as can be."""
    growth: float = 1.6
    """How much larger or smaller the surface may be than in the reference."""
    margin: int = 24
    """Px around the surface that are laid over."""


TUNING = Tuning()


@dataclass(frozen=True)
class _Reference:
    """A frame that corners are looked for from: its picture, the surface in it, its corners, the motion up to it."""

    picture: Grey
    region: Grey
    points: NDArray[np.float64]
    before: Matrix

    @staticmethod
    def of(picture: Grey, region: Grey, before: Matrix) -> _Reference:
        corners = cv2.goodFeaturesToTrack(picture, TUNING.corners, 0.01, 5, mask=region, blockSize=5)
        points = np.zeros((0, 2)) if corners is None else np.asarray(corners[:, 0], np.float64)
        return _Reference(picture, region, points, before)


class SurfaceMotion:
    """A surface as it is followed from a key.

    Args:
        kind: how much may change.
        picture: of the key's frame.
        region: 1 where the surface is in it, and no subject is before it.
    """

    def __init__(self, kind: Motion, picture: Grey, region: Grey) -> None:
        self._kind = kind
        self.motion: Matrix = np.eye(3)
        self._speed: Matrix = np.eye(3)
        self._since: Matrix = np.eye(3)
        self._latest = picture
        self._reference = _Reference.of(picture, region, self.motion)

    def step(self, picture: Grey, free: Grey) -> float:
        """Follow to the next frame; how far that can be trusted, 0 to 1. `motion` is that from the key's frame then.

        Args:
            free: 1 where no subject is.
        """
        guess = self._speed @ self._since
        # The frame before says roughly where; the reference says exactly.
        rough, near = self._toward(self._latest, self._since, picture, free, guess, levels=3)
        exact, share = self._toward(self._reference.picture, np.eye(3), picture, free, rough, levels=1)
        now = exact if share else rough
        seen = max(near, share)
        self._speed = _still(now @ np.linalg.inv(self._since)) if seen else np.eye(3)
        self._latest, self._since = picture, now / now[2, 2]
        self.motion = self._since @ self._reference.before
        self.motion = self.motion / self.motion[2, 2]
        if seen and (share < TUNING.least or self._outgrown()):
            size = picture.shape[1], picture.shape[0]
            region = cv2.warpPerspective(self._reference.region, self._since, size, flags=cv2.INTER_NEAREST)
            self._reference = _Reference.of(picture, np.asarray(region & free), self.motion)
            self._since = np.eye(3)
        return min(1.0, seen / TUNING.good)

    def _outgrown(self) -> bool:
        if self._kind is Motion.POSITION or len(self._reference.points) == 0:
            return False
        middle = self._reference.points.mean(axis=0)
        around = middle + np.array([[0, 0], [1, 0], [0, 1]])
        at = mapped(self._since, around)
        growth = float(np.sqrt(abs(np.linalg.det(np.stack([at[1] - at[0], at[2] - at[0]])))))
        return not 1 / TUNING.growth < growth < TUNING.growth

    def _toward(
        self, before: Grey, since: Matrix, picture: Grey, free: Grey, guess: Matrix, levels: int
    ) -> tuple[Matrix, float]:
        """The motion since the reference, from a frame in which the surface lies at `since`; and the share of corners
        that agree, 0 where it was not found."""
        points = self._reference.points
        if len(points) < TUNING.few:
            return guess, 0.0
        at = mapped(guess, points)
        height, width = picture.shape
        inside = ((at > 2) & (at < [width - 3, height - 3])).all(axis=1)
        cell = np.clip(at.astype(int), 0, [width - 1, height - 1])
        inside &= free[cell[:, 1], cell[:, 0]] > 0
        if inside.sum() < TUNING.few:
            return guess, 0.0
        start = at[inside]
        low = np.floor(np.maximum(start.min(axis=0) - TUNING.margin, 0)).astype(int)
        high = np.ceil(np.minimum(start.max(axis=0) + TUNING.margin, [width, height])).astype(int)
        to = np.eye(3)
        to[:2, 2] = -low
        here = np.ascontiguousarray(picture[low[1] : high[1], low[0] : high[0]])
        laid = cv2.warpPerspective(before, to @ guess @ np.linalg.inv(since), (here.shape[1], here.shape[0]),
                                   borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
        laid = _as_bright(laid, here)
        first = (start - low).astype(np.float32).reshape(-1, 1, 2)
        there, good = there_and_back(laid, here, first, first, (TUNING.window,) * 2, levels, TUNING.back)
        if good.sum() < TUNING.few:
            return guess, 0.0
        placed = np.asarray(there[good, 0], np.float64) + low
        left, agree = fit_motion(self._kind, start[good], placed)
        if agree.sum() < TUNING.few:
            return guess, 0.0
        if self._kind is Motion.PERSPECTIVE:
            left = refined_homography(left, start[good][agree], placed[agree])
        whole = left @ guess
        return whole / whole[2, 2], float(agree.sum() / len(points))


def _still(step: Matrix) -> Matrix:
    """The move of a step alone, to be expected again."""
    move = np.eye(3)
    step = step / step[2, 2]
    move[:2, 2] = np.clip(step[:2, 2], -80, 80) if np.abs(step - np.diag(np.diag(step)))[2, :2].max() < 1e-2 else 0
    return move


def _as_bright(picture: Grey, like: Grey) -> Grey:
    """A picture with the mean and the contrast of another: exposure may drift."""
    (a, s), (b, t) = (cv2.meanStdDev(grey) for grey in (picture, like))
    gain = float(np.clip(t[0, 0] / max(s[0, 0], 1e-3), 0.7, 1.4))
    return np.asarray(cv2.convertScaleAbs(picture, alpha=gain, beta=float(b[0, 0] - gain * a[0, 0])))
