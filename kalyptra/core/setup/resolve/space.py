"""Cards in space and their camera, at one frame."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np

from kalyptra.core.setup.document.distance import INFINITELY_FAR
from kalyptra.core.setup.document.space import Around, Card, FurtherCard, OwnCamera, Space
from kalyptra.core.setup.geometry.cards import CardSeen, Placed, Pose, corners_in_space, seen_card, turned_by
from kalyptra.core.setup.geometry.planes import Camera, Matrix
from kalyptra.core.setup.time.keyed import Keyed, mix_distance, mix_linear

Spot = tuple[float, float, float]
"""Across, up and ahead, metres."""
OWN = "card"
"""What the card with the shot's own picture is called."""


@dataclass(frozen=True)
class CardAt:
    """A card that is seen.

    Attributes:
        seen: where.
        picture, subject: what is on it; without either the shot's own picture.
    """

    id: str
    seen: CardSeen
    picture: str | None = None
    subject: str | None = None


@dataclass(frozen=True)
class SpaceAt:
    """What the camera sees: the cards, but those beside or behind it, and what is around."""

    cards: tuple[CardAt, ...]
    around: Around
    colour: str

    @property
    def farthest(self) -> float:
        """Metres of the cards' farthest corner; without a card all is infinitely far."""
        return max((card.seen.farthest for card in self.cards), default=INFINITELY_FAR)

    @property
    def nearest(self) -> float:
        return min((card.seen.nearest for card in self.cards), default=INFINITELY_FAR)


def focal_length_in(space: Space, frame: float) -> float | None:
    """Mm of the camera's focal length; None where it is that of the lens."""
    keyed = space.camera.focal_length_mm
    return keyed.at(frame, mix_linear) if keyed else None


def pose_of(card: Card, frame: float) -> Pose:
    """Where a card is at a frame."""
    across, up, away = _at(card.across, frame), _at(card.up, frame), card.distance.at(frame, mix_distance)
    return Pose(_at(card.turn, frame), _at(card.tilt, frame), _at(card.roll, frame), across, up, away)


def placed_camera(camera: OwnCamera, frame: float) -> Placed:
    """Where the camera stands at a frame, and where it looks."""
    # A camera that pans to the right looks where a card that is turned to the left would face.
    looks = turned_by(-_at(camera.pan, frame), -_at(camera.tilt, frame), _at(camera.roll, frame))
    return Placed(looks, np.array([_at(camera.across, frame), -_at(camera.up, frame), _at(camera.ahead, frame)]))


def _at(keyed: Keyed[float], frame: float) -> float:
    return keyed.at(frame, mix_linear)


def space_at(space: Space, frame: float, camera: Camera) -> SpaceAt:
    """Space at a frame.

    Args:
        camera: with its focal length, px of the source.
    """
    own, cards = placed_camera(space.camera, frame), []
    for name, card, size in _shown(space, camera):
        seen = seen_card(camera, card.width, size, pose_of(card, frame).placed, own)
        if seen is not None:
            on_it = (card.picture, card.subject) if isinstance(card, FurtherCard) else ()
            cards.append(CardAt(name, seen, *on_it))
    return SpaceAt(tuple(cards), space.around, space.colour)


def _shown(space: Space, camera: Camera) -> Iterator[tuple[str, Card, tuple[float, float]]]:
    """The cards that are switched on, with their ids and the (width, height) of their pictures."""
    clip = (camera.width, camera.height)
    yield OWN, space.card, clip
    yield from ((card.id, card, card.size or clip) for card in space.cards if card.enabled)


@dataclass(frozen=True)
class SpacePlan:
    """Cards and camera in the world at a frame, and the camera's way; places are across, up and ahead, metres.

    Attributes:
        cards: the corners of each, round it from the upper left one.
        seen: the same in the picture, px of the source, of those that are seen.
        camera: where it stands; beside it pan and tilt, degrees.
        angles: half of what it sees across and up, degrees.
        way: frames, and where the camera is then.
    """

    cards: dict[str, list[Spot]]
    seen: dict[str, list[tuple[float, float]]]
    camera: tuple[float, float, float, float, float]
    angles: tuple[float, float]
    way: list[tuple[int, Spot]]


def space_plan(space: Space, frame: float, camera: Camera, frames: Iterable[int]) -> SpacePlan:
    """The plan at a frame.

    Args:
        camera: with its focal length, px of the source.
        frames: at which the camera's way is told.
    """
    own = space.camera
    cards = {
        name: [_spot(corner) for corner in corners_in_space(pose_of(card, frame).placed, card.width, size).T]
        for name, card, size in _shown(space, camera)
    }
    seen = {card.id: [(round(x, 2), round(y, 2)) for x, y in card.seen.corners]
            for card in space_at(space, frame, camera).cards}  # fmt: skip
    angles = tuple(math.degrees(math.atan(side / 2 / camera.focal)) for side in (camera.width, camera.height))
    return SpacePlan(
        cards, seen, (*_spot(placed_camera(own, frame).at), _at(own.pan, frame), _at(own.tilt, frame)),
        (angles[0], angles[1]), [(at, _spot(placed_camera(own, at).at)) for at in frames],
    )  # fmt: skip


def _spot(place: Matrix) -> Spot:
    """A place of the world (x right, y down, z ahead) as across, up and ahead."""
    across, down, ahead = (round(float(number), 5) for number in place)
    return across, -down, ahead
