"""The focus curve as a document: marks that distances are called by, and keys that go from one to the next.

Between two keys whose ease is not to hold lies a pull: focus leaves the one and arrives at the other, wherever both are
by then. A key that holds stays on its mark; where that is a subject's, focus stays on the subject.
"""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Self

from pydantic import Field, model_validator

from kalyptra.core.setup.document.distance import Distance, Name
from kalyptra.core.setup.frozen import Frozen
from kalyptra.core.setup.time.keyed import Key


class Mark(Frozen):
    """A named distance, as tape on a lens.

    Attributes:
        distance: metres; of a mark on a subject, what holds where that is gone.
        subject: whose distance it is, frame by frame.
        lag: frames by which a hand is behind the subject.
        steady: frames on either side that a hand smooths it over.
    """

    id: Name
    name: Annotated[str, Field(min_length=1, max_length=40)]
    distance: Distance
    subject: Name | None = None
    lag: Annotated[float, Field(ge=0, le=48)] = 0.0
    steady: Annotated[int, Field(ge=0, le=48)] = 0


class FocusKey(Key[Distance]):
    """A distance at a frame: the mark's, where there is one, else the value."""

    mark: Name | None = None


class FocusCurve(Frozen):
    """One key or more, in the order of their frames."""

    keys: Annotated[tuple[FocusKey, ...], Field(min_length=1, max_length=100_000)]

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if any(a.frame >= b.frame for a, b in pairwise(self.keys)):
            raise ValueError("keys must be in the order of their frames, one a frame")
        return self


def still_focus(distance: float) -> FocusCurve:
    """Focus that stays."""
    return FocusCurve(keys=(FocusKey(frame=0, value=distance),))


class Focus(Frozen):
    """Focus over time.

    Attributes:
        fastest: dioptres a second that a hand can pull; faster is told.
        breathing: whether the angle of view changes with focus, as a real lens' does.
        cuts: frames that the editor marked, where something happens.
    """

    marks: Annotated[tuple[Mark, ...], Field(max_length=100)] = ()
    distance: FocusCurve = still_focus(2.0)
    fastest: Annotated[float, Field(ge=0.01, le=1000)] = 4.0
    breathing: bool = False
    cuts: Annotated[tuple[Annotated[int, Field(ge=0, le=10_000_000)], ...], Field(max_length=1000)] = ()

    @model_validator(mode="after")
    def _holds_together(self) -> Self:
        names = [mark.id for mark in self.marks]
        if len(set(names)) != len(names):
            raise ValueError("two marks have the same id")
        unknown = {key.mark for key in self.distance.keys if key.mark} - set(names)
        if unknown:
            raise ValueError("a key is on a mark that is not there")
        return self
