"""A card in space and its camera, at one frame."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kalyptra.core.setup.document.distance import INFINITELY_FAR
from kalyptra.core.setup.document.space import Around, Space
from kalyptra.core.setup.geometry.cards import CardSeen, seen_card, turned_by
from kalyptra.core.setup.geometry.planes import Camera
from kalyptra.core.setup.time.keyed import Keyed, mix_distance, mix_linear


@dataclass(frozen=True)
class SpaceAt:
    """What the camera sees: the card, unless it is beside or behind it, and what is around."""

    card: CardSeen | None
    around: Around
    colour: str

    @property
    def farthest(self) -> float:
        """Metres of the card's farthest corner; without a card all is infinitely far."""
        return self.card.farthest if self.card else INFINITELY_FAR


def space_at(space: Space, frame: float, camera: Camera) -> SpaceAt:
    """Space at a frame.

    Args:
        camera: with the lens' focal length, px of the source.
    """

    def at(keyed: Keyed[float]) -> float:
        return keyed.at(frame, mix_linear)

    card, own = space.card, space.camera
    middle = np.array([at(card.across), -at(card.up), card.distance.at(frame, mix_distance)])
    stands = np.array([at(own.across), -at(own.up), at(own.ahead)])
    # A camera that pans to the right looks where a card that is turned to the left would face.
    looks = turned_by(-at(own.pan), -at(own.tilt), at(own.roll))
    turn = turned_by(at(card.turn), at(card.tilt), at(card.roll))
    return SpaceAt(seen_card(camera, card.width, turn, middle, looks, stands), space.around, space.colour)
