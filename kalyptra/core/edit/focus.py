"""Commands on the focus: marks, pulls, whole curves."""

from __future__ import annotations

from bisect import bisect_right
from typing import Annotated, Any, Literal

from pydantic import Field

from kalyptra.core.edit.command import ClipExtent, Command, Id, Refused, evolved, made, metres
from kalyptra.core.edit.values import FOCUS, TimedKey, fields_of, settled, with_keys
from kalyptra.core.setup.document.distance import Distance
from kalyptra.core.setup.document.focus import FocusCurve, Mark
from kalyptra.core.setup.document.setup import FrameNumber, Setup
from kalyptra.core.setup.resolve.look import camera_of, focus_of, mark_of
from kalyptra.core.setup.time.easing import Ease

MOST_MARKS = 100
FocusKeys = Annotated[tuple[TimedKey, ...], Field(min_length=1, max_length=20_000)]


class AddMark(Command):
    """A new mark: a distance with a name, or a subject's."""

    do: Literal["add-mark"] = "add-mark"
    id: Id
    name: Annotated[str, Field(max_length=40)] = ""
    distance: Distance
    subject: Id | None = None

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        marks = setup.focus.marks
        if any(mark.id == self.id for mark in marks):
            raise Refused("This mark is there already.")
        if len(marks) >= MOST_MARKS:
            raise Refused(f"There are {MOST_MARKS} marks already. Remove one first.")
        if self.subject is not None and all(subject.id != self.subject for subject in setup.subjects):
            raise Refused("The subject that the mark shall be on is not there any more.")
        letter = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"[len(marks)] if len(marks) < 26 else str(len(marks) + 1)
        name = self.name.strip() or f"Mark {letter}"
        mark = Mark(id=self.id, name=name, distance=self.distance, subject=self.subject)
        return evolved(setup, focus=evolved(setup.focus, marks=(*marks, mark)))

    @property
    def words(self) -> str:
        return "a mark was added"


class RemoveMark(Command):
    """Take a mark away. Keys that were on it keep its distance."""

    do: Literal["remove-mark"] = "remove-mark"
    id: Id

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        mark = next((mark for mark in setup.focus.marks if mark.id == self.id), None)
        if mark is None:
            raise Refused("This mark is not there any more. It was removed meanwhile.")
        keys = tuple(
            evolved(key, mark=None, value=metres(mark_of(setup, mark, key.frame, clip.size)))
            if key.mark == self.id
            else key
            for key in setup.focus.distance.keys
        )
        left = tuple(mark for mark in setup.focus.marks if mark.id != self.id)
        return evolved(setup, focus=evolved(setup.focus, marks=left, distance=made(FocusCurve, {"keys": keys})))

    @property
    def words(self) -> str:
        return "a mark was removed"


class PullTo(Command):
    """A pull that arrives at a frame: focus leaves what it was on some frames before.

    Keys that lie in its way are written over; what comes later stays.
    """

    do: Literal["pull-to"] = "pull-to"
    frame: FrameNumber
    take: Annotated[int, Field(ge=0, le=10_000)]
    value: Distance
    mark: Id | None = None

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        arrival = {"frame": self.frame, "value": self.value, "mark": self.mark, "ease": Ease.HOLD}
        if self.take == 0:
            return with_keys(setup, FOCUS, lambda keyed, _: settled(fields_of(keyed), [arrival]))
        leave = max(0, self.frame - self.take)
        all_keys = setup.focus.distance.keys
        before = all_keys[max(0, bisect_right(all_keys, leave, key=lambda key: key.frame) - 1)]
        # Between two keys it is on its way from a mark, and not on it any more.
        there = before.ease is Ease.HOLD or before is all_keys[-1] or leave <= before.frame
        departure = {
            "frame": leave, "ease": Ease.EASED, "mark": before.mark if there else None,
            "value": metres(focus_of(setup, leave, camera_of(setup, clip.size))),
        }  # fmt: skip

        def with_pull(keyed: Any, _: bool) -> list[dict[str, Any]]:
            keys = fields_of(keyed)
            still = [key for key in keys if key["frame"] < leave or key["frame"] > self.frame]
            if still and still[-1]["frame"] < leave and before is all_keys[-1]:
                still[-1] = still[-1] | {"ease": Ease.HOLD}
            return settled(still, [departure, arrival])

        return with_keys(setup, FOCUS, with_pull)

    @property
    def words(self) -> str:
        return f"a pull was written that arrives at frame {self.frame}"


class Perform(Command):
    """Put a performed pull in place of all keys of its stretch."""

    do: Literal["perform"] = "perform"
    keys: FocusKeys

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        first, last = self.keys[0].frame, self.keys[-1].frame

        def performed(keyed: Any, _: bool) -> list[dict[str, Any]]:
            before = [key for key in fields_of(keyed) if key["frame"] < first]
            after = [key for key in fields_of(keyed) if key["frame"] > last]
            if before and before[-1]["frame"] != first - 1:
                before[-1] = before[-1] | {"ease": Ease.HOLD}
            return [*before, *(key.fields(True) for key in self.keys), *after]

        return with_keys(setup, FOCUS, performed)

    @property
    def words(self) -> str:
        return f"a pull was performed over frames {self.keys[0].frame} to {self.keys[-1].frame}"


class ReplaceFocus(Command):
    """Put other keys in place of the whole focus curve, as a table brings them."""

    do: Literal["replace-focus"] = "replace-focus"
    keys: FocusKeys

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        return with_keys(setup, FOCUS, lambda _keyed, _: settled([], [key.fields(True) for key in self.keys]))

    @property
    def words(self) -> str:
        return f"the focus was read from a table of {len(self.keys)} keys"


class PutCut(Command):
    """Mark a frame where something happens, or take that away."""

    do: Literal["put-cut"] = "put-cut"
    frame: FrameNumber
    on: bool

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        cuts = {cut for cut in setup.focus.cuts if cut != self.frame} | ({self.frame} if self.on else set())
        return evolved(setup, focus=evolved(setup.focus, cuts=tuple(sorted(cuts))))

    @property
    def words(self) -> str:
        return f"a cut was {'marked' if self.on else 'removed'} at frame {self.frame}"
