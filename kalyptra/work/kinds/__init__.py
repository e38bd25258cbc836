"""The kinds of work over frames, a module a matter: what is asked and refused, how it is done, what it gives."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, TypeAdapter

from kalyptra.work.kinds.feet import FindFeet
from kalyptra.work.kinds.files import BringCard, BringFile, BringMap, BringMatte, BringPlate, BringTable
from kalyptra.work.kinds.grain import MeasureGrain
from kalyptra.work.kinds.mattes import FindPeople, FollowMattes
from kalyptra.work.kinds.order import Gone, NotTaken, Order, Task
from kalyptra.work.kinds.outlines import FollowOutlines
from kalyptra.work.kinds.plate import RecoverPlate
from kalyptra.work.kinds.sources import FollowSource
from kalyptra.work.models import Follow

_OverFrames = FollowOutlines | FollowMattes | FindPeople | RecoverPlate | FindFeet | MeasureGrain | FollowSource
_Brings = BringMatte | BringPlate | BringMap | BringTable | BringCard
OverFrames = Annotated[_OverFrames, Field(discriminator="what")]
"""What is asked for by an order alone."""
Brings = Annotated[_Brings, Field(discriminator="what")]
"""What is asked for with a file."""
_ANY: TypeAdapter[Order] = TypeAdapter(Annotated[_OverFrames | _Brings, Field(discriminator="what")])


def order_of(row: Follow) -> Order:
    """What was asked for."""
    return _ANY.validate_python(row.order)


__all__ = ["BringCard", "BringFile", "BringMap", "BringMatte", "BringPlate", "BringTable", "Brings", "FindFeet",
           "FindPeople",
           "FollowMattes", "FollowOutlines", "FollowSource", "Gone", "MeasureGrain", "NotTaken", "Order", "OverFrames",
           "RecoverPlate", "Task", "order_of"]  # fmt: skip
