"""A shot that is set in space: its picture on a flat card, others beside it, seen by a camera of our own.

World: metres, x to the right, y down, z ahead; the camera stands at the origin and looks ahead until it is moved.
"""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Any, Self

from pydantic import BeforeValidator, Field, model_validator

from kalyptra.core.setup.document.distance import Degrees, Distance, Name
from kalyptra.core.setup.document.stored import Name as PictureName
from kalyptra.core.setup.frozen import Frozen
from kalyptra.core.setup.time.keyed import Keyed, constant

Metres = Annotated[float, Field(ge=-1000, le=1000)]
Colour = Annotated[str, Field(pattern=r"^#[0-9a-f]{6}$")]
FocalLength = Annotated[float, Field(ge=1, le=2000)]
"""Mm."""
MOST_CARDS = 8
"""Besides the one with the shot's picture."""


def _held_still(value: Any) -> Any:
    """A number that stands for a keyed value without a move."""
    plain = isinstance(value, int | float) and not isinstance(value, bool)
    return {"keys": [{"frame": 0, "value": value}]} if plain else value


class Around(StrEnum):
    """What is seen around the card."""

    COLOUR = "colour"
    BLURRED = "blurred"


class Card(Frozen):
    """A flat card with the shot's picture on it.

    Attributes:
        width: metres.
        across, up, distance: of its middle, metres.
        turn: its right side away from the camera; tilt: its upper side away; roll: clockwise. Degrees.
    """

    width: Annotated[float, Field(ge=0.001, le=1000)] = 0.3
    across: Keyed[Metres] = constant(0.0, Metres)
    up: Keyed[Metres] = constant(0.0, Metres)
    distance: Keyed[Distance] = constant(0.6, Distance)
    turn: Keyed[Degrees] = constant(0.0, Degrees)
    tilt: Keyed[Degrees] = constant(0.0, Degrees)
    roll: Keyed[Degrees] = constant(0.0, Degrees)


class FurtherCard(Card):
    """A card with something else on it: a picture that was brought, or a subject of the shot, cut out.

    Attributes:
        picture: its name in the store; size: its width and height, px.
        subject: whose matte and picture it shows. One of the two is named.
    """

    id: Name
    name: Annotated[str, Field(max_length=60)] = ""
    enabled: bool = True
    picture: PictureName | None = None
    size: tuple[Annotated[int, Field(ge=1, le=16384)], Annotated[int, Field(ge=1, le=16384)]] | None = None
    subject: Name | None = None

    @model_validator(mode="after")
    def _shows_something(self) -> Self:
        if (self.picture is None) == (self.subject is None) or (self.picture is None) != (self.size is None):
            raise ValueError("a card shows a picture of a size, or a subject")
        return self


class OwnCamera(Frozen):
    """The camera that sees it, through the shot's lens.

    Attributes:
        across, up, ahead: metres.
        pan: to the right; tilt: up; roll: clockwise. Degrees.
        focal_length_mm: without it that of the lens.
    """

    across: Keyed[Metres] = constant(0.0, Metres)
    up: Keyed[Metres] = constant(0.0, Metres)
    ahead: Keyed[Metres] = constant(0.0, Metres)
    pan: Keyed[Degrees] = constant(0.0, Degrees)
    tilt: Keyed[Degrees] = constant(0.0, Degrees)
    roll: Keyed[Degrees] = constant(0.0, Degrees)
    focal_length_mm: Annotated[Keyed[FocalLength] | None, BeforeValidator(_held_still)] = None


class Space(Frozen):
    """Cards, a camera, and what is around.

    Attributes:
        enabled: whether the shot is seen there; what was set up stays when it is not.
        card: with the shot's own picture.
        cards: those beside it.
    """

    enabled: bool = True
    card: Card = Card()
    cards: Annotated[tuple[FurtherCard, ...], Field(max_length=MOST_CARDS)] = ()
    camera: OwnCamera = OwnCamera()
    around: Around = Around.BLURRED
    colour: Colour = "#1c1f26"

    @model_validator(mode="after")
    def _named_apart(self) -> Self:
        if len({card.id for card in self.cards}) != len(self.cards):
            raise ValueError("two cards have the same id")
        return self
