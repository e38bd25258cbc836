"""A shot that is set in space: its picture on a flat card, seen by a camera of our own.

World: metres, x to the right, y down, z ahead; the camera stands at the origin and looks ahead until it is moved.
"""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

from pydantic import Field

from kalyptra.core.setup.document.distance import Degrees, Distance
from kalyptra.core.setup.frozen import Frozen
from kalyptra.core.setup.time.keyed import Keyed, constant

Metres = Annotated[float, Field(ge=-1000, le=1000)]
Colour = Annotated[str, Field(pattern=r"^#[0-9a-f]{6}$")]


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


class OwnCamera(Frozen):
    """The camera that sees it, through the shot's lens.

    Attributes:
        across, up, ahead: metres.
        pan: to the right; tilt: up; roll: clockwise. Degrees.
    """

    across: Keyed[Metres] = constant(0.0, Metres)
    up: Keyed[Metres] = constant(0.0, Metres)
    ahead: Keyed[Metres] = constant(0.0, Metres)
    pan: Keyed[Degrees] = constant(0.0, Degrees)
    tilt: Keyed[Degrees] = constant(0.0, Degrees)
    roll: Keyed[Degrees] = constant(0.0, Degrees)


class Space(Frozen):
    """A card, a camera, and what is around."""

    card: Card = Card()
    camera: OwnCamera = OwnCamera()
    around: Around = Around.BLURRED
    colour: Colour = "#1c1f26"
