"""One frame, start to end. Nothing else decides the order of the stages."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.reader import PictureSource
from kalyptra.core.clip.transfer import to_codes, to_light
from kalyptra.core.distance.stack import stack
from kalyptra.core.lens.blur import FINAL, PREVIEW, Setting
from kalyptra.core.lens.iris import Iris
from kalyptra.core.lens.layers import lay_over, nearer_part, see_ground
from kalyptra.core.lens.optics import ThinLens, f_number_for
from kalyptra.core.matte.shape import shape_matte
from kalyptra.core.plate.behind import picture_behind
from kalyptra.core.plate.decontaminate import own_colour
from kalyptra.core.setup.document import Acts, Aperture, Setup
from kalyptra.core.setup.resolve import Look, SubjectAt, resolve

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
    result = through_lens(light, dioptres, cut_outs, lens_at(look, sources.full_width), quality=quality)
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
    return shape_matte(subject.form, subject.corner, subject.placement, subject.refine, size, scale)


def through_lens(
    light: Light,
    dioptres: NDArray[np.float32],
    cut_outs: Sequence[CutOut],
    lens: ThinLens,
    plate: Plate | None = None,
    iris: Iris | None = None,
    quality: Quality = Quality.FINAL,
) -> Light:
    """See a flat picture through a lens.

    Args:
        light: what the camera saw.
        dioptres: (height, width) 1/m of everything that is not cut out.
        cut_outs: the subjects on layers of their own.
        plate: the picture behind them, where it is known; else it is filled from its surroundings.

    Returns:
        (height, width, 3) linear light.
    """
    iris, setting, width = iris or Iris(), quality.setting, light.shape[1]
    if plate is None:
        plate = Plate(*picture_behind(light, dioptres, [one.matte for one in cut_outs]))
    result = see_ground(plate.light, lens.signed_coc(plate.dioptres, width), iris, setting)
    for one in sorted(cut_outs, key=lambda c: -float(np.min(c.distance))):
        inverse = np.asarray(1 / np.asarray(one.distance), np.float32)
        colour = own_colour(light, one.matte, plate.light)
        lay_over(result, colour, one.matte, lens.signed_coc(inverse, width), iris, setting)
        near = nearer_part(plate.dioptres, inverse, one.matte)
        lay_over(result, plate.light, near, lens.signed_coc(plate.dioptres, width), iris, setting)
    return result


def _matte_view(view: View, light: Light, mattes: Sequence[Matte], transfer: Transfer) -> NDArray[np.uint8]:
    whole = np.max(mattes, axis=0) if mattes else np.zeros(light.shape[:2], np.float32)
    if view is View.MATTE:
        return cv2.cvtColor(np.round(whole * 255).astype(np.uint8), cv2.COLOR_GRAY2RGB)  # type: ignore[no-any-return]
    share = whole[..., None] * np.float32(0.5)
    return to_codes(light * (1 - share) + OVERLAY_LIGHT * share, transfer)
