"""Kinds of blur, and what sets one lens apart from another."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

from pydantic import Field

from kalyptra.core.setup.document.distance import Degrees, Place, Share
from kalyptra.core.setup.frozen import Frozen
from kalyptra.core.setup.time.keyed import Keyed, constant

TwoWays = Annotated[float, Field(ge=-1, le=1)]
Stops = Annotated[float, Field(ge=0, le=4)]
PerMille = Annotated[float, Field(ge=-5, le=5)]


class BlurKind(StrEnum):
    """What a point becomes: the lens' iris, or something else as large."""

    LENS = "lens"
    GAUSSIAN = "gaussian"
    ALONG = "along"
    """A line in one direction."""
    OUTWARDS = "outwards"
    """A line away from a centre, longer farther from it."""
    AROUND = "around"
    """A line around a centre, longer farther from it."""


class Blur(Frozen):
    """Which kind of blur; how large it is, distance says."""

    form: BlurKind = BlurKind.LENS
    """What a point becomes."""
    direction: Keyed[Degrees] = constant(0.0, Degrees)
    """Of lines along, clockwise from the right."""
    centre: Keyed[Place] | None = None
    """Of lines outwards and around, px of the source; the middle of the picture without one."""


class Character(Frozen):
    """What a lens does that an ideal one does not."""

    cats_eye: Keyed[Share] = constant(0.0, Share)
    """How far the rim of the lens moves across the iris towards the corners, in radii of the disc."""
    fall_off: Keyed[Stops] = constant(0.0, Stops)
    """By how much less light the corners get, stops."""
    colour_shift: Keyed[PerMille] = constant(0.0, PerMille)
    """By how much longer the lens' focal length is for red and blue than for green, thousandths."""
    spherical: Keyed[TwoWays] = constant(0.0, TwoWays)
    """Above 0 discs have a bright rim behind the focus and a soft one before it; below the other way round."""
    streak: Keyed[Share] = constant(0.0, Share)
    """How strongly lights are drawn out sideways, as by an anamorphic lens."""
    glow: Keyed[Share] = constant(0.0, Share)
    """How much of a soft picture lies over the sharp one."""
    glow_size: Annotated[float, Field(ge=1, le=1000)] = 30.0
    """Its softness, px: a standard deviation of half of that."""
