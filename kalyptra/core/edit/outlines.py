"""Commands on drawn outlines: their hand-made keys, and which there are."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from kalyptra.core.edit.command import ClipExtent, Command, Refused, SubjectId, evolved, made
from kalyptra.core.edit.outline_keys import changed, curve_of, drawn_outline
from kalyptra.core.edit.subjects import changing_subject, subject_of
from kalyptra.core.setup.document.outline import Joins, Outline
from kalyptra.core.setup.document.setup import FrameNumber, OutlineMatte, Setup
from kalyptra.core.setup.geometry.curve import Curve
from kalyptra.core.setup.geometry.warp import Matrix, inverse, numbers_of
from kalyptra.core.setup.resolve.outline import carried, placed_at
from kalyptra.core.setup.time.easing import Ease

Names = Annotated[tuple[SubjectId, ...], Field(min_length=1, max_length=64)]
Entry = Annotated[float, Field(ge=-1e7, le=1e7)]


class DrawOutline(Command):
    """One more outline of a subject, as it was drawn on a frame, px of the source."""

    do: Literal["draw-outline"] = "draw-outline"
    subject: SubjectId
    id: SubjectId
    frame: FrameNumber
    curve: Curve
    joins: Joins = Joins.ADD

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        return _with_more(setup, self.subject, (drawn_outline(self.id, self.frame, self.curve, self.joins),))

    @property
    def words(self) -> str:
        return "an outline was drawn"


class AddOutlines(Command):
    """More outlines of a subject, with their keys, as a file brings them."""

    do: Literal["add-outlines"] = "add-outlines"
    subject: SubjectId
    outlines: Annotated[tuple[Outline, ...], Field(min_length=1, max_length=64)]

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        return _with_more(setup, self.subject, self.outlines)

    @property
    def words(self) -> str:
        return "outlines were brought from a file"


class RemoveOutline(Command):
    """Take an outline away. The last one stays: without it there would be no matte."""

    do: Literal["remove-outline"] = "remove-outline"
    subject: SubjectId
    outline: SubjectId

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        outlines = _outlines(setup, self.subject)
        if len(outlines) == 1:
            raise Refused("The last outline of a subject stays. Remove the subject instead.")
        left = tuple(outline for outline in outlines if outline is not _outline(setup, self.subject, self.outline))
        return _with_outlines(setup, self.subject, left)

    @property
    def words(self) -> str:
        return "an outline was removed"


class ShapeOutline(Command):
    """Give an outline the points that it shall have at a frame, px of the source: a key made by hand."""

    do: Literal["shape-outline"] = "shape-outline"
    subject: SubjectId
    outline: SubjectId
    frame: FrameNumber
    curve: Curve

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        return _changing(setup, self.subject, (self.outline,), self._shaped)

    def _shaped(self, outline: Outline) -> Outline:
        placed = placed_at(outline, self.frame)
        own = curve_of(self.curve.ids, carried(inverse(placed.matrix), self.curve.rows), self.curve)
        if not _moves(outline):
            return changed(outline, shape=_held(outline.shape, own))
        shape = _keyed(outline.shape, self.frame, own)
        if not outline.steps:
            return changed(outline, shape=shape)
        # Following again must not move what was made by hand.
        placement = _keyed(outline.placement, self.frame, numbers_of(placed.matrix))
        return changed(outline, shape=shape, placement=placement)

    @property
    def words(self) -> str:
        return "an outline was shaped"


class PlaceOutlines(Command):
    """Move, turn or scale outlines as a whole at a frame: a key made by hand.

    Attributes:
        motion: a map of the picture's plane as nine numbers, row by row.
    """

    do: Literal["place-outlines"] = "place-outlines"
    subject: SubjectId
    outlines: Names
    frame: FrameNumber
    motion: tuple[Entry, Entry, Entry, Entry, Entry, Entry, Entry, Entry, Entry]

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        motion: Matrix = np.array(self.motion, np.float64).reshape(3, 3)
        if abs(np.linalg.det(motion)) < 1e-9 or abs(motion[2, 2]) < 1e-9:
            raise Refused("An outline cannot be scaled to nothing.")

        def moved(outline: Outline) -> Outline:
            numbers = numbers_of(motion @ placed_at(outline, self.frame).matrix)
            if not _moves(outline):
                return changed(outline, placement=_held(outline.placement, numbers))
            return changed(outline, placement=_keyed(outline.placement, self.frame, numbers))

        return _changing(setup, self.subject, self.outlines, moved)

    @property
    def words(self) -> str:
        return "an outline was moved"


class KeyOutline(Command):
    """Hold an outline by hand where it is at a frame."""

    do: Literal["key-outline"] = "key-outline"
    subject: SubjectId
    outline: SubjectId
    frame: FrameNumber

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        def held(outline: Outline) -> Outline:
            placed = placed_at(outline, self.frame)
            own = curve_of(placed.ids, carried(inverse(placed.matrix), placed.rows), _like(outline))
            return changed(
                outline,
                shape=_keyed(outline.shape, self.frame, own),
                placement=_keyed(outline.placement, self.frame, numbers_of(placed.matrix)),
            )

        return _changing(setup, self.subject, (self.outline,), held)

    @property
    def words(self) -> str:
        return "an outline was keyed"


class DropOutlineKeys(Command):
    """Take the hand-made keys of a stretch away; the last one of each kind stays."""

    do: Literal["drop-outline-keys"] = "drop-outline-keys"
    subject: SubjectId
    outlines: Names
    first: FrameNumber
    last: FrameNumber

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        def left(keyed: Any) -> Any:
            keys = tuple(key for key in keyed.keys if not self.first <= key.frame <= self.last)
            return evolved(keyed, keys=keys or keyed.keys[:1])

        return _changing(
            setup,
            self.subject,
            self.outlines,
            lambda outline: changed(outline, shape=left(outline.shape), placement=left(outline.placement)),
        )

    @property
    def words(self) -> str:
        return "keys of an outline were removed"


class MoveOutlineKey(Command):
    """Move a hand-made key to another frame."""

    do: Literal["move-outline-key"] = "move-outline-key"
    subject: SubjectId
    outline: SubjectId
    frame: FrameNumber
    to: FrameNumber

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        def moved(keyed: Any) -> Any:
            keys = [evolved(key, frame=self.to) if key.frame == self.frame else key for key in keyed.keys]
            return evolved(keyed, keys=tuple(sorted(keys, key=lambda key: key.frame)))

        def other(outline: Outline) -> Outline:
            if self.frame not in outline.hand_frames:
                raise Refused(f"There is no key at frame {self.frame} any more.")
            if self.to in outline.hand_frames:
                raise Refused(f"There is a key at frame {self.to} already.")
            return changed(outline, shape=moved(outline.shape), placement=moved(outline.placement))

        return _changing(setup, self.subject, (self.outline,), other)

    @property
    def words(self) -> str:
        return "a key of an outline was moved in time"


class EaseOutline(Command):
    """Say how an outline goes from one hand-made key to the next."""

    do: Literal["ease-outline"] = "ease-outline"
    subject: SubjectId
    outline: SubjectId
    ease: Ease

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        def eased(keyed: Any) -> Any:
            return evolved(keyed, keys=tuple(evolved(key, ease=self.ease) for key in keyed.keys))

        return _changing(
            setup,
            self.subject,
            (self.outline,),
            lambda outline: changed(outline, shape=eased(outline.shape), placement=eased(outline.placement)),
        )

    @property
    def words(self) -> str:
        return "the ease of an outline was set"


def _outlines(setup: Setup, subject: str) -> tuple[Outline, ...]:
    matte = subject_of(setup, subject).matte
    if not isinstance(matte, OutlineMatte):
        raise Refused("This subject is not drawn by outlines any more.")
    return matte.outlines


def _outline(setup: Setup, subject: str, name: str) -> Outline:
    outline_there = next((outline for outline in _outlines(setup, subject) if outline.id == name), None)
    if outline_there is None:
        raise Refused("This outline is not there any more. It was removed meanwhile.")
    return outline_there


def _with_outlines(setup: Setup, subject: str, outlines: tuple[Outline, ...]) -> Setup:
    return changing_subject(setup, subject, matte=made(OutlineMatte, {"outlines": outlines}))


def _changing(setup: Setup, subject: str, names: tuple[str, ...], change: Callable[[Outline], Outline]) -> Setup:
    for name in names:
        _outline(setup, subject, name)
    try:
        outlines = tuple(change(outline) if outline.id in names else outline for outline in _outlines(setup, subject))
    except (ValueError, np.linalg.LinAlgError) as error:
        if isinstance(error, Refused):
            raise
        raise Refused("The outline cannot be shaped like this.") from error
    return _with_outlines(setup, subject, outlines)


def _with_more(setup: Setup, subject: str, new: tuple[Outline, ...]) -> Setup:
    """Names that are taken already give way to others."""
    outlines = _outlines(setup, subject)
    taken = {outline.id for outline in outlines}
    more = []
    for outline in new:
        name, count = outline.id, len(taken)
        while name in taken:
            name, count = f"{outline.id[:8]}x{count}", count + 1
        taken.add(name)
        more.append(outline if name == outline.id else changed(outline, id=name))
    return _with_outlines(setup, subject, (*outlines, *more))


def _moves(outline: Outline) -> bool:
    return bool(outline.steps) or len(outline.placement.keys) > 1 or len(outline.shape.keys) > 1


def _like(outline: Outline) -> Curve:
    return outline.shape.keys[0].value


def _held(keyed: Any, value: Any) -> Any:
    """The one key of what holds still, with another value."""
    return evolved(keyed, keys=(evolved(keyed.keys[0], value=value),))


def _keyed(keyed: Any, frame: int, value: Any) -> Any:
    """With a key at a frame; one that is there keeps its ease."""
    known = next((key for key in keyed.keys if key.frame == frame), None)
    kind = type(keyed.keys[0])
    key = evolved(known, value=value) if known else made(kind, {"frame": frame, "value": value, "ease": Ease.LINEAR})
    keys = [*(key for key in keyed.keys if key.frame != frame), key]
    return evolved(keyed, keys=tuple(sorted(keys, key=lambda key: key.frame)))
