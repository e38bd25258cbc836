"""Mattes and plates that are pictures: a setup names each by what it holds, and a store keeps them.

Marks and outlines on single frames make *keys*, by hand; *frames* are what following or the person finder found.
Neither changes the other, so that each can be redone.
"""

from __future__ import annotations

from enum import StrEnum
from functools import cached_property
from typing import Annotated, Literal, NamedTuple, Self

from pydantic import Field, model_validator

from kalyptra.core.setup.document.records import InRecords, need_order, remembered
from kalyptra.core.setup.frozen import Frozen
from kalyptra.core.setup.geometry.curve import Coordinate, Curve

Name = Annotated[str, Field(pattern=r"^[0-9a-f]{32}$")]
"""What a stored picture is called: the start of the SHA-256 of what it holds."""
FrameNumber = Annotated[int, Field(ge=0, le=10_000_000)]
Share = Annotated[float, Field(ge=0, le=1)]
MOST_FRAMES = 100_000


class Stroke(Frozen):
    """A brush stroke in px of the source: what it touches belongs to the subject, or does not."""

    keep: bool
    width: Annotated[float, Field(gt=0, le=4000)]
    points: Annotated[tuple[tuple[Coordinate, Coordinate], ...], Field(min_length=1, max_length=4000)]


class MatteKey(Frozen):
    """A matte made by hand at a frame: from brush marks, from a line drawn around it, or both.

    Attributes:
        under: the matte that the marks mend; None where they find it from nothing.
        matte: what came of it.
    """

    frame: FrameNumber
    marks: Annotated[tuple[Stroke, ...], Field(max_length=500)] = ()
    drawn: Curve | None = None
    under: Name | None = None
    matte: Name


class How(StrEnum):
    """How a matte was found: followed, carried on while the subject could not be seen, or by the person finder."""

    FOLLOWED = "followed"
    PREDICTED = "predicted"
    PERSON = "person"
    NOBODY = "nobody"


class FoundFrame(NamedTuple):
    """A found matte at a frame, and how far it can be trusted."""

    frame: FrameNumber
    matte: Name
    sure: Share
    how: How


class Spot(Frozen):
    """A place in a frame that points at one of several people, px of the source."""

    frame: FrameNumber
    x: Coordinate
    y: Coordinate


class FoundMatte(Frozen):
    """A matte that is found: by brush marks and following, or by the person finder.

    Attributes:
        person: whom the person finder looks for; None for everybody.
    """

    kind: Literal["found"] = "found"
    keys: Annotated[tuple[MatteKey, ...], Field(max_length=MOST_FRAMES)] = ()
    frames: Annotated[tuple[FoundFrame, ...], Field(max_length=MOST_FRAMES), InRecords(lambda entry: entry[0])] = ()
    person: Spot | None = None

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        for mattes in (self.keys, self.frames):
            need_order(
                mattes, lambda entry: int(entry.frame), "mattes must be in the order of their frames, one a frame"
            )
        return self

    @cached_property
    def _by_frame(self) -> dict[int, str]:
        by_frame = remembered(self.frames, "by frame", lambda: {frame.frame: frame.matte for frame in self.frames})
        return by_frame | {key.frame: key.matte for key in self.keys}

    def at(self, frame: int) -> str | None:
        """The name of the matte at a frame: a key's before a found one."""
        return self._by_frame.get(frame)


class Fit(StrEnum):
    """How pictures of another size are laid over the clip."""

    STRETCH = "stretch"
    INSIDE = "inside"
    FILL = "fill"


class Brought(Frozen):
    """Pictures that were made elsewhere, aligned in time.

    Attributes:
        title: what their file was called.
        frames: one picture a frame; a single one lasts for the whole clip.
        start: the frame of the clip at which the first one lies.
    """

    title: Annotated[str, Field(max_length=200)] = ""
    frames: Annotated[tuple[Name, ...], Field(min_length=1, max_length=MOST_FRAMES), InRecords(None)]
    start: Annotated[int, Field(ge=-10_000_000, le=10_000_000)] = 0

    def at(self, frame: int) -> str | None:
        """The name of the picture at a frame."""
        if len(self.frames) == 1:
            return self.frames[0]
        number = frame - self.start
        return self.frames[number] if 0 <= number < len(self.frames) else None


class ImportedMatte(Brought):
    """A matte that was brought."""

    kind: Literal["imported"] = "imported"
    fit: Fit = Fit.STRETCH


class PlatePatch(NamedTuple):
    """A piece of the picture behind the subjects at a frame: where its top left corner lies, px of the source."""

    frame: FrameNumber
    picture: Name
    left: Annotated[int, Field(ge=0, le=100_000)]
    top: Annotated[int, Field(ge=0, le=100_000)]


class ImportedPlate(Brought):
    """A plate that was brought."""
