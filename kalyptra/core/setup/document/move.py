"""A small move of the camera through a flat shot."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from kalyptra.core.setup.frozen import Frozen
from kalyptra.core.setup.time.keyed import Keyed, constant

SmallWay = Annotated[float, Field(ge=-2, le=2)]
"""Metres."""


class SmallMove(Frozen):
    """From where the shot is seen: as it was taken, or from a little beside.

    Attributes:
        across, up, ahead: metres that the camera is to the right, above and ahead of where it was.
        aims: whether what is in focus stays where it is in the picture, as with a camera that keeps looking at it.
    """

    across: Keyed[SmallWay] = constant(0.0, SmallWay)
    up: Keyed[SmallWay] = constant(0.0, SmallWay)
    ahead: Keyed[SmallWay] = constant(0.0, SmallWay)
    aims: bool = True
