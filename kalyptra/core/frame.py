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
from kalyptra.core.lens.blur import scatter
from kalyptra.core.lens.optics import ThinLens, f_number_for
from kalyptra.core.matte.shape import shape_matte
from kalyptra.core.plate.decontaminate import own_colour
from kalyptra.core.plate.fill import fill
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
        distance: metres.
    """

    matte: Matte
    distance: float


@dataclass(frozen=True)
class Plate:
    """A known picture behind the subjects, and how far away it is.

    Attributes:
        light: linear light.
        dioptres: (height, width) 1/m.
    """

    light: Light
    dioptres: NDArray[np.float32]


HIDDEN = 0.02
"""From this coverage on, a cut-out hides the picture behind it."""
GROWTH = 1.0 / 640
"""How far beyond its matte a subject is taken to spoil the picture behind it, as a share of the width."""
OVERLAY_LIGHT = np.array([0.78, 0.10, 0.05], np.float32)


def render_frame(
    setup: Setup, frame: int, sources: Sources, view: View = View.RESULT, subject: str | None = None
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
    result = through_lens(light, dioptres, cut_outs, lens_at(look, sources.full_width))
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
    width = light.shape[1]
    if plate is None:
        plate = filled_plate(light, dioptres, cut_outs)
    result = _blurred_ground(plate, lens)
    for one in sorted(cut_outs, key=lambda c: -c.distance):
        colour = own_colour(light, one.matte, plate.light)
        layer = np.concatenate([colour * one.matte[..., None], one.matte[..., None]], axis=2)
        radius = abs(lens.coc_slope(width) * (1 / one.distance - 1 / lens.focus)) / 2
        spread = scatter(layer, np.full(one.matte.shape, radius, np.float32))
        result = result * (1 - spread[..., 3:]) + spread[..., :3]
    return result


def filled_plate(light: Light, dioptres: NDArray[np.float32], cut_outs: Sequence[CutOut]) -> Plate:
    """The picture behind all cut-outs, filled from what surrounds them."""
    if not cut_outs:
        return Plate(light, dioptres)
    hidden = np.max([one.matte for one in cut_outs], axis=0) > HIDDEN
    known = (~_grown(hidden, GROWTH * light.shape[1])).astype(np.float32)
    values = fill(np.concatenate([light, dioptres[..., None]], axis=2), known)
    return Plate(np.ascontiguousarray(values[..., :3]), np.ascontiguousarray(values[..., 3]))


def _grown(mask: NDArray[np.bool_], radius: float) -> NDArray[np.bool_]:
    distance: NDArray[np.float32] = cv2.distanceTransform((~mask).astype(np.uint8), cv2.DIST_L2, 5)
    return distance <= np.float32(radius)


def _blurred_ground(plate: Plate, lens: ThinLens) -> Light:
    layer = np.concatenate([plate.light, np.ones((*plate.light.shape[:2], 1), np.float32)], axis=2)
    radius = np.abs(lens.signed_coc(plate.dioptres, plate.light.shape[1])) / 2
    spread = scatter(layer, radius.astype(np.float32))
    light: Light = np.divide(spread[..., :3], np.maximum(spread[..., 3:], np.float32(1e-4)), dtype=np.float32)
    return light


def _matte_view(view: View, light: Light, mattes: Sequence[Matte], transfer: Transfer) -> NDArray[np.uint8]:
    whole = np.max(mattes, axis=0) if mattes else np.zeros(light.shape[:2], np.float32)
    if view is View.MATTE:
        grey = np.round(whole * 255).astype(np.uint8)
        return np.repeat(grey[..., None], 3, axis=2)
    share = whole[..., None] * np.float32(0.5)
    return to_codes(light * (1 - share) + OVERLAY_LIGHT * share, transfer)
