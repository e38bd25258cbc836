"""A flat picture whose distances are known, seen from a little beside.

Distances are brought to where they are seen first, the nearest winning; then each pixel of the new picture knows how
far away it is, and so where it lay in the old one, and takes its colour from there. What was hidden before is filled
from what is farther around it.

Source: L. McMillan and G. Bishop, Plenoptic Modeling: An Image-Based Rendering System, SIGGRAPH 1995 (warping by
distance); the equations are those of a pinhole that moves and does not turn.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled
from kalyptra.core.pull_push import fill_in
from kalyptra.core.setup.resolve.move import MoveAt

Light = NDArray[np.float32]
Plane = NDArray[np.float32]
"""(height, width)."""
NEARER = 1.05
"""What has so many times the dioptres of a hole's is in front of it, and fills nothing."""
RIM = 2
"""Px around it that fill nothing, too: its colour is mixed into what lies behind there."""
STEP = 2e-3
"""Dioptres that a thing in front is nearer by, at least."""


@dataclass(frozen=True)
class Beside:
    """Where things are seen from beside, in px of a picture.

    Attributes:
        across, down: px that a thing of 1 dioptre moves to the left and up.
        ahead: metres that the camera came nearer.
        stays: dioptres of what stays in place.
        middle: of the picture, px.
    """

    across: float
    down: float
    ahead: float
    stays: float
    middle: tuple[float, float]

    @staticmethod
    def of(move: MoveAt, size: tuple[int, int], scale: float) -> Beside:
        """
        Args:
            size: (height, width) of the picture.
            scale: px of the picture for one of the source.
        """
        focal = move.focal * scale
        return Beside(move.across * focal, -move.up * focal, move.ahead, move.stays, (size[1] / 2, size[0] / 2))

    def source_of(self, x: Plane, y: Plane, dioptres: Plane) -> tuple[Plane, Plane]:
        """Where in the picture as it was taken something lies that is seen at a place now, px."""
        near = np.float32(1) - np.float32(self.ahead) * dioptres
        cx, cy = (np.float32(m) for m in self.middle)
        still = np.float32(self.stays)
        u = (x - cx - np.float32(self.across) * still) * near + np.float32(self.across) * dioptres + cx
        v = (y - cy - np.float32(self.down) * still) * near + np.float32(self.down) * dioptres + cy
        return np.asarray(u, np.float32), np.asarray(v, np.float32)


@dataclass(frozen=True)
class MovedGround:
    """A picture from beside.

    Attributes:
        light: linear light.
        dioptres: 1/m as the camera had it that took the clip: so focus and limits mean the same things.
        u, v: px, where each pixel lay.
        made_up: where nothing was seen, and it was filled.
    """

    light: Light
    dioptres: Plane
    u: Plane
    v: Plane
    made_up: NDArray[np.bool_]


def moved_ground(light: Light, dioptres: Plane, beside: Beside) -> MovedGround:
    """A picture with a distance a pixel, from beside.

    Args:
        light: (height, width, 3) linear light.
        dioptres: (height, width) 1/m.
    """
    height, width = dioptres.shape
    seen = np.full(dioptres.shape, -1, np.float32)
    _brought(np.ascontiguousarray(dioptres), beside.across, beside.down, beside.ahead, beside.stays, *beside.middle,
             seen)  # fmt: skip
    hole = seen < 0
    _farther(seen)
    y, x = np.mgrid[:height, :width].astype(np.float32)
    x, y = x + np.float32(0.5), y + np.float32(0.5)
    u, v = beside.source_of(x, y, seen)
    # Distances were brought whole pixels far; what lies there tells them more exactly.
    there = _taken(dioptres, u, v)
    exact = ~hole & (np.abs(there - seen) < np.float32(0.05) * seen + np.float32(1e-4))
    seen = np.where(exact, there, seen)
    u, v = beside.source_of(x, y, seen)
    out = _taken(light, u, v)
    hole = _with_rims(hole, dioptres, u, v)
    beyond = (u < 0) | (u > width) | (v < 0) | (v > height)
    if hole.any():
        _fill(out, seen, hole)
    return MovedGround(out, seen, u, v, hole | beyond)


def laid_matte(matte: Plane, ground: MovedGround) -> Plane:
    """A matte that lies on the ground, as it is seen from beside."""
    return _taken(matte, ground.u, ground.v)


def moved_layer(
    light: Light, matte: Plane, distance: float | Plane, beside: Beside
) -> tuple[Light, Plane, float | Plane]:
    """A cut-out from beside: its colour, its coverage, and its distance as it was.

    Args:
        light: its own colour wherever its matte reaches.
        distance: metres; one number, or (height, width).
    """
    height, width = matte.shape
    y, x = np.mgrid[:height, :width].astype(np.float32)
    x, y = x + np.float32(0.5), y + np.float32(0.5)
    if isinstance(distance, float | int):
        away: Plane = np.full(matte.shape, 1 / distance, np.float32)
        u, v = beside.source_of(x, y, away)
        return _taken(light, u, v), _taken(matte, u, v, outside=0.0), distance
    known = np.asarray(1 / distance, np.float32)
    away = np.full(matte.shape, float(np.median(known[matte > 0.5])) if (matte > 0.5).any() else 1.0, np.float32)
    for _ in range(4):  # its relief is small beside its distance: this settles
        u, v = beside.source_of(x, y, away)
        away = _taken(known, u, v)
    u, v = beside.source_of(x, y, away)
    return _taken(light, u, v), _taken(matte, u, v, outside=0.0), np.asarray(1 / np.maximum(away, 1e-6), np.float32)


def _taken(values: NDArray[np.float32], u: Plane, v: Plane, outside: float | None = None) -> NDArray[np.float32]:
    """Values at places; beyond the picture its edge goes on, or what is said."""
    border = cv2.BORDER_REPLICATE if outside is None else cv2.BORDER_CONSTANT
    half = np.float32(0.5)
    return np.asarray(
        cv2.remap(values, u - half, v - half, cv2.INTER_LINEAR, borderMode=border, borderValue=outside or 0.0),
        np.float32,
    )


def _with_rims(hole: NDArray[np.bool_], dioptres: Plane, u: Plane, v: Plane) -> NDArray[np.bool_]:
    """Holes with what borders on them and had the colour of what was in front mixed in."""
    if not hole.any():
        return hole
    around = np.ones((2 * RIM + 1, 2 * RIM + 1), np.uint8)
    nearer = cv2.dilate(dioptres, around)
    mixed = (nearer > dioptres * np.float32(NEARER) + np.float32(STEP)).astype(np.float32)
    beside = cv2.dilate(hole.astype(np.uint8), around) > 0
    return np.asarray(hole | (beside & (_taken(mixed, u, v) > 0.5)))


def _fill(light: Light, dioptres: Plane, hole: NDArray[np.bool_]) -> None:
    """Fill what was never seen from what is farther around it, in place."""
    wide = int(min(63, 2 * np.ceil(np.sqrt(hole.sum())))) | 1
    around = np.ones((1, wide), np.uint8)
    close = cv2.dilate(hole.astype(np.uint8), around) > 0
    far = cv2.dilate(np.where(hole, dioptres, np.float32(0)), around)
    before = close & ~hole & (dioptres > far * np.float32(NEARER) + np.float32(STEP))
    before = cv2.dilate(before.astype(np.uint8), np.ones((2 * RIM + 1, 2 * RIM + 1), np.uint8)) > 0
    known = np.where(hole | before, np.float32(0), np.float32(1))
    filled = light.copy()
    fill_in(filled, known)
    np.copyto(light, filled, where=hole[..., None])


@compiled
def _brought(dioptres, across, down, ahead, stays, cx, cy, out):  # type: ignore[no-untyped-def]
    """Bring each pixel's distance to where it is seen from beside; of several the nearest stays."""
    height, width = dioptres.shape
    for y in range(height):
        for x in range(width):
            d = dioptres[y, x]
            near = 1.0 - ahead * d
            if near < 0.05:  # the camera went past it
                continue
            u = cx + (x + 0.5 - cx - across * d) / near + across * stays - 0.5
            v = cy + (y + 0.5 - cy - down * d) / near + down * stays - 0.5
            left, top = int(np.floor(u + 0.02)), int(np.floor(v + 0.02))
            right, low = int(np.ceil(u - 0.02)), int(np.ceil(v - 0.02))
            for j in range(top, low + 1):
                if j < 0 or j >= height:
                    continue
                for i in range(left, right + 1):
                    if 0 <= i < width and out[j, i] < d:
                        out[j, i] = d


@compiled
def _farther(dioptres):  # type: ignore[no-untyped-def]
    """Give what nothing was brought to the distance of the farther of its neighbours along the row, in place."""
    height, width = dioptres.shape
    for y in range(height):
        x = 0
        while x < width:
            if dioptres[y, x] >= 0:
                x += 1
                continue
            end = x
            while end < width and dioptres[y, end] < 0:
                end += 1
            left = dioptres[y, x - 1] if x > 0 else np.float32(-1)
            right = dioptres[y, end] if end < width else np.float32(-1)
            value = min(left, right) if left >= 0 and right >= 0 else max(left, right)
            for i in range(x, end):
                dioptres[y, i] = max(value, np.float32(0))
            x = end
