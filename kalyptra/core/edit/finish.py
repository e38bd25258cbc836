"""Commands on what is done after the lens."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from kalyptra.core.edit.command import ClipExtent, Command, Refused, evolved, made
from kalyptra.core.setup.document.finish import Finish, Framing, Stretch
from kalyptra.core.setup.document.setup import FrameNumber, Setup
from kalyptra.core.setup.geometry.curve import Coordinate
from kalyptra.core.setup.time.keyed import mix_linear, mix_place

USUAL_RAMP = 12
"""Frames over which a result comes and goes when nobody says how long: half a second of film."""


class LimitStretch(Command):
    """Show the result from one frame to another, or everywhere again."""

    do: Literal["limit-stretch"] = "limit-stretch"
    first: FrameNumber | None = None
    last: FrameNumber | None = None

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        if self.first is None or self.last is None:
            return evolved(setup, finish=evolved(setup.finish, stretch=None))
        if self.last < self.first:
            raise Refused("The last frame of the stretch cannot lie before its first one.")
        before = setup.finish.stretch
        fields = {"first": self.first, "last": self.last}
        room = (self.last - self.first + 1) // 2
        ramps = (before.ramp_in, before.ramp_out) if before else (USUAL_RAMP, USUAL_RAMP)
        ramps_fitting = {"ramp_in": min(ramps[0], room), "ramp_out": min(ramps[1], room)}
        ease = {"ease": before.ease} if before else {}
        return evolved(setup, finish=evolved(setup.finish, stretch=made(Stretch, fields | ramps_fitting | ease)))

    @property
    def words(self) -> str:
        return "the result's stretch was set" if self.first is not None else "the result is seen everywhere"


class MoveFrame(Command):
    """A slow move over the shot: from what is framed at its start to a closer one around a place, eased."""

    do: Literal["move-frame"] = "move-frame"
    x: Coordinate
    y: Coordinate
    scale: Annotated[float, Field(ge=1, le=4)] = 1.25

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        first, last = setup.footage.first, setup.footage.last
        if last <= first:
            raise Refused("A move takes two frames at least. Make the shot longer first.")
        framing = setup.finish.framing
        start = framing.scale.at(first, mix_linear)
        middle = framing.place.at(first, mix_place) if framing.place else (clip.width / 2, clip.height / 2)
        moved = made(Framing, {
            "aspect": framing.aspect,
            "scale": {"keys": [{"frame": first, "value": start}, {"frame": last, "value": max(start, self.scale)}]},
            "place": {"keys": [{"frame": first, "value": middle}, {"frame": last, "value": (self.x, self.y)}]},
        })  # fmt: skip
        return evolved(setup, finish=evolved(setup.finish, framing=moved))

    @property
    def words(self) -> str:
        return "the frame was moved over the shot"


class DropTable(Command):
    """Take the colour table away."""

    do: Literal["drop-table"] = "drop-table"

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        return evolved(setup, finish=evolved(setup.finish, whole=evolved(setup.finish.whole, table=None)))

    @property
    def words(self) -> str:
        return "the colour table was taken away"


class ClearFinish(Command):
    """Take away all that was done after the lens; the grain stays measured."""

    do: Literal["clear-finish"] = "clear-finish"

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        grain = evolved(Finish().grain, measured=setup.finish.grain.measured)
        return evolved(setup, finish=Finish(grain=grain))

    @property
    def words(self) -> str:
        return "the finish was cleared"
