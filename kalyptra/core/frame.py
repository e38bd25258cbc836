"""One frame, start to end. Nothing else decides the order of the stages."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from enum import StrEnum

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.reader import PictureSource
from kalyptra.core.clip.transfer import light_of, to_codes, to_light
from kalyptra.core.distance.stack import stack
from kalyptra.core.lens.blur import FINAL, PREVIEW, Setting
from kalyptra.core.lens.highlights import lift
from kalyptra.core.lens.layers import lay_over, nearer_part, see_ground
from kalyptra.core.lens.optics import ThinLens, f_number_for, radius_of
from kalyptra.core.matte.drawn import drawn_matte
from kalyptra.core.plate.behind import picture_behind
from kalyptra.core.plate.decontaminate import MARGIN, own_colour
from kalyptra.core.proof.blur_size import blur_view
from kalyptra.core.setup.document import Acts, Aperture, HeldRange, Highlights, Iris, Setup
from kalyptra.core.setup.resolve import Look, SubjectAt, resolve
from kalyptra.core.window import window_of

Light = NDArray[np.float32]
"""(height, width, 3) linear light."""
Matte = NDArray[np.float32]
"""(height, width) coverage, 0 to 1."""


class View(StrEnum):
    """What a frame is looked at as."""

    RESULT = "result"
    SOURCE = "source"
    OVERLAY = "overlay"
    MATTE = "matte"
    BLUR = "blur"


class Quality(StrEnum):
    """How carefully the lens is computed; both look the same."""

    PREVIEW = "preview"
    FINAL = "final"

    @property
    def setting(self) -> Setting:
        return PREVIEW if self is Quality.PREVIEW else FINAL


@dataclass(frozen=True)
class Sources:
    """The pictures that a setup needs.

    Attributes:
        footage: the clip, or its proxy.
        full_width: width in px of the clip at full size; a setup's lengths are in its pixels.
    """

    footage: PictureSource
    full_width: int


@dataclass(frozen=True)
class CutOut:
    """A subject on a layer of its own.

    Attributes:
        matte: its coverage.
        distance: metres; one number, or (height, width) where its relief is known.
    """

    matte: Matte
    distance: float | NDArray[np.float32]


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
    held: HeldRange | None = None

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


OVERLAY_LIGHT = np.array([0.78, 0.10, 0.05], np.float32)


def render_frame(
    setup: Setup,
    frame: int,
    sources: Sources,
    view: View = View.RESULT,
    subject: str | None = None,
    quality: Quality = Quality.FINAL,
) -> NDArray[np.uint8]:
    """Make the picture at a frame.

    Args:
        frame: frame number of the clip.
        view: the result, or something to check it by.
        subject: for the views of mattes the subject's id; None means all of them together.

    Returns:
        (height, width, 3) RGB codes, as large as the pictures of the footage, on the footage's own transfer curve.

    Raises:
        FrameUnreadable: the footage has no such frame.
    """
    look = resolve(setup, frame)
    picture = sources.footage.picture(frame)
    scale = picture.size[1] / sources.full_width
    light = to_light(picture.codes, picture.transfer)
    if view is View.SOURCE:
        return to_codes(light, picture.transfer)
    mattes = [matte_of(one, picture.size, scale) for one in look.subjects]
    if view in (View.MATTE, View.OVERLAY):
        chosen = [m for m, one in zip(mattes, look.subjects, strict=True) if subject in (None, one.id)]
        return _matte_view(view, light, chosen, picture.transfer)
    pairs = list(zip(mattes, look.subjects, strict=True))
    zones = [(matte, one.distance) for matte, one in pairs if one.acts is Acts.ZONE]
    dioptres = stack(picture.size, look.backdrop, zones)
    cut_outs = [CutOut(matte, one.distance) for matte, one in pairs if one.acts is Acts.CUT_OUT]
    opening = opening_at(look, sources.full_width)
    if view is View.BLUR:
        return blur_view(blur_size(dioptres, cut_outs, opening) / np.float32(scale))
    result = through_lens(light, dioptres, cut_outs, opening, None, quality, look.plate.growth * scale)
    return to_codes(result, picture.transfer)


def lens_at(look: Look, full_width: int) -> ThinLens:
    """The lens at a frame: its f-number is given, or follows from how soft the backdrop shall be."""
    lens = look.lens
    f_number = lens.f_number
    if lens.aperture is Aperture.SOFTNESS:
        f_number = f_number_for(lens.softness, look.backdrop, lens.focal_length_mm / 1000, look.focus,
                                lens.sensor_width_mm / 1000, full_width)  # fmt: skip
    return ThinLens(lens.focal_length_mm / 1000, f_number, look.focus, lens.sensor_width_mm / 1000)


def matte_of(subject: SubjectAt, size: tuple[int, int], scale: float) -> Matte:
    """A subject's matte, refined; `scale` is px of it for one px of the source."""
    return drawn_matte(subject.outlines, subject.refine, size, scale)


def opening_at(look: Look, full_width: int) -> Opening:
    """The lens at a frame with all that decides its picture."""
    return Opening(lens_at(look, full_width), look.lens.iris, look.lens.highlights, look.lens.held)


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
    width, iris, setting = light.shape[1], opening.iris, quality.setting
    if plate is None:
        plate = Plate(*picture_behind(light, dioptres, [one.matte for one in cut_outs], growth))
    coc = opening.coc(plate.dioptres, width)
    ground, radius = opening.lifted(plate.light, coc), radius_of(coc)
    reach = math.ceil(cv2.minMaxLoc(radius)[1]) + 2
    result = see_ground(ground, radius, iris, setting)
    for one in sorted(cut_outs, key=lambda c: -float(np.min(c.distance))):
        window = window_of((one.matte > 0).astype(np.uint8), MARGIN)
        if window is None:
            continue
        matte = one.matte[window]
        inverse = np.float32(1) / np.broadcast_to(np.asarray(one.distance, np.float32), one.matte.shape)[window]
        own = opening.coc(inverse, width)
        colour = opening.lifted(own_colour(light[window], matte, plate.light[window]), own)
        lay_over(result, window, colour, matte, radius_of(own), iris, setting)
        near = nearer_part(plate.dioptres, float(inverse.max()), window, matte, reach)
        if near is not None:
            part, coverage = near
            lay_over(result, part, ground[part], coverage, radius[part], iris, setting)
    return result


def blur_size(dioptres: NDArray[np.float32], cut_outs: Sequence[CutOut], opening: Opening) -> NDArray[np.float32]:
    """Signed disc diameter per pixel in px, near positive, of whatever lies foremost."""
    width = dioptres.shape[1]
    size = opening.coc(dioptres, width)
    for one in sorted(cut_outs, key=lambda c: -float(np.min(c.distance))):
        inverse = np.asarray(1 / np.asarray(one.distance), np.float32)
        size = np.where(one.matte > 0.5, opening.coc(inverse, width), size)
    return size


def _matte_view(view: View, light: Light, mattes: Sequence[Matte], transfer: Transfer) -> NDArray[np.uint8]:
    whole = np.max(mattes, axis=0) if mattes else np.zeros(light.shape[:2], np.float32)
    if view is View.MATTE:
        return cv2.cvtColor(np.round(whole * 255).astype(np.uint8), cv2.COLOR_GRAY2RGB)  # type: ignore[no-any-return]
    share = whole[..., None] * np.float32(0.5)
    return to_codes(light * (1 - share) + OVERLAY_LIGHT * share, transfer)
