"""Commands on plain values and on keys over time, wherever they lie."""

from __future__ import annotations

import math
from enum import Enum
from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError

from kalyptra.core.edit.at import Path, value_at, with_value
from kalyptra.core.edit.command import ClipExtent, Command, Frames, Refused, made, worked_out
from kalyptra.core.setup.document.distance import Distance, Followable, Part, Place
from kalyptra.core.setup.document.focus import FocusCurve
from kalyptra.core.setup.document.setup import FrameNumber, Setup
from kalyptra.core.setup.frozen import Frozen
from kalyptra.core.setup.geometry.curve import Coordinate
from kalyptra.core.setup.resolve.followed import part_at
from kalyptra.core.setup.resolve.look import camera_of, distance_of, focus_of
from kalyptra.core.setup.time.easing import Ease, Handles
from kalyptra.core.setup.time.keyed import Keyed, constant, mix_of

FOCUS = "focus.distance"
Number = Annotated[float, Field(ge=-1e9, le=1e9)]
KeyValue = Number | tuple[Number, Number]
Timed = Keyed[Any] | FocusCurve
LISTS = frozenset({"subjects", "distance.sources", "focus.marks"})
"""Lists that are put in order; those of outlines are named by their subject."""
NAMES = {
    "focus.distance": "the focus", "f_number": "the f-number", "softness": "the softness", "distance": "a distance",
    "factor": "the speed",
}  # fmt: skip


def named(path: str) -> str:
    """A place in words."""
    last = path.split(".")[-1]
    return NAMES.get(path) or NAMES.get(last) or f"the {last.replace('_', ' ')}"


class Put(Command):
    """Put a plain value: a number, a choice, a switch, a name."""

    do: Literal["put"] = "put"
    path: Path
    value: bool | int | Number | Annotated[str, Field(max_length=200)] | None

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        return with_value(setup, self.path, self._changed)

    def _changed(self, old: Any) -> Any:
        if old is not None and not isinstance(old, bool | int | float | str | Enum):
            raise Refused("This is no plain value; it is changed in another way.")
        return self.value

    @property
    def words(self) -> str:
        return f"{named(self.path)} was set"


class TimedKey(Frozen):
    """A key as it is put; of the focus curve it may be on a mark."""

    frame: FrameNumber
    value: KeyValue
    ease: Ease | Handles = Ease.EASED
    mark: Annotated[str, Field(max_length=16)] | None = None

    def fields(self, of_focus: bool) -> dict[str, Any]:
        fields = {"frame": self.frame, "value": self.value, "ease": self.ease}
        return fields | {"mark": self.mark} if of_focus else fields


class SetAt(Command):
    """Set a value at a frame: one that holds still keeps its one key, one that moves gets a key there."""

    do: Literal["set-at"] = "set-at"
    path: Path
    frame: FrameNumber
    value: KeyValue

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        follows = carried_part(setup, self.path) is not None
        return with_keys(setup, self.path, lambda keyed, by_hand: self._changed(keyed, by_hand or follows))

    def _changed(self, keyed: Timed, moves: bool) -> list[dict[str, Any]]:
        keys = fields_of(keyed)
        if len(keys) == 1 and not moves:
            return [keys[0] | {"value": self.value, **_off_mark(keyed)}]
        known = next((key for key in keys if key["frame"] == self.frame), {"ease": Ease.EASED})
        return settled(keys, [known | {"frame": self.frame, "value": self.value, **_off_mark(keyed)}])

    @property
    def words(self) -> str:
        return f"{named(self.path)} was set"


class PutPlace(Command):
    """Put a place that is the middle of the picture without one; without a place it is that again."""

    do: Literal["put-place"] = "put-place"
    path: Literal["lens.blur.centre", "finish.framing.place"]
    frame: FrameNumber = 0
    x: Coordinate | None = None
    y: Coordinate | None = None

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        if self.x is None or self.y is None:
            return with_value(setup, self.path, lambda _: None)
        at = (self.x, self.y)
        if value_at(setup, self.path) is None:
            return with_value(setup, self.path, lambda _: constant(at, Place))
        return SetAt(path=self.path, frame=self.frame, value=at).apply(setup, clip)

    @property
    def words(self) -> str:
        return f"{named(self.path)} was set"


class PutKeys(Command):
    """Put keys, in place of those at the same frames."""

    do: Literal["put-keys"] = "put-keys"
    path: Path
    keys: Annotated[tuple[TimedKey, ...], Field(min_length=1, max_length=20_000)]

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        return with_keys(
            setup,
            self.path,
            lambda keyed, _: settled(
                fields_of(keyed), [key.fields(isinstance(keyed, FocusCurve)) for key in self.keys]
            ),
        )

    @property
    def words(self) -> str:
        return f"{_keys(len(self.keys))} of {named(self.path)} {_were(len(self.keys))} put"


class KeyHere(Command):
    """Make keys at a frame that hold what each value is there."""

    do: Literal["key-here"] = "key-here"
    paths: Annotated[tuple[Path, ...], Field(min_length=1, max_length=64)]
    frame: FrameNumber

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        for path in self.paths:
            value = now(setup, path, self.frame, clip)
            keyed = timed_at(setup, path)[1]
            if keyed and any(key.frame == self.frame for key in keyed.keys):
                continue
            setup = PutKeys(path=path, keys=(TimedKey(frame=self.frame, value=value),)).apply(setup, clip)
        return setup

    @property
    def words(self) -> str:
        what = named(self.paths[0]) if len(self.paths) == 1 else "a source"
        return f"{what} was keyed"


class DropKeys(Command):
    """Take keys away. One stays, since a value must be something; corrections by hand may all go."""

    do: Literal["drop-keys"] = "drop-keys"
    path: Path
    frames: Frames

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        gone = set(self.frames)

        def left(keyed: Timed, by_hand: bool) -> list[dict[str, Any]]:
            keys = fields_of(keyed)
            return [key for key in keys if key["frame"] not in gone] or ([] if by_hand else keys[:1])

        return with_keys(setup, self.path, left)

    @property
    def words(self) -> str:
        return f"{_keys(len(self.frames))} of {named(self.path)} {_were(len(self.frames))} removed"


class MoveKeys(Command):
    """Move keys in time, all by the same, or stretched about a frame. Where two meet, the moved one stays."""

    do: Literal["move-keys"] = "move-keys"
    path: Path
    frames: Frames
    by: Annotated[int, Field(ge=-10_000_000, le=10_000_000)] = 0
    about: FrameNumber = 0
    share: Annotated[float, Field(gt=0, le=10_000)] = 1.0

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        chosen = set(self.frames)

        def moved(keyed: Timed, _: bool) -> list[dict[str, Any]]:
            keys = fields_of(keyed)
            there = [key | {"frame": self.to(key["frame"])} for key in keys if key["frame"] in chosen]
            return settled([key for key in keys if key["frame"] not in chosen], there)

        return with_keys(setup, self.path, moved)

    def to(self, frame: int) -> int:
        # A half goes up, as on the page; Python's own rounding takes it to the even one.
        scaled = math.floor(self.about + (frame - self.about) * self.share + 0.5)
        return min(10_000_000, max(0, scaled + self.by))

    @property
    def words(self) -> str:
        return f"{_keys(len(self.frames))} of {named(self.path)} {_were(len(self.frames))} moved"


class EaseKeys(Command):
    """Say how a value goes from some keys to the next."""

    do: Literal["ease-keys"] = "ease-keys"
    path: Path
    frames: Frames
    ease: Ease | Handles

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        chosen = set(self.frames)
        return with_keys(
            setup,
            self.path,
            lambda keyed, _: [key | {"ease": self.ease} if key["frame"] in chosen else key for key in fields_of(keyed)],
        )

    @property
    def words(self) -> str:
        return f"the ease of {named(self.path)} was set"


class Reorder(Command):
    """Put one of a list at another place of it."""

    do: Literal["reorder"] = "reorder"
    path: Path
    id: Annotated[str, Field(max_length=16)]
    to: Annotated[int, Field(ge=0, le=1000)]

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        if self.path not in LISTS and not self.path.endswith(".matte.outlines"):
            raise Refused("This is no list that can be put in order.")

        def ordered(items: Any) -> Any:
            moving = next((item for item in items if item.id == self.id), None)
            if moving is None:
                raise Refused("What was to be moved is not there any more.")
            rest = [item for item in items if item is not moving]
            return (*rest[: self.to], moving, *rest[self.to :])

        return with_value(setup, self.path, ordered)

    @property
    def words(self) -> str:
        return f"the order of {named(self.path)} was changed"


def timed_at(setup: Setup, path: str) -> tuple[str, Timed | None]:
    """Where the keys of a value lie, and they: of a subject on a ground they are those that correct the ground's.

    Raises:
        Refused: nothing is keyed there.
    """
    names = path.split(".")
    if len(names) == 3 and names[0] == "subjects" and names[2] == "distance":
        standing = value_at(setup, ".".join(names[:2])).standing
        if standing is not None:
            return f"subjects.{names[1]}.standing.by_hand", standing.by_hand
    keyed = value_at(setup, path)
    if not isinstance(keyed, Keyed | FocusCurve):
        raise Refused("This has no keys: it cannot change over time.")
    return path, keyed


def carried_part(setup: Setup, path: str) -> tuple[Followable, Part] | None:
    """The source of distance and its value that a path leads to, where following carries that along."""
    names = path.split(".")
    source = setup.distance.source(names[2]) if names[:2] == ["distance", "sources"] and len(names) > 3 else None
    if not isinstance(source, Followable) or not source.steps:
        return None
    return next(((source, part) for part in source.carried if part.path == ".".join(names[3:])), None)


def with_keys(setup: Setup, path: str, change: Any) -> Setup:
    """The setup with the keys of a value changed; `change` gets the keyed value, and whether it may have no key."""
    where, present = timed_at(setup, path)
    by_hand = where != path
    keyed = present or Keyed[Distance].model_construct(keys=())
    keys = sorted(change(keyed, by_hand), key=lambda key: key["frame"])
    if not keys:
        return with_value(setup, where, lambda _: None)
    try:
        return with_value(setup, where, lambda _: made(type(keyed), {"keys": tuple(keys)}))
    except Refused as refusal:
        if isinstance(refusal.__cause__, ValidationError):
            wrong = next((error for error in refusal.__cause__.errors() if "value" in error["loc"]), None)
            if wrong:
                raise Refused(f"This is out of bounds: {named(path)}: {wrong['msg']}.") from refusal
        raise


def fields_of(keyed: Timed) -> list[dict[str, Any]]:
    """Keys as their fields."""
    return [{name: getattr(key, name) for name in type(key).model_fields} for key in keyed.keys]


def settled(still: list[dict[str, Any]], moved: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """One key a frame: where two meet, the one that was moved stays."""
    return list({key["frame"]: key for key in (*still, *moved)}.values())


def now(setup: Setup, path: str, frame: int, clip: ClipExtent) -> Any:
    """A keyed value at a frame, as the picture has it."""
    if path == FOCUS:
        return focus_of(setup, frame, camera_of(setup, clip.size))
    names = path.split(".")
    if names[0] == "subjects" and names[-1] == "distance" and len(names) == 3:
        return distance_of(setup, value_at(setup, ".".join(names[:2])), frame, camera_of(setup, clip.size))
    carried = carried_part(setup, path)
    if carried is not None:
        value = part_at(*carried, frame, camera_of(setup, clip.size))
        return tuple(round(each, 3) for each in value) if isinstance(value, tuple) else worked_out(value)
    keyed = timed_at(setup, path)[1]
    assert keyed is not None and not isinstance(keyed, FocusCurve)
    return keyed.at(frame, mix_of(names[-1], keyed.keys[0].value))


def _off_mark(keyed: Timed) -> dict[str, Any]:
    """A distance that is said by hand takes a key of the focus off its mark."""
    return {"mark": None} if isinstance(keyed, FocusCurve) else {}


def _keys(count: int) -> str:
    return "a key" if count == 1 else f"{count} keys"


def _were(count: int) -> str:
    return "was" if count == 1 else "were"
