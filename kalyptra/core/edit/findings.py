"""What work over frames found, put into a setup. What was changed meanwhile stays."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any, Literal

from pydantic import Field

from kalyptra.core.edit.command import ClipExtent, Command, Id, Refused, SubjectId, evolved, made
from kalyptra.core.edit.outline_keys import with_steps
from kalyptra.core.edit.sources import changing_source, with_sources
from kalyptra.core.edit.space import with_picture_card
from kalyptra.core.edit.subjects import changing_subject, subject_of
from kalyptra.core.setup.document.distance import MOST_SOURCES, AnySource, Followable, MapFile
from kalyptra.core.setup.document.finish import ColourTable, MeasuredGrain, TwiceAtMost
from kalyptra.core.setup.document.followed import merged
from kalyptra.core.setup.document.setup import OutlineMatte, PlateSource, Setup
from kalyptra.core.setup.document.stored import (
    MOST_FRAMES,
    FoundFrame,
    FoundMatte,
    ImportedMatte,
    ImportedPlate,
    Name,
    PlatePatch,
    Spot,
)
from kalyptra.core.setup.time.keyed import constant
from kalyptra.core.setup.time.track import Step

Names = Annotated[tuple[Name, ...], Field(min_length=1, max_length=MOST_FRAMES)]


class Finding(Command):
    """A command that a job gives; its long part lies in the setup's records."""

    def noted(self) -> dict[str, Any]:
        note = super().noted()
        return {name: value for name, value in note.items() if not isinstance(value, list)}


class TakeSteps(Finding):
    """How an outline was followed."""

    do: Literal["take-steps"] = "take-steps"
    subject: SubjectId
    outline: SubjectId
    steps: Annotated[tuple[Step, ...], Field(min_length=1, max_length=MOST_FRAMES)]

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        matte = subject_of(setup, self.subject).matte
        if not isinstance(matte, OutlineMatte) or all(outline.id != self.outline for outline in matte.outlines):
            raise Refused("The outline that was followed is not there any more.")
        outlines = (
            with_steps(outline, self.steps) if outline.id == self.outline else outline for outline in matte.outlines
        )
        return changing_subject(setup, self.subject, matte=made(OutlineMatte, {"outlines": tuple(outlines)}))

    @property
    def words(self) -> str:
        return f"an outline was followed over {len(self.steps)} frames"


class TakeSourceSteps(Finding):
    """How what a source of distance lies on was followed. Keys made by hand stay."""

    do: Literal["take-source-steps"] = "take-source-steps"
    source: Id
    steps: Annotated[tuple[Step, ...], Field(min_length=1, max_length=MOST_FRAMES)]

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        return changing_source(setup, self.source, lambda source: source_with_steps(source, self.steps))

    @property
    def words(self) -> str:
        return f"a source of distance was followed over {len(self.steps)} frames"


def source_with_steps(source: AnySource, steps: Sequence[Step]) -> AnySource:
    """A source with new steps in place of those at the same frames.

    Raises:
        Refused: it lies on nothing that could be followed.
    """
    if not isinstance(source, Followable):
        raise Refused("This source lies on nothing in the picture that could be followed.")
    return evolved(source, steps=merged(source.steps, steps))


class TakeMattes(Finding):
    """Mattes that were found by following, or of people."""

    do: Literal["take-mattes"] = "take-mattes"
    subject: SubjectId
    frames: Annotated[tuple[FoundFrame, ...], Field(min_length=1, max_length=MOST_FRAMES)]
    people: bool = False
    person: Spot | None = None

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        matte = subject_of(setup, self.subject).matte
        if not isinstance(matte, FoundMatte):
            raise Refused("The subject that was followed has a matte of another kind now.")
        frames = {frame.frame: frame for frame in (*matte.frames, *self.frames)}
        fields: dict[str, Any] = {"frames": tuple(frames[at] for at in sorted(frames))}
        if self.people:
            fields["person"] = self.person
        return changing_subject(setup, self.subject, matte=evolved(matte, **fields))

    @property
    def words(self) -> str:
        return f"{'people were' if self.people else 'a subject was'} found in {len(self.frames)} frames"


class TakeFeet(Finding):
    """Where a subject stands. `of` names the matte that was looked at."""

    do: Literal["take-feet"] = "take-feet"
    subject: SubjectId
    feet: Annotated[tuple[tuple[int, float, float], ...], Field(max_length=MOST_FRAMES)]
    of: Annotated[str, Field(max_length=64)]

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        standing = subject_of(setup, self.subject).standing
        if standing is None:
            raise Refused("The subject does not stand on a ground any more.")
        return changing_subject(setup, self.subject, standing=evolved(standing, feet=self.feet, of=self.of))

    @property
    def words(self) -> str:
        return f"a foot was found in {len(self.feet)} frames"


class TakePatches(Finding):
    """Pieces of the picture behind the cut-outs."""

    do: Literal["take-patches"] = "take-patches"
    patches: Annotated[tuple[PlatePatch, ...], Field(min_length=1, max_length=MOST_FRAMES)]

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        patches = {patch.frame: patch for patch in (*setup.plate.patches, *self.patches)}
        ordered = tuple(patches[at] for at in sorted(patches))
        return evolved(setup, plate=evolved(setup.plate, source=PlateSource.RECOVERED, patches=ordered))

    @property
    def words(self) -> str:
        return f"the plate was recovered in {len(self.patches)} frames"


class TakeGrain(Finding):
    """The grain of the clip as it was measured. What had none to give back gives all of it back now."""

    do: Literal["take-grain"] = "take-grain"
    measured: MeasuredGrain

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        grain = evolved(setup.finish.grain, measured=self.measured)
        if all(key.value == 0 for key in grain.strength.keys):
            grain = evolved(grain, strength=constant(1.0, TwiceAtMost))
        return evolved(setup, finish=evolved(setup.finish, grain=grain))

    @property
    def words(self) -> str:
        return "the grain was measured"


class TakeMatteFile(Finding):
    """A matte that was brought. One that was there before keeps its place in time and how it is fitted."""

    do: Literal["take-matte-file"] = "take-matte-file"
    subject: SubjectId
    title: Annotated[str, Field(max_length=200)] = ""
    frames: Names

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        before = subject_of(setup, self.subject).matte
        still = {"start": before.start, "fit": before.fit} if isinstance(before, ImportedMatte) else {}
        matte = made(ImportedMatte, {"title": self.title, "frames": self.frames, **still})
        return changing_subject(setup, self.subject, matte=matte)

    @property
    def words(self) -> str:
        return "a matte was brought from a file"


class TakePlateFile(Finding):
    """A plate that was brought."""

    do: Literal["take-plate-file"] = "take-plate-file"
    title: Annotated[str, Field(max_length=200)] = ""
    frames: Names

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        plate = made(ImportedPlate, {"title": self.title, "frames": self.frames})
        return evolved(setup, plate=evolved(setup.plate, source=PlateSource.IMPORTED, imported=plate))

    @property
    def words(self) -> str:
        return "a plate was brought from a file"


class TakeTable(Finding):
    """A colour table that was brought, over the whole picture."""

    do: Literal["take-table"] = "take-table"
    title: Annotated[str, Field(max_length=200)] = ""
    name: Name

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        table = made(ColourTable, {"name": self.name, "title": self.title})
        whole = evolved(setup.finish.whole, table=table)
        return evolved(setup, finish=evolved(setup.finish, whole=whole))

    @property
    def words(self) -> str:
        return "a colour table was brought"


class TakeCard(Finding):
    """A picture that was brought for a card in space: for one that is there, or as a new one."""

    do: Literal["take-card"] = "take-card"
    card: Id
    title: Annotated[str, Field(max_length=200)] = ""
    picture: Name
    size: tuple[int, int]

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        return with_picture_card(setup, self.card, self.title, self.picture, self.size)

    @property
    def words(self) -> str:
        return "a picture was brought for a card"


class TakeMapFile(Finding):
    """Maps of distance that were brought: for a source that is there, or as a new one over all others."""

    do: Literal["take-map-file"] = "take-map-file"
    source: Id
    title: Annotated[str, Field(max_length=200)] = ""
    frames: Names

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        sources = setup.distance.sources
        known = setup.distance.source(self.source)
        fields = {"title": self.title, "frames": self.frames}
        if isinstance(known, MapFile):
            return with_sources(
                setup, tuple(evolved(source, **fields) if source is known else source for source in sources)
            )
        if known is not None:
            raise Refused("A source of another kind has this name. Bring the map as a new source.")
        if len(sources) >= MOST_SOURCES:
            raise Refused(f"There are {MOST_SOURCES} sources of distance already. Remove one first.")
        return with_sources(setup, (*sources, made(MapFile, {"id": self.source, "name": self.title[:60], **fields})))

    @property
    def words(self) -> str:
        return "a map was brought from a file"
