"""Commands on the shot's range and on the range that stays sharp."""

from __future__ import annotations

from typing import Literal

from kalyptra.core.edit.command import ClipExtent, Command, Refused, evolved, made
from kalyptra.core.setup.document.distance import Distance
from kalyptra.core.setup.document.setup import Footage, FrameNumber, HeldRange, Setup


class SetRange(Command):
    """Say at which frame the shot begins or ends, or both."""

    do: Literal["set-range"] = "set-range"
    first: FrameNumber | None = None
    last: FrameNumber | None = None

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        first = setup.footage.first if self.first is None else self.first
        last = setup.footage.last if self.last is None else self.last
        if last >= clip.frames:
            raise Refused(f"The clip ends at frame {clip.frames - 1}.")
        if last < first:
            raise Refused("The last frame of a shot cannot lie before its first one.")
        return evolved(setup, footage=made(Footage, {"first": first, "last": last}))

    @property
    def words(self) -> str:
        return "the shot's range was set"


class HoldRange(Command):
    """Keep a range sharp whatever the optics say, or give it up."""

    do: Literal["hold-range"] = "hold-range"
    near: Distance | None = None
    far: Distance | None = None

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        held = None
        if self.near is not None and self.far is not None:
            roll_off = setup.lens.held.roll_off if setup.lens.held else HeldRange.model_fields["roll_off"].default
            held = made(HeldRange, {"near": self.near, "far": max(self.near, self.far), "roll_off": roll_off})
        return evolved(setup, lens=evolved(setup.lens, held=held))

    @property
    def words(self) -> str:
        return "the sharp range was set" if self.near is not None else "the sharp range was given up"
