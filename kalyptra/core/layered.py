"""Layers seen through a lens: a ground whose distance changes from pixel to pixel, and cut-outs over it."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.transfer import light_of
from kalyptra.core.focus.breathing import enlargement
from kalyptra.core.lens.blur import FINAL, PREVIEW, Setting
from kalyptra.core.lens.by_place import MOST_SHIFT, ByPlace, Sides, sides_of
from kalyptra.core.lens.highlights import lift
from kalyptra.core.lens.layers import lay_over, nearer_part, see_ground
from kalyptra.core.lens.optics import ThinLens, f_number_for, radius_of
from kalyptra.core.plate.clean_plate import clean_plate
from kalyptra.core.plate.decontaminate import MARGIN, own_colour
from kalyptra.core.setup.document.blur import BlurKind
from kalyptra.core.setup.document.setup import Aperture, Highlights, Iris
from kalyptra.core.setup.resolve.blur import BlurAt, CharacterAt
from kalyptra.core.setup.resolve.held import HeldAt
from kalyptra.core.setup.resolve.look import Numbers, spoken
from kalyptra.core.window import Window, window_of

Light = NDArray[np.float32]
"""(height, width, 3) linear light."""
Matte = NDArray[np.float32]
"""(height, width) coverage, 0 to 1."""


class Quality(StrEnum):
    """How carefully the lens is computed; both look the same."""

    PREVIEW = "preview"
    FINAL = "final"

    @property
    def setting(self) -> Setting:
        return PREVIEW if self is Quality.PREVIEW else FINAL


@dataclass(frozen=True)
class CutOut:
    """A subject on a layer of its own.

    Attributes:
        matte: its coverage.
        distance: metres; where its relief is known, of its nearest part.
        colour: (height, width, 3) linear light, its own wherever the matte reaches; None where it has to be worked out.
        rank: those of a lower one lie behind, whatever their distance; of one rank the nearer lies before.
        relief: (height, width) 1/m of each of its pixels; None where all of it is at one distance.
    """

    matte: Matte
    distance: float
    colour: Light | None = None
    rank: int = 0
    relief: NDArray[np.float32] | None = None

    @classmethod
    def with_relief(
        cls, matte: Matte, relief: NDArray[np.float32], colour: Light | None = None, rank: int = 0
    ) -> CutOut:
        """One whose distance changes from pixel to pixel; the relief is above 0 everywhere."""
        return cls(matte, 1 / cv2.minMaxLoc(relief)[1], colour, rank, relief)

    @property
    def dioptres(self) -> NDArray[np.float32]:
        """(height, width) 1/m of each of its pixels."""
        if self.relief is not None:
            return self.relief
        return np.broadcast_to(np.float32(1 / self.distance), self.matte.shape)


@dataclass(frozen=True)
class Plate:
    """A known picture behind the subjects, and how far away it is.

    Attributes:
        light: linear light.
        dioptres: (height, width) 1/m.
    """

    light: Light
    dioptres: NDArray[np.float32]


@dataclass(frozen=True)
class Opening:
    """A lens with its iris, what it does to lights, and a range held sharp by hand, if any."""

    lens: ThinLens
    iris: Iris = field(default_factory=Iris)
    highlights: Highlights = field(default_factory=Highlights)
    held: HeldAt | None = None
    blur: BlurAt = field(default_factory=BlurAt)
    character: CharacterAt = field(default_factory=CharacterAt)
    full_width: float = 1.0
    """Px of the clip at full size, in which the blur's centre is given."""

    def spread(self, height: int, width: int) -> Iris | ByPlace:
        """What points become in a picture of that size."""
        x, y = self.blur.centre or (self.full_width / 2, self.full_width / 2 * height / width)
        centre, lens = (x * width / self.full_width, y * width / self.full_width), self.lens
        # Where red and blue focus, a lens that is longer for them by a share has its image behind the sensor.
        image = lens.focal_length * lens.focus / (lens.focus - lens.focal_length)
        shift = self.character.colour_shift / 1000 * image / lens.f_number * width / lens.sensor_width
        lens_alone = self.blur.kind is BlurKind.LENS
        spread = ByPlace(
            self.iris, self.blur.kind, self.blur.direction, centre, float(np.hypot(height, width)) / 2,
            self.character.cats_eye if lens_alone else 0.0, self.character.spherical if lens_alone else 0.0,
            float(np.clip(shift, -MOST_SHIFT, MOST_SHIFT)),
        )  # fmt: skip
        return self.iris if spread.is_plain else spread

    def coc(self, dioptres: NDArray[np.float32], width: int) -> NDArray[np.float32]:
        """Signed disc diameters in px of a picture of that width."""
        if self.held is None:
            return self.lens.signed_coc(dioptres, width)
        return self.lens.held_coc(dioptres, width, self.held.near, self.held.far, self.held.roll_off)

    def lifted(self, light: Light, coc: NDArray[np.float32]) -> Light:
        """Light whose clipped highlights are as bright as they were."""
        # The threshold is a code value of the usual display curve, whatever curve the clip has.
        threshold = float(light_of(np.array(self.highlights.threshold), Transfer.SRGB))
        return lift(light, coc, threshold, self.highlights.gain, self.highlights.keep_colour)


def lens_at(look: Numbers, full_width: int, in_picture: bool = False) -> ThinLens:
    """The lens at a frame: its f-number is given, or follows from how soft the backdrop shall be."""
    lens = look.lens
    f_number = look.f_number
    if lens.aperture is Aperture.SOFTNESS:
        f_number = f_number_for(look.softness, look.backdrop, lens.focal_length_mm / 1000, look.focus,
                                lens.sensor_width_mm / 1000, full_width)  # fmt: skip
    # Breathing enlarges the picture with its discs, which are those of the larger picture already.
    larger = enlargement(lens.focal_length_mm / 1000, look.focus) if look.breathing and in_picture else 1.0
    return ThinLens(lens.focal_length_mm / 1000, f_number * larger, look.focus, lens.sensor_width_mm / 1000)


def opening_at(look: Numbers, full_width: int, in_picture: bool = False) -> Opening:
    """The lens at a frame with all that decides its picture."""
    lens = lens_at(look, full_width, in_picture)
    own = look.lens
    return Opening(lens, own.iris, own.highlights, look.held, look.blur, look.character, full_width)


def through_lens(
    light: Light,
    dioptres: NDArray[np.float32],
    cut_outs: Sequence[CutOut],
    opening: Opening,
    plate: Plate | None = None,
    quality: Quality = Quality.FINAL,
    growth: float = 1.0,
) -> Light:
    """See a flat picture through a lens.

    Args:
        light: what the camera saw.
        dioptres: (height, width) 1/m of everything that is not cut out.
        cut_outs: the subjects on layers of their own.
        plate: the picture behind them, where it is known; else it is filled from its surroundings.
        growth: how far beyond its matte a subject is taken to spoil the picture behind it, px.

    Returns:
        (height, width, 3) linear light.
    """
    width, setting = light.shape[1], quality.setting
    spread = opening.spread(*light.shape[:2])
    if plate is None:
        covered = [cut_out.matte for cut_out in cut_outs]
        plate = Plate(*clean_plate(light, dioptres, covered, growth, nearest=nearest_of(cut_outs)))
    coc = opening.coc(plate.dioptres, width)
    ground, (radius, sides) = opening.lifted(plate.light, coc), discs_of(coc, spread)
    reach = math.ceil(cv2.minMaxLoc(radius)[1]) + 2
    result = see_ground(ground, radius, spread, setting, sides)
    for cut_out, window in _seen(cut_outs):
        matte = cut_out.matte[window]
        known = cut_out.colour
        colour = own_colour(light[window], matte, plate.light[window]) if known is None else known[window]
        _lay_cut_out(result, cut_out, window, colour, opening, setting)
        near = nearer_part(plate.dioptres, 1 / cut_out.distance, window, matte, reach)
        if near is not None:
            part, coverage = near
            part_sides = sides.part(part) if sides else None
            lay_over(result, part, ground[part], coverage, radius[part], spread, setting, part_sides)
    return result


def lay_over_what_is_far(result: Light, cut_outs: Sequence[CutOut], opening: Opening, quality: Quality) -> None:
    """Lay cut-outs, as the lens sees them, over what lies behind all of them, in place.

    Args:
        result: (height, width, 3) linear light of what lies behind, as the lens sees it; changed.
        cut_outs: each with its own colour.
    """
    for cut_out, window in _seen(cut_outs):
        assert cut_out.colour is not None
        _lay_cut_out(result, cut_out, window, cut_out.colour[window], opening, quality.setting)


def _seen(cut_outs: Sequence[CutOut]) -> Iterator[tuple[CutOut, Window]]:
    """Those that cover anything, from back to front, and the part of the picture that each covers."""
    for cut_out in back_to_front(cut_outs):
        window = window_of((cut_out.matte > 0).astype(np.uint8), MARGIN)
        if window is not None:
            yield cut_out, window


def _lay_cut_out(
    result: Light, cut_out: CutOut, window: Window, colour: Light, opening: Opening, setting: Setting
) -> None:
    """Lay a cut-out over what lies behind it, in place.

    Args:
        window: the part of the picture that it covers; its colour is as large.
    """
    matte, spread = cut_out.matte[window], opening.spread(*result.shape[:2])
    coc = opening.coc(cut_out.dioptres[window], result.shape[1])
    radius, sides = discs_of(coc, spread if isinstance(spread, Iris) else spread.moved(window))
    lay_over(result, window, opening.lifted(colour, coc), matte, radius, spread, setting, sides)


def back_to_front(cut_outs: Sequence[CutOut]) -> list[CutOut]:
    """Cut-outs in the order in which they are laid over each other."""
    return sorted(cut_outs, key=lambda cut_out: (cut_out.rank, -cut_out.distance))


def discs_of(coc: NDArray[np.float32], spread: Iris | ByPlace) -> tuple[NDArray[np.float32], Sides | None]:
    """Radii in px of signed diameters, and what differs on the two sides of the focus, where it does."""
    radius = radius_of(coc)
    if isinstance(spread, Iris):
        return radius, None
    needed = spread.has_sides or spread.shift != 0
    return spread.grown(radius), sides_of(coc, spread) if needed else None


def nearest_of(cut_outs: Sequence[CutOut]) -> list[float]:
    """The dioptres of each cut-out's nearest part."""
    return [1 / cut_out.distance for cut_out in cut_outs]


def foremost(dioptres: NDArray[np.float32], cut_outs: Sequence[CutOut]) -> NDArray[np.float32]:
    """(height, width) 1/m of whatever lies foremost."""
    seen = dioptres
    for cut_out in back_to_front(cut_outs):
        seen = np.where(cut_out.matte > 0.5, cut_out.dioptres, seen)
    return seen


def blur_size(dioptres: NDArray[np.float32], cut_outs: Sequence[CutOut], opening: Opening) -> NDArray[np.float32]:
    """Signed disc diameter per pixel in px, near positive, of whatever lies foremost."""
    return opening.coc(foremost(dioptres, cut_outs), dioptres.shape[1])


def largest_disc(look: Numbers, size: tuple[int, int]) -> float:
    """The largest disc of all that sources and subjects name at a frame, px of the source.

    Args:
        size: (width, height) of the clip at full size.
    """
    ends = np.array(spoken(look, size), np.float32)
    return float(np.abs(opening_at(look, size[0]).coc(ends, size[0])).max())
