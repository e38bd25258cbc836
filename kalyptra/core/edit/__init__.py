"""Commands: every change of a setup, by hand or by a job, is one or more of these, and nothing else changes a setup."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

from pydantic import Field

from kalyptra.core.edit.command import ClipExtent, Command, Refused
from kalyptra.core.edit.finish import ClearFinish, DropTable, LimitStretch, MoveFrame
from kalyptra.core.edit.focus import AddMark, Perform, PullTo, PutCut, RemoveMark, ReplaceFocus
from kalyptra.core.edit.looks import PutLook
from kalyptra.core.edit.mattes import DropMatteKeys, PutMatteKey
from kalyptra.core.edit.outlines import (
    AddOutlines,
    DrawOutline,
    DropOutlineKeys,
    EaseOutline,
    KeyOutline,
    MoveOutlineKey,
    PlaceOutlines,
    RemoveOutline,
    ShapeOutline,
)
from kalyptra.core.edit.shot import HoldEnd, HoldRange, RideRange, SetRange
from kalyptra.core.edit.sizes import PutBySize
from kalyptra.core.edit.sources import (
    AddSource,
    AddStop,
    BendSource,
    CopySource,
    PutRegion,
    ReadMapAs,
    RemoveSource,
    RemoveStop,
    ThirdPin,
    TurnSource,
    UseRecipe,
)
from kalyptra.core.edit.space import AddCutOut, PlaceCard, RemoveCard, SetInSpace, UseCameraMove
from kalyptra.core.edit.subjects import AddSubject, RemoveSubject, StandOn
from kalyptra.core.edit.values import DropKeys, EaseKeys, KeyHere, MoveKeys, Put, PutKeys, PutPlace, Reorder, SetAt
from kalyptra.core.setup.document.setup import Setup

ByHand = Annotated[
    Put | SetAt | PutPlace | PutKeys | KeyHere | DropKeys | MoveKeys | EaseKeys | Reorder
    | AddSubject | RemoveSubject | StandOn
    | DrawOutline | AddOutlines | RemoveOutline | ShapeOutline | PlaceOutlines | KeyOutline | DropOutlineKeys
    | MoveOutlineKey | EaseOutline
    | PutMatteKey | DropMatteKeys
    | AddSource | CopySource | RemoveSource | PutRegion | TurnSource | BendSource | ReadMapAs
    | AddStop | RemoveStop | ThirdPin
    | UseRecipe
    | AddMark | RemoveMark | PullTo | Perform | ReplaceFocus | PutCut
    | PutBySize | SetInSpace | UseCameraMove | PlaceCard | AddCutOut | RemoveCard
    | SetRange | HoldRange | HoldEnd | RideRange
    | LimitStretch | ClearFinish | DropTable | MoveFrame | PutLook,
    Field(discriminator="do"),
]  # fmt: skip
"""The commands that people give; what jobs give is in `findings`."""


def apply(setup: Setup, commands: Sequence[Command], clip: ClipExtent) -> Setup:
    """The setup with commands carried out, one after the other; all of them, or none.

    Raises:
        Refused: one cannot be carried out on this setup.
    """
    for command in commands:
        setup = command.apply(setup, clip)
    return setup


def words_of(commands: Sequence[Command]) -> str:
    """What commands do, for the history: the first one, and how many more, those on the same value apart."""
    if not commands:
        return ""
    first, *others = commands
    where = getattr(first, "path", None)
    more = sum(where is None or getattr(other, "path", None) != where for other in others)
    return first.words[0].upper() + first.words[1:] + (f", and {more} more." if more else ".")


__all__ = ["ByHand", "ClipExtent", "Command", "Refused", "apply", "words_of"]
