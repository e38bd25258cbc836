"""A distance that follows from how large something of a known size is seen."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from kalyptra.core.edit.at import Path, value_at
from kalyptra.core.edit.command import ClipExtent, Command, Refused, metres
from kalyptra.core.edit.values import Put, SetAt
from kalyptra.core.setup.document.distance import Place
from kalyptra.core.setup.document.focus import FocusCurve
from kalyptra.core.setup.document.setup import FrameNumber, Setup
from kalyptra.core.setup.geometry.sizes import distance_by_size
from kalyptra.core.setup.resolve.look import camera_of
from kalyptra.core.setup.time.keyed import Keyed


class PutBySize(Command):
    """Set a distance at a frame, from a thing of known length that is seen from one place to another."""

    do: Literal["put-by-size"] = "put-by-size"
    path: Path
    frame: FrameNumber
    start: Place
    end: Place
    length: Annotated[float, Field(ge=0.001, le=1000)]

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        if self.path.split(".")[-1] != "distance":
            raise Refused("Only a distance can be told from a size.")
        try:
            away = metres(distance_by_size(camera_of(setup, clip.size), self.start, self.end, self.length))
        except ValueError as error:
            raise Refused("Both ends lie at the same place. Lay them on the two ends of the thing.") from error
        if isinstance(value_at(setup, self.path), Keyed | FocusCurve):
            return SetAt(path=self.path, frame=self.frame, value=away).apply(setup, clip)
        return Put(path=self.path, value=away).apply(setup, clip)

    @property
    def words(self) -> str:
        return "a distance was told from a size"
