"""What a frame is made of: its picture, mattes, distances, the plate behind them, the lens. Views are made of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.reader import Picture, PictureSource, eight_bits
from kalyptra.core.clip.transfer import to_light
from kalyptra.core.distance.imported import imported_map
from kalyptra.core.distance.smooth import smoothed
from kalyptra.core.distance.stack import Layer, stack, with_zones
from kalyptra.core.focus.breathing import breathed, enlargement
from kalyptra.core.kept import Kept, Nothing
from kalyptra.core.layered import CutOut, Light, Matte, Opening, Plate, Quality, nearest_of, opening_at, through_lens
from kalyptra.core.matte.drawn import drawn_matte
from kalyptra.core.matte.refine import edged, grown, limited
from kalyptra.core.matte.steady import steadied
from kalyptra.core.matte.stored import stored_matte
from kalyptra.core.plate.against import against_plate
from kalyptra.core.plate.behind import HIDDEN, Known, picture_behind
from kalyptra.core.recent import Recent
from kalyptra.core.setup.document import Acts, Edge, FilledBy, Refine
from kalyptra.core.setup.resolve import DrawnAt, Look, MatteAt, PlateAt, SubjectAt
from kalyptra.core.setup.source_at import MapAt, SourceAt


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
class Composed:
    """A frame's parts. What takes long is worked out when it is first asked for, and once.

    Attributes:
        look: the setup at the frame.
        picture, light: what the camera saw, as codes and as linear light.
        mattes: each with its subject, in the setup's order.
        known: what is known of the picture behind the cut-outs.
        sources: where it all comes from.
    """

    look: Look
    picture: Picture
    light: Light
    mattes: tuple[tuple[Matte, SubjectAt], ...]
    known: Known | None
    sources: Sources
    quality: Quality

    @property
    def scale(self) -> float:
        """Px of the picture for one px of the source."""
        return self.picture.size[1] / self.sources.full_width

    @property
    def growth(self) -> float:
        """How far beyond its matte a subject is taken to spoil the picture behind it, px."""
        return self.look.plate.growth * self.scale

    def chosen(self, subject: str | None) -> list[tuple[Matte, SubjectAt]]:
        """A subject's matte, or all without one."""
        return [(matte, one) for matte, one in self.mattes if subject in (None, one.id)]

    def unrefined(self, subject: SubjectAt) -> Matte:
        """A subject's matte before anything was done to it."""
        return _unrefined(subject.matte, Refine(), self.picture.size, self.scale, self.sources.kept)

    @cached_property
    def cut_outs(self) -> tuple[CutOut, ...]:
        return tuple(CutOut(matte, one.distance) for matte, one in self.mattes if one.acts is Acts.CUT_OUT)

    @cached_property
    def dioptres(self) -> NDArray[np.float32]:
        """(height, width) 1/m of everything that is not cut out."""
        return distance_map(self.look, self.picture, self.mattes, self.sources)

    @cached_property
    def opening(self) -> Opening:
        return opening_at(self.look, self.sources.full_width, in_picture=True)

    @cached_property
    def plate(self) -> Plate:
        """The picture behind the cut-outs, filled where it is not known."""
        covered = [one.matte for one in self.cut_outs]
        detailed = self.look.plate.filled_by is FilledBy.DETAILED
        nearest = nearest_of(self.cut_outs)
        return Plate(*picture_behind(self.light, self.dioptres, covered, self.growth, self.known, detailed, nearest))

    @cached_property
    def blurred(self) -> Light:
        """What the lens makes of it."""
        return through_lens(self.light, self.dioptres, self.cut_outs, self.opening, self.plate, self.quality)

    @property
    def result(self) -> Light:
        """The same, enlarged where the lens breathes."""
        larger = enlargement(self.opening.lens.focal_length, self.look.focus) if self.look.breathing else 1.0
        return breathed(self.blurred, larger)


def compose(look: Look, frame: int, sources: Sources, quality: Quality = Quality.FINAL) -> Composed:
    """Put together what a frame is made of.

    Args:
        look: the setup at the frame.
        frame: frame number of the clip.

    Raises:
        FrameUnreadable: the footage has no such frame.
        NotKept: a stored matte or plate is not there.
    """
    picture = sources.footage.picture(frame)
    light = to_light(picture.codes, picture.transfer)
    scale = picture.size[1] / sources.full_width
    known = known_plate(look.plate, picture, scale, sources.kept)
    carefully = quality is Quality.FINAL
    mattes = [(_remembered(one, picture, scale, sources, carefully), one) for one in look.subjects]
    if look.plate.mend_mattes and known is not None:
        mattes = [(against_plate(light, matte, known.light, known.seen > 0), one) for matte, one in mattes]
    return Composed(look, picture, light, tuple(mattes), known, sources, quality)


def mattes_of(look: Look, picture: Picture, scale: float, kept: Kept) -> list[tuple[Matte, SubjectAt]]:
    """The mattes of a frame, each with its subject, as they are before a plate mends them."""
    return [(matte_of(one, picture, scale, kept, carefully=False), one) for one in look.subjects]


def _remembered(subject: SubjectAt, picture: Picture, scale: float, sources: Sources, carefully: bool) -> Matte:
    def make() -> Matte:
        return matte_of(subject, picture, scale, sources.kept, carefully)

    if sources.recent is None:
        return make()
    # Only an edge that is drawn to the picture depends on the frame: what is drawn and stands still is made once.
    name = sources.name if subject.refine.edge is not Edge.NONE else ""
    key = (name, picture.size, scale, subject.matte, subject.nearby, subject.refine, carefully)
    return sources.recent.get(key, make)


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
    matte = _unrefined(subject.matte, refine, size, scale, kept)
    if subject.nearby:
        matte = steadied(matte, [_unrefined(one, refine, size, scale, kept) for one in subject.nearby])
    matte = limited(matte, refine.black, refine.white)
    matte = edged(matte, eight_bits(picture.codes), refine, scale, carefully)
    if not drawn:
        matte = grown(matte, refine, scale)
    return np.asarray(1 - matte, np.float32) if refine.invert else matte


def _unrefined(at: MatteAt, refine: Refine, size: tuple[int, int], scale: float, kept: Kept) -> Matte:
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
