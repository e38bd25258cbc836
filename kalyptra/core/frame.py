"""One frame, start to end. Nothing else decides the order of the stages."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.reader import Picture, PictureSource, eight_bits
from kalyptra.core.clip.transfer import light_of, to_codes, to_light
from kalyptra.core.distance.imported import imported_map
from kalyptra.core.distance.smooth import smoothed
from kalyptra.core.distance.stack import Layer, stack, with_zones
from kalyptra.core.focus.breathing import breathed, enlargement
from kalyptra.core.kept import Kept, Nothing
from kalyptra.core.lens.blur import FINAL, PREVIEW, Setting
from kalyptra.core.lens.highlights import lift
from kalyptra.core.lens.layers import lay_over, nearer_part, see_ground
from kalyptra.core.lens.optics import ThinLens, f_number_for, radius_of
from kalyptra.core.matte.drawn import drawn_matte
from kalyptra.core.matte.refine import edged, grown, limited
from kalyptra.core.matte.steady import steadied
from kalyptra.core.matte.stored import stored_matte
from kalyptra.core.plate.against import against_plate
from kalyptra.core.plate.behind import HIDDEN, Known, picture_behind
from kalyptra.core.plate.decontaminate import MARGIN, own_colour
from kalyptra.core.proof.blur_size import blur_view
from kalyptra.core.proof.distance import distance_view
from kalyptra.core.proof.edges import edge_view
from kalyptra.core.proof.seen import change_view, seen_view
from kalyptra.core.recent import Recent
from kalyptra.core.setup.document import Acts, Aperture, Edge, FilledBy, HeldRange, Highlights, Iris, Refine, Setup
from kalyptra.core.setup.resolve import DrawnAt, Look, MatteAt, Numbers, PlateAt, SubjectAt, resolve, spoken
from kalyptra.core.setup.source_at import MapAt, SourceAt
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
    DISTANCE = "distance"
    CHANGE = "change"
    PLATE = "plate"
    SEEN = "seen"
    EDGES = "edges"


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
        kept: where mattes, plates and maps that are pictures come from.
        name: what the picture of the footage is, where mattes of it shall be remembered.
        recent: mattes that were made lately.
    """

    footage: PictureSource
    full_width: int
    kept: Kept = field(default_factory=Nothing)
    name: str = ""
    recent: Recent[Matte] | None = None

    @property
    def full_size(self) -> tuple[int, int]:
        """(width, height) in px of the clip at full size."""
        facts = self.footage.facts
        return self.full_width, max(1, round(facts.height * self.full_width / facts.width))


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
    look = resolve(setup, frame, sources.full_size)
    picture = sources.footage.picture(frame)
    scale = picture.size[1] / sources.full_width
    light = to_light(picture.codes, picture.transfer)
    if view is View.SOURCE:
        return to_codes(light, picture.transfer)
    pairs, known = _mattes(look, picture, light, sources, quality is Quality.FINAL)
    if view in (View.MATTE, View.OVERLAY):
        chosen = [m for m, one in pairs if subject in (None, one.id)]
        return _matte_view(view, light, chosen, picture.transfer)
    if view is View.CHANGE:
        shown = [(m, one) for m, one in pairs if subject in (None, one.id)]
        before = [_found(one.matte, Refine(), picture.size, scale, sources.kept) for _, one in shown]
        return change_view(before, [m for m, _ in shown], picture.size)
    cut_outs = [CutOut(matte, one.distance) for matte, one in pairs if one.acts is Acts.CUT_OUT]
    dioptres = distance_map(look, picture, pairs, sources)
    if view is View.DISTANCE:
        return distance_view(foremost(dioptres, cut_outs), *spoken(look, sources.full_size))
    opening = opening_at(look, sources.full_width, in_picture=True)
    if view is View.BLUR:
        return blur_view(blur_size(dioptres, cut_outs, opening) / np.float32(scale))
    covered = [one.matte for one in cut_outs]
    detailed = look.plate.filled_by is FilledBy.DETAILED
    growth = look.plate.growth * scale
    plate = Plate(*picture_behind(light, dioptres, covered, growth, known, detailed, _nearest(cut_outs)))
    if view is View.PLATE:
        return to_codes(plate.light, picture.transfer)
    if view is View.SEEN:
        return seen_view(light, covered, known.seen if known else None, growth)
    larger = enlargement(opening.lens.focal_length, look.focus) if look.breathing else 1.0
    result = breathed(through_lens(light, dioptres, cut_outs, opening, plate, quality), larger)
    if view is View.EDGES:
        result = through_lens(light, dioptres, cut_outs, opening, plate, quality)
        naive = through_lens(light, dioptres, cut_outs, opening, Plate(light, dioptres), quality)
        behind = through_lens(plate.light, plate.dioptres, (), opening, Plate(plate.light, plate.dioptres), quality)
        codes = [to_codes(one, picture.transfer) for one in (result, naive, behind)]
        return edge_view(codes[0], codes[1], codes[2], covered)
    return to_codes(result, picture.transfer)


def cut_out(setup: Setup, frame: int, sources: Sources, subject: str | None = None) -> tuple[NDArray[np.uint8], Matte]:
    """A subject taken out of its frame, with its own colour where its edge is soft.

    Args:
        subject: the subject's id; None means all of them together.

    Returns:
        (height, width, 3) RGB codes on the footage's transfer curve, black where the matte is 0, and the matte.

    Raises:
        FrameUnreadable: the footage has no such frame.
        NotKept: a stored matte or plate is not there.
    """
    look = resolve(setup, frame, sources.full_size)
    picture = sources.footage.picture(frame)
    light = to_light(picture.codes, picture.transfer)
    pairs, known = _mattes(look, picture, light, sources, True)
    chosen = [m for m, one in pairs if subject == one.id or (subject is None and one.acts is not Acts.REGION)]
    matte = np.asarray(np.max(chosen, axis=0), np.float32) if chosen else np.zeros(picture.size, np.float32)
    growth = look.plate.growth * picture.size[1] / sources.full_width
    flat = np.zeros(picture.size, np.float32)
    behind, _ = picture_behind(light, flat, [matte], growth, known, look.plate.filled_by is FilledBy.DETAILED)
    colour = own_colour(light, matte, behind)
    colour[matte <= 0] = 0
    return to_codes(colour, picture.transfer), matte


def covered(setup: Setup, frame: int, sources: Sources) -> Matte:
    """What the cut-outs of a frame cover together: the hole in the picture behind them.

    Raises:
        FrameUnreadable, NotKept: as `cut_out`.
    """
    look = resolve(setup, frame, sources.full_size)
    picture = sources.footage.picture(frame)
    scale = picture.size[1] / sources.full_width
    kept = sources.kept
    mattes = [matte_of(one, picture, scale, kept, False) for one in look.subjects if one.acts is Acts.CUT_OUT]
    return np.asarray(np.max(mattes, axis=0), np.float32) if mattes else np.zeros(picture.size, np.float32)


def mattes_of(look: Look, picture: Picture, scale: float, kept: Kept) -> list[tuple[Matte, SubjectAt]]:
    """The mattes of a frame, each with its subject, as they are before a plate mends them."""
    return [(matte_of(one, picture, scale, kept, carefully=False), one) for one in look.subjects]


def _mattes(
    look: Look, picture: Picture, light: Light, sources: Sources, carefully: bool
) -> tuple[list[tuple[Matte, SubjectAt]], Known | None]:
    """The mattes of a frame, each with its subject, and what is known of the picture behind."""
    scale = picture.size[1] / sources.full_width
    known = known_plate(look.plate, picture, scale, sources.kept)
    pairs = [(_remembered(one, picture, scale, sources, carefully), one) for one in look.subjects]
    if look.plate.mend_mattes and known is not None:
        pairs = [(against_plate(light, m, known.light, known.seen > 0), one) for m, one in pairs]
    return pairs, known


def _remembered(subject: SubjectAt, picture: Picture, scale: float, sources: Sources, carefully: bool) -> Matte:
    def make() -> Matte:
        return matte_of(subject, picture, scale, sources.kept, carefully)

    if sources.recent is None:
        return make()
    # Only an edge that is drawn to the picture depends on the frame: what is drawn and stands still is made once.
    name = sources.name if subject.refine.edge is not Edge.NONE else ""
    key = (name, picture.size, scale, subject.matte, subject.nearby, subject.refine, carefully)
    return sources.recent.get(key, make)


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


def matte_of(subject: SubjectAt, picture: Picture, scale: float, kept: Kept, carefully: bool = True) -> Matte:
    """A subject's matte, refined.

    Args:
        picture: the frame that it belongs to.
        scale: px of it for one px of the source.
        carefully: whether a fine edge is solved; it is drawn the fast way else.

    Raises:
        NotKept: a stored matte is not there.
    """
    refine, size = subject.refine, picture.size
    drawn = isinstance(subject.matte, DrawnAt)
    matte = _found(subject.matte, refine, size, scale, kept)
    if subject.nearby:
        matte = steadied(matte, [_found(one, refine, size, scale, kept) for one in subject.nearby])
    matte = limited(matte, refine.black, refine.white)
    matte = edged(matte, eight_bits(picture.codes), refine, scale, carefully)
    if not drawn:
        matte = grown(matte, refine, scale)
    return np.asarray(1 - matte, np.float32) if refine.invert else matte


def _found(at: MatteAt, refine: Refine, size: tuple[int, int], scale: float, kept: Kept) -> Matte:
    """A matte before it is refined; a drawn one with its growth and feather, which are exact there."""
    if isinstance(at, DrawnAt):
        upright = refine.model_copy(update={"invert": False})
        return drawn_matte(at.outlines, upright, size, scale)
    return stored_matte(at, size, kept)


def known_plate(plate: PlateAt, picture: Picture, scale: float, kept: Kept) -> Known | None:
    """What is known of the picture behind the cut-outs, laid over the frame; None where nothing is.

    Raises:
        NotKept: a stored plate is not there.
    """
    if plate.imported is not None:
        return Known.whole(kept.picture(plate.imported), picture.size, picture.transfer)
    if plate.patch is not None:
        corner = (plate.patch.left, plate.patch.top)
        return Known.patch(kept.picture(plate.patch.picture), corner, picture.size, scale, picture.transfer)
    return None


def opening_at(look: Numbers, full_width: int, in_picture: bool = False) -> Opening:
    """The lens at a frame with all that decides its picture."""
    return Opening(lens_at(look, full_width, in_picture), look.lens.iris, look.lens.highlights, look.lens.held)


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
        covered = [one.matte for one in cut_outs]
        plate = Plate(*picture_behind(light, dioptres, covered, growth, nearest=_nearest(cut_outs)))
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


def _nearest(cut_outs: Sequence[CutOut]) -> list[float]:
    """The dioptres of each cut-out's nearest part."""
    return [float(np.max(1 / np.asarray(one.distance))) for one in cut_outs]


def distance_map(
    look: Look, picture: Picture, pairs: Sequence[tuple[Matte, SubjectAt]], sources: Sources
) -> NDArray[np.float32]:
    """How far away everything is that is not cut out: (height, width), 1/m.

    Args:
        pairs: the mattes of the frame, with their subjects.

    Raises:
        NotKept: a stored map or matte is not there.
    """
    scale = picture.size[1] / sources.full_width
    layers = [layer for _, layer in layers_of(look, picture, sources, {one.id: matte for matte, one in pairs})]
    dioptres = stack(picture.size, scale, layers)
    with_zones(dioptres, [(matte, one.distance) for matte, one in pairs if one.acts is Acts.ZONE])
    covered = [matte for matte, one in pairs if one.acts is Acts.CUT_OUT]
    hidden = np.logical_or.reduce([matte > HIDDEN for matte in covered]) if covered else None
    return smoothed(dioptres, look.smooth_by, look.smooth * scale, hidden)


def layers_of(
    look: Look, picture: Picture, sources: Sources, mattes: Mapping[str, Matte]
) -> list[tuple[SourceAt, Layer]]:
    """What each source of distance lays over those before it; imported maps that have no picture then are left out.

    Args:
        mattes: those that are known already, by subject.
    """
    scale = picture.size[1] / sources.full_width
    regions = {
        one.id: mattes[one.id] if one.id in mattes else _remembered(one, picture, scale, sources, True)
        for one in look.regions
    }
    layers = []
    for at in look.sources:
        shape = imported_map(at.shape, picture.size, sources.kept) if isinstance(at.shape, MapAt) else at.shape
        if shape is not None:
            region = regions[at.region] if at.region else None
            layers.append((at, Layer(shape, at.joins, at.strength, region, at.outside)))
    return layers


def foremost(dioptres: NDArray[np.float32], cut_outs: Sequence[CutOut]) -> NDArray[np.float32]:
    """(height, width) 1/m of whatever lies foremost."""
    seen = dioptres
    for one in sorted(cut_outs, key=lambda c: -float(np.min(c.distance))):
        seen = np.where(one.matte > 0.5, np.asarray(1 / np.asarray(one.distance), np.float32), seen)
    return seen


def blur_size(dioptres: NDArray[np.float32], cut_outs: Sequence[CutOut], opening: Opening) -> NDArray[np.float32]:
    """Signed disc diameter per pixel in px, near positive, of whatever lies foremost."""
    return opening.coc(foremost(dioptres, cut_outs), dioptres.shape[1])


def _matte_view(view: View, light: Light, mattes: Sequence[Matte], transfer: Transfer) -> NDArray[np.uint8]:
    whole = np.max(mattes, axis=0) if mattes else np.zeros(light.shape[:2], np.float32)
    if view is View.MATTE:
        return cv2.cvtColor(np.round(whole * 255).astype(np.uint8), cv2.COLOR_GRAY2RGB)  # type: ignore[no-any-return]
    share = whole[..., None] * np.float32(0.5)
    return to_codes(light * (1 - share) + OVERLAY_LIGHT * share, transfer)
