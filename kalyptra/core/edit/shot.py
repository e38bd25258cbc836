"""Commands on the shot's range and on the range that stays sharp."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

from kalyptra.core.edit.command import ClipExtent, Command, Refused, evolved, made, metres, worked_out
from kalyptra.core.edit.values import SetAt
from kalyptra.core.setup.document.distance import Distance
from kalyptra.core.setup.document.setup import Footage, FrameNumber, HeldRange, Setup
from kalyptra.core.setup.resolve.held import HeldAt, held_at
from kalyptra.core.setup.resolve.look import camera_of, focus_of
from kalyptra.core.setup.time.keyed import Key, constant


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
            ends = {"near": constant(self.near, Distance), "far": constant(max(self.near, self.far), Distance)}
            held = evolved(setup.lens.held, **ends) if setup.lens.held else made(HeldRange, ends)
        return evolved(setup, lens=evolved(setup.lens, held=held))

    @property
    def words(self) -> str:
        return "the sharp range was set" if self.near is not None else "the sharp range was given up"


class HoldEnd(Command):
    """Put an end of the sharp range at a distance, also of one that goes with the focus."""

    do: Literal["hold-end"] = "hold-end"
    end: Literal["near", "far"]
    frame: FrameNumber
    distance: Distance

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        focus = focus_of(setup, self.frame, camera_of(setup, clip.size))
        held = held_at(setup.lens.held, self.frame, focus)
        if setup.lens.held is None or held is None:
            raise Refused("No range is held sharp; switch that on first.")
        near = self.end == "near"
        value = min(self.distance, held.far) if near else max(self.distance, held.near)
        name: str = self.end
        if setup.lens.held.rides:
            name, value = ("before", focus - value) if near else ("behind", value - focus)
        put = SetAt(path=f"lens.held.{name}", frame=self.frame, value=worked_out(value))
        return put.apply(setup, clip)

    @property
    def words(self) -> str:
        return f"the {self.end} end of the sharp range was set"


class RideRange(Command):
    """Have the sharp range go with the focus, or stay where it is; at its keys it is the same as before."""

    do: Literal["ride-range"] = "ride-range"
    on: bool

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        held, camera = setup.lens.held, camera_of(setup, clip.size)
        if held is None:
            raise Refused("No range is held sharp; switch that on first.")
        if held.rides == self.on:
            return setup

        def keyed(keys: tuple[Key[Any], ...], value: Callable[[HeldAt, float], float]) -> dict[str, Any]:
            out = []
            for key in keys:
                focus = focus_of(setup, key.frame, camera)
                at = held_at(held, key.frame, focus)
                assert at is not None
                out.append({"frame": key.frame, "value": value(at, focus), "ease": key.ease})
            return {"keys": out}

        if self.on:
            ends = {
                "before": keyed(held.near.keys, lambda at, focus: worked_out(focus - at.near)),
                "behind": keyed(held.far.keys, lambda at, focus: worked_out(at.far - focus)),
            }
        else:
            ends = {
                "near": keyed(held.before.keys, lambda at, _: metres(at.near)),
                "far": keyed(held.behind.keys, lambda at, _: metres(at.far)),
            }
        return evolved(setup, lens=evolved(setup.lens, held=evolved(held, rides=self.on, **ends)))

    @property
    def words(self) -> str:
        return "the sharp range goes with the focus" if self.on else "the sharp range stays where it is"
