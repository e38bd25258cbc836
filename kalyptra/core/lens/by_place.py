"""A spread that differs from place to place: cat's-eyes in the corners, lines around a centre, sides of the focus."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.lens.shape import Shape
from kalyptra.core.setup.document.blur import BlurKind
from kalyptra.core.setup.document.setup import Iris
from kalyptra.core.window import Window

Plane = NDArray[np.float32]
ANGLES = 24
"""Directions that are told apart."""
CUTS = (0.0, 0.2, 0.4, 0.6, 0.8, 1.0)
"""How far a rim is moved across the iris, in radii: the nearest of these."""
TILE = 8
"""Px of a side within which all points get one shape."""
MOST_SHIFT = 6.0
"""Px by which red and blue are spread more or less than green, at most: a lens' are seldom off by more."""


@dataclass(frozen=True)
class ByPlace:
    """What points become, by where they are and by the side of the focus on which they lie.

    Attributes:
        direction: degrees, of lines along.
        centre: px of this picture: of the picture itself, or of lines outwards and around.
        corner: px from the centre to where all grows to its full size.
        cats_eye: how far the rim is moved at the corner, in radii.
        spherical: see `Character`.
        shift: px by which signed diameters of red and blue exceed those of green.
    """

    iris: Iris
    kind: BlurKind
    direction: float
    centre: tuple[float, float]
    corner: float
    cats_eye: float = 0.0
    spherical: float = 0.0
    shift: float = 0.0

    def moved(self, window: Window) -> ByPlace:
        """The same for a part of the picture."""
        rows, columns = window
        return replace(self, centre=(self.centre[0] - columns.start, self.centre[1] - rows.start))

    def halved(self) -> ByPlace:
        """The same for a picture of half the size."""
        return replace(
            self, centre=(self.centre[0] / 2, self.centre[1] / 2), corner=self.corner / 2, shift=self.shift / 2
        )

    @property
    def is_plain(self) -> bool:
        """Whether an iris alone says all."""
        return self.kind is BlurKind.LENS and not (self.cats_eye or self.spherical or self.shift)

    @property
    def has_sides(self) -> bool:
        """Whether it matters on which side of the focus something lies."""
        return bool(self.cats_eye or self.spherical)

    @cached_property
    def shapes(self) -> tuple[Shape, ...]:
        """All that there are; those of what is nearer than the focus follow those of what is farther."""
        return _shapes_of(self.iris, self.kind, self.direction, self.cats_eye > 0, self.spherical)

    def numbers(self, height: int, width: int, near: NDArray[np.uint8] | None) -> NDArray[np.uint16]:
        """(height, width) the number of each place's shape.

        Args:
            near: (height, width) 1 where something is nearer than the focus.
        """
        angles, away = self._seen_from_centre(height, width)
        if self.kind in (BlurKind.OUTWARDS, BlurKind.AROUND):
            turned = angles + (math.pi / 2 if self.kind is BlurKind.AROUND else 0)
            tiles = np.round(turned / math.pi * ANGLES).astype(int) % ANGLES
            return _whole(tiles, height, width)
        if not self.has_sides or near is None:
            return np.zeros((height, width), np.uint16)
        far_side = np.zeros(angles.shape, int)
        near_side = np.zeros(angles.shape, int)
        if self.cats_eye > 0:
            cut = np.abs(away[..., None] * self.cats_eye - np.array(CUTS)).argmin(axis=2)
            turn = np.round(angles / (2 * math.pi) * ANGLES).astype(int)
            far_side = np.where(cut > 0, 1 + (cut - 1) * ANGLES + turn % ANGLES, 0)
            near_side = np.where(cut > 0, 1 + (cut - 1) * ANGLES + (turn + ANGLES // 2) % ANGLES, 0)
        if len(self.shapes) > 1 and round(self.spherical, 1):
            near_side = near_side + len(self.shapes) // 2
        return np.where(near > 0, _whole(near_side, height, width), _whole(far_side, height, width))

    def grown(self, radius: Plane) -> Plane:
        """Radii of what grows away from the centre."""
        if self.kind not in (BlurKind.OUTWARDS, BlurKind.AROUND):
            return radius
        _, away = self._seen_from_centre(*radius.shape)
        wide = cv2.resize(away.astype(np.float32), (away.shape[1] * TILE, away.shape[0] * TILE))
        return np.asarray(radius * wide[: radius.shape[0], : radius.shape[1]], np.float32)

    def _seen_from_centre(self, height: int, width: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Of each tile its direction from the centre, radians, and how far it is, 1 at the corner."""
        y = (np.arange(-(-height // TILE)) + 0.5) * TILE - self.centre[1]
        x = (np.arange(-(-width // TILE)) + 0.5) * TILE - self.centre[0]
        return np.arctan2(y[:, None], x[None, :]), np.hypot(y[:, None], x[None, :]) / self.corner


@dataclass(frozen=True)
class Sides:
    """What differs between the two sides of the focus.

    Attributes:
        near: (height, width) 1 where something is nearer than the focus.
        red_blue: (height, width) px of the radii of red and blue.
    """

    near: NDArray[np.uint8]
    red_blue: Plane | None

    def part(self, window: Window) -> Sides:
        return Sides(self.near[window], None if self.red_blue is None else self.red_blue[window])

    def bordered(self, margins: tuple[int, int, int, int]) -> Sides:
        near, red_blue = (
            None if plane is None else cv2.copyMakeBorder(plane, *margins, cv2.BORDER_REPLICATE)
            for plane in (self.near, self.red_blue)
        )
        assert near is not None
        return Sides(np.asarray(near, np.uint8), red_blue)

    def halved(self, scaling_blur: float) -> Sides:
        height, width = self.near.shape
        size = ((width + 1) // 2, (height + 1) // 2)
        near = cv2.resize(self.near, size, interpolation=cv2.INTER_NEAREST)
        red_blue = None
        if self.red_blue is not None:
            half = cv2.resize(self.red_blue, size, interpolation=cv2.INTER_AREA)
            red_blue = np.sqrt(np.maximum(half * half - np.float32(scaling_blur), 0)) * np.float32(0.5)
        return Sides(np.asarray(near, np.uint8), red_blue)


def sides_of(coc: Plane, spread: ByPlace) -> Sides:
    """The sides of the focus, of signed diameters in px."""
    red_blue = None
    if spread.shift:
        shift = float(np.clip(spread.shift, -MOST_SHIFT, MOST_SHIFT))
        red_blue = spread.grown(np.asarray(np.abs(coc + np.float32(shift)) * np.float32(0.5), np.float32))
    return Sides(np.asarray(coc > 0, np.uint8), red_blue)


@lru_cache(maxsize=32)
def _shapes_of(iris: Iris, kind: BlurKind, direction: float, cats_eye: bool, spherical: float) -> tuple[Shape, ...]:
    if kind is BlurKind.GAUSSIAN:
        return (Shape(iris, kind),)
    if kind is BlurKind.ALONG:
        return (Shape(iris, BlurKind.ALONG, angle=round(direction % 180, 1)),)
    if kind in (BlurKind.OUTWARDS, BlurKind.AROUND):
        return tuple(Shape(iris, BlurKind.ALONG, angle=number * 180 / ANGLES) for number in range(ANGLES))
    behind = round(spherical, 1)  # for each there are tables
    cuts = [(0.0, 0.0)]
    if cats_eye:
        cuts += [(cut, number * 360 / ANGLES) for cut in CUTS[1:] for number in range(ANGLES)]
    sides = (behind, -behind) if behind else (0.0,)
    return tuple(Shape(iris, angle=angle, cut=cut, rim=rim) for rim in sides for cut, angle in cuts)


def _whole(tiles: NDArray[np.int64], height: int, width: int) -> NDArray[np.uint16]:
    """A value a tile as one a pixel."""
    # Contiguous, like every other spread's: loops are compiled once for each layout of what they are given.
    return np.ascontiguousarray(
        np.repeat(np.repeat(tiles.astype(np.uint16), TILE, axis=0), TILE, axis=1)[:height, :width]
    )
