"""What a frame is made of: its picture, mattes, distances, the plate behind them, the lens. Views are made of it."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.card import LaidCard, around_card, back_to_front, laid_card
from kalyptra.core.clip.reader import Picture, PictureSource
from kalyptra.core.clip.transfer import to_light
from kalyptra.core.distance.imported import imported_map
from kalyptra.core.distance.smooth import smoothed
from kalyptra.core.distance.stack import Layer, stack, with_zones
from kalyptra.core.distance.toned import Toned
from kalyptra.core.finished import Seen, finished
from kalyptra.core.focus.breathing import breathed, enlargement
from kalyptra.core.layered import (
    CutOut,
    Light,
    Matte,
    Opening,
    Plate,
    Quality,
    lay_over_what_is_far,
    nearest_of,
    opening_at,
    through_lens,
)
from kalyptra.core.lens.character import with_character
from kalyptra.core.lens.layers import lay_sharp
from kalyptra.core.parallax import Beside, laid_matte, moved_ground, moved_layer
from kalyptra.core.plate.clean_plate import HIDDEN, KnownPlate, clean_plate
from kalyptra.core.plate.decontaminate import own_colour
from kalyptra.core.plate.difference_matte import difference_matte
from kalyptra.core.setup.document.setup import Acts, FilledBy, Refine
from kalyptra.core.setup.geometry.planes import Camera
from kalyptra.core.setup.resolve.look import Look, PlateAt, SubjectAt, ends_of
from kalyptra.core.setup.resolve.move import MoveAt
from kalyptra.core.setup.resolve.source import MapAt, SourceAt
from kalyptra.core.setup.resolve.space import CardAt, SpaceAt
from kalyptra.core.store import EmptyStore, NotInStore, Store
from kalyptra.core.subject_matte import MatteMaker, subject_matte, unrefined_matte

AROUND = 240
"""Px of the width, at least, that what is around cards in space is made at."""
FARTHEST = 1e6
"""Px within which a corner is drawn."""
NEARER = 0.05
"""The share of a cut-out's dioptres by which something must be nearer to lie before it."""


@dataclass(frozen=True)
class Sources:
    """The pictures that a setup needs.

    Attributes:
        footage: the clip, or its proxy.
        full_width: width in px of the clip at full size; a setup's lengths are in its pixels.
        store: where mattes, plates and maps that are pictures come from.
        mattes: makes the mattes of subjects.
    """

    footage: PictureSource
    full_width: int
    store: Store = field(default_factory=EmptyStore)
    mattes: MatteMaker = subject_matte

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
        frame: its number.
        picture: what the camera saw.
        mattes: each with its subject, in the setup's order.
        known: what is known of the picture behind the cut-outs.
        sources: where it all comes from.
    """

    look: Look
    frame: int
    picture: Picture
    mattes: tuple[tuple[Matte, SubjectAt], ...]
    known: KnownPlate | None
    sources: Sources
    quality: Quality

    @cached_property
    def light(self) -> Light:
        """What is seen without a lens: (height, width, 3) linear light."""
        return to_light(self.picture.codes, self.picture.transfer)

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
        return [(matte, owner) for matte, owner in self.mattes if subject in (None, owner.id)]

    def unrefined(self, subject: SubjectAt) -> Matte:
        """A subject's matte before anything was done to it."""
        return unrefined_matte(subject.matte, Refine(), self.picture.size, self.scale, self.sources.store)

    @cached_property
    def cut_outs(self) -> tuple[CutOut, ...]:
        return tuple(CutOut(matte, owner.distance) for matte, owner in self.mattes if owner.acts is Acts.CUT_OUT)

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
        covered = [cut_out.matte for cut_out in self.cut_outs]
        detailed = self.look.plate.filled_by is FilledBy.DETAILED
        nearest = nearest_of(self.cut_outs)
        return Plate(*clean_plate(self.light, self.dioptres, covered, self.growth, self.known, detailed, nearest))

    @cached_property
    def blurred(self) -> Light:
        """What the lens makes of it."""
        return through_lens(self.light, self.dioptres, self.cut_outs, self.opening, self.plate, self.quality)

    @property
    def result(self) -> Light:
        """The same with its finish, enlarged where the lens breathes."""
        finish = self.look.finish
        larger = enlargement(self.opening.lens.focal_length, self.look.focus) if self.look.breathing else 1.0
        # What is seen of the source does not breathe: so neither does the result, as far as it is not seen.
        blurred = with_character(self.blurred, self.look.character, self.scale)
        if not finish.is_plain:
            seen = Seen(
                self.light, self.dioptres, self.cut_outs, tuple((owner.id, matte) for matte, owner in self.mattes),
                self.opening, self.frame, self.scale, self.picture.transfer,
            )  # fmt: skip
            blurred = finished(blurred, finish, seen, self.sources.store)
        return breathed(blurred, 1 + (larger - 1) * finish.strength)


@dataclass(frozen=True)
class Moved(Composed):
    """The same from a little beside; all of it is as it is seen from there.

    Attributes:
        seen: (height, width, 3) linear light, without a lens.
        ground: what is not cut out.
    """

    seen: Light
    ground: Plate

    @cached_property
    def light(self) -> Light:
        return self.seen

    @cached_property
    def dioptres(self) -> NDArray[np.float32]:
        return self.ground.dioptres

    @cached_property
    def plate(self) -> Plate:
        return self.ground


@dataclass(frozen=True)
class InSpace(Composed):
    """A frame on cards in space. What is around them is infinitely far.

    Attributes:
        cards: with their own colours, in the order in which they are laid over each other.
        around: (height, width, 3) linear light, small: it has nothing fine in it.
    """

    cards: tuple[CutOut, ...]
    around: Light

    @cached_property
    def light(self) -> Light:
        light = self.plate.light.copy()
        for card in self.cards:
            assert card.colour is not None
            lay_sharp(card.colour, card.matte, light)
        return light

    @cached_property
    def dioptres(self) -> NDArray[np.float32]:
        return self.plate.dioptres

    @cached_property
    def plate(self) -> Plate:
        return Plate(enlarged(self.around, self.picture.size), np.zeros(self.picture.size, np.float32))

    @cached_property
    def cut_outs(self) -> tuple[CutOut, ...]:
        return self.cards

    @cached_property
    def blurred(self) -> Light:
        far = np.zeros(self.around.shape[:2], np.float32)
        soft = through_lens(self.around, far, (), self.opening, Plate(self.around, far), self.quality)
        light = enlarged(soft, self.picture.size)
        lay_over_what_is_far(light, self.cards, self.opening, self.quality)
        return light


def enlarged(light: Light, size: tuple[int, ...]) -> Light:
    """A soft picture at a larger size, (height, width)."""
    return np.asarray(cv2.resize(light, (size[1], size[0]), interpolation=cv2.INTER_LINEAR), np.float32)


def in_space(look: Look, frame: int, sources: Sources, quality: Quality, space: SpaceAt) -> InSpace:
    """A frame on cards in space, as the camera there sees it. Subjects are part of the shot's own picture; of one that
    has a card of its own there is only what is behind it.

    Raises:
        FrameUnreadable: the footage has no such frame.
        NotKept: a stored picture or matte is not there.
    """
    picture = sources.footage.picture(frame)
    taken, size = to_light(picture.codes, picture.transfer), picture.size
    scale = size[1] / sources.full_width
    shown = {card.subject for card in space.cards if card.subject}
    cut_out, behind = _lifted_off(look, picture, taken, shown, sources) if shown else ({}, taken)
    laid = [_card(card, behind, cut_out.get(card.subject or ""), picture, scale, sources.store) for card in space.cards]
    cards = []
    for rank, card in enumerate(back_to_front(laid, scale)):
        dioptres = np.maximum(stack(size, scale, [Layer(card.plane)]), np.float32(1e-5))
        cards.append(CutOut.with_relief(card.cover, dioptres, card.light, rank))
    small = around_card(taken, space.around, space.colour, picture.transfer, max(AROUND, size[1] // 4))
    return InSpace(look, frame, picture, (), None, sources, quality, tuple(cards), small)


def _card(
    card: CardAt, own: Light, cut_out: tuple[Light, Matte] | None, picture: Picture, scale: float, store: Store
) -> LaidCard:
    """A card with what is on it.

    Args:
        own: the shot's own picture.
        cut_out: the subject that the card shows, if it does.
    """
    matrix = np.array(card.seen.matrix).reshape(3, 3)
    sized, alpha = np.diag([scale, scale, 1.0]), None
    if card.picture is not None:
        codes = store.picture(card.picture)
        if codes.ndim != 3:
            raise NotInStore(f"the stored picture {card.picture} is a matte, and no picture for a card")
        light, alpha = to_light(codes[..., :3], picture.transfer), opacity(codes)
        matrix = sized @ matrix
    else:
        light, alpha = cut_out or (own, None)
        matrix = sized @ matrix @ np.linalg.inv(sized)  # in px of the source both ways
    return LaidCard(*laid_card(light, alpha, matrix, picture.size), card.seen.plane)


def opacity(codes: NDArray[np.unsignedinteger]) -> NDArray[np.float32] | None:
    """How much there is of each pixel of a stored RGBA picture, 0 to 1; None where all of it is there."""
    alpha, top = codes[..., 3], np.iinfo(codes.dtype).max
    return None if alpha.min() == top else np.asarray(alpha / np.float32(top), np.float32)


def _lifted_off(
    look: Look, picture: Picture, light: Light, subjects: Collection[str], sources: Sources
) -> tuple[dict[str, tuple[Light, Matte]], Light]:
    """Subjects with their own colours and mattes, and the picture without them: its plate where they were."""
    scale = picture.size[1] / sources.full_width
    mattes = {
        subject.id: sources.mattes(subject, picture, scale, sources.store)
        for subject in look.subjects
        if subject.id in subjects
    }
    known, far = known_plate(look.plate, picture, scale, sources.store), np.zeros(picture.size, np.float32)
    detailed = look.plate.filled_by is FilledBy.DETAILED
    behind, _ = clean_plate(light, far, list(mattes.values()), look.plate.growth * scale, known, detailed)
    return {name: (own_colour(light, matte, behind), matte) for name, matte in mattes.items()}, behind


def moved(made: Composed, move: MoveAt) -> Moved:
    """A frame as it is seen from a little beside."""
    size = made.light.shape[:2]
    beside = Beside.of(move, size, made.scale)
    plate = made.plate
    ground = moved_ground(plate.light, plate.dioptres, beside)
    light, mattes = ground.light.copy(), []
    for matte, owner in sorted(made.mattes, key=lambda pair: -pair[1].distance):
        if owner.acts is not Acts.CUT_OUT:
            mattes.append((laid_matte(matte, ground), owner))
            continue
        own = own_colour(made.light, matte, plate.light)
        colour, seen, _ = moved_layer(own, matte, owner.distance, beside)
        # What of the ground is nearer still lies before it.
        before = ground.dioptres > np.float32((1 + NEARER) / owner.distance)
        seen = np.where(before, np.float32(0), seen)
        light += (colour - light) * seen[..., None]
        mattes.append((seen, owner))
    ordered = {owner.id: matte for matte, owner in mattes}
    hidden = np.logical_or.reduce([matte > HIDDEN for matte, owner in made.mattes if owner.acts is Acts.CUT_OUT] or
                                  [np.zeros(size, bool)])  # fmt: skip
    known = made.known.seen if made.known is not None else np.zeros(size, np.uint8)
    often = laid_matte(np.where(hidden, known, np.uint8(255)).astype(np.float32), ground)
    seen_often = np.where(ground.made_up, np.float32(0), often).astype(np.uint8)
    return Moved(
        made.look, made.frame, made.picture, tuple((ordered[owner.id], owner) for _, owner in made.mattes),
        KnownPlate(ground.light, seen_often, np.ones(size, bool)), made.sources, made.quality, light,
        Plate(ground.light, ground.dioptres),
    )  # fmt: skip


def compose(look: Look, frame: int, sources: Sources, quality: Quality = Quality.FINAL) -> Composed:
    """Put together what a frame is made of.

    Args:
        look: the setup at the frame.
        frame: frame number of the clip.

    Raises:
        FrameUnreadable: the footage has no such frame.
        NotKept: a stored matte or plate is not there.
    """
    if look.space is not None:
        return in_space(look, frame, sources, quality, look.space)
    picture = sources.footage.picture(frame)
    scale = picture.size[1] / sources.full_width
    known = known_plate(look.plate, picture, scale, sources.store)
    carefully = quality is Quality.FINAL
    mattes = [(sources.mattes(subject, picture, scale, sources.store, carefully), subject) for subject in look.subjects]
    if look.plate.mend_mattes and known is not None:
        light, often = to_light(picture.codes, picture.transfer), known.seen > 0
        mattes = [(difference_matte(light, matte, known.light, often), owner) for matte, owner in mattes]
    made = Composed(look, frame, picture, tuple(mattes), known, sources, quality)
    return moved(made, look.move) if look.move else made


def mattes_of(look: Look, picture: Picture, scale: float, store: Store) -> list[tuple[Matte, SubjectAt]]:
    """The mattes of a frame, each with its subject, as they are before a plate mends them."""
    return [(subject_matte(subject, picture, scale, store, carefully=False), subject) for subject in look.subjects]


def known_plate(plate: PlateAt, picture: Picture, scale: float, store: Store) -> KnownPlate | None:
    """What is known of the picture behind the cut-outs, laid over the frame; None where nothing is.

    Raises:
        NotKept: a stored plate is not there.
    """
    if plate.imported is not None:
        return KnownPlate.whole(store.picture(plate.imported), picture.size, picture.transfer)
    if plate.patch is not None:
        corner = (plate.patch.left, plate.patch.top)
        return KnownPlate.patch(store.picture(plate.patch.picture), corner, picture.size, scale, picture.transfer)
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
    if look.space is not None:
        return _map_in_space(look.space, picture.size, scale)
    layers = [layer for _, layer in layers_of(look, picture, sources, {first.id: matte for matte, first in pairs})]
    dioptres = stack(picture.size, scale, layers)
    with_zones(dioptres, [(matte, first.distance) for matte, first in pairs if first.acts is Acts.ZONE])
    covered = [matte for matte, first in pairs if first.acts is Acts.CUT_OUT]
    hidden = np.logical_or.reduce([matte > HIDDEN for matte in covered]) if covered else None
    return smoothed(dioptres, look.smooth_by, look.smooth * scale, hidden)


def _map_in_space(space: SpaceAt, size: tuple[int, int], scale: float) -> NDArray[np.float32]:
    """How far away the foremost card is; where there is none the shot's own goes on, as a plane."""
    planes = [(card, stack(size, scale, [Layer(card.seen.plane)])) for card in space.cards]
    if not planes:
        return np.zeros(size, np.float32)
    own = planes[0][1].copy()
    seen = np.zeros(size, np.float32)
    for card, plane in planes:
        inside = np.zeros(size, np.uint8)
        corners = np.clip(np.array(card.seen.corners) * scale, -FARTHEST, FARTHEST)
        cv2.fillConvexPoly(inside, np.round(corners).astype(np.int32), 1)
        np.maximum(seen, plane, out=seen, where=inside > 0)
    return np.where(seen > 0, seen, own)


def _curve_of(at: SourceAt, sources: Sources) -> Toned | None:
    """A source's curve over the dioptres that it names."""
    if not at.curve:
        return None
    low, high = ends_of(at.shape, Camera(*sources.full_size, 1.0))
    return Toned(at.curve, max(low, 0.0), high)


def layers_of(
    look: Look, picture: Picture, sources: Sources, mattes: Mapping[str, Matte]
) -> list[tuple[SourceAt, Layer]]:
    """What each source of distance lays over those before it; imported maps that have no picture then are left out.

    Args:
        mattes: those that are known already, by subject.
    """
    scale = picture.size[1] / sources.full_width
    regions = {
        region.id: mattes[region.id] if region.id in mattes else sources.mattes(region, picture, scale, sources.store)
        for region in look.regions
    }
    layers = []
    for at in look.sources:
        shape = imported_map(at.shape, picture.size, sources.store) if isinstance(at.shape, MapAt) else at.shape
        if shape is not None:
            region = regions[at.region] if at.region else None
            layers.append((at, Layer(shape, at.joins, at.strength, region, at.outside, _curve_of(at, sources))))
    return layers
