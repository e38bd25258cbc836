"""Commands on whole subjects."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from kalyptra.core.edit.at import with_value
from kalyptra.core.edit.command import ClipExtent, Command, Refused, SubjectId, evolved, made, metres
from kalyptra.core.edit.outline_keys import drawn_outline
from kalyptra.core.setup.document.distance import Backdrop, Corners, Distance, Ground, Pinned, Standing
from kalyptra.core.setup.document.setup import Edge, FrameNumber, OutlineMatte, Refine, Setup, Subject
from kalyptra.core.setup.document.stored import FoundMatte
from kalyptra.core.setup.frozen import Frozen
from kalyptra.core.setup.geometry.curve import Curve
from kalyptra.core.setup.resolve.look import camera_of, distance_of, focus_of
from kalyptra.core.setup.time.keyed import constant

INKS = 4
EDGE_OF_DRAWN, EDGE_OF_FOUND = 1 / 120, 1 / 240
"""Shares of the picture's width that the edge may be off a line: outlines are drawn 1 to 6 px loose in a picture of 960
px, and followed mattes are off by half as much. From the tune half of `truth/motion`: `bin/kalyptra bench edges`."""
PLATE_GROWTH = 1 / 960
"""Share of the picture's width beyond a matte within which the subject is taken to spoil the picture: more takes away
what is known of the picture behind, less leaves a rim of the subject's colour. From the tune half, as above."""
MOST_SUBJECTS = 64


class Drawn(Frozen):
    """An outline as it was drawn, px of the source."""

    id: SubjectId
    curve: Curve


class AddSubject(Command):
    """A new subject where the focus is: with the outline that was drawn, or with a matte that is still to be found."""

    do: Literal["add-subject"] = "add-subject"
    id: SubjectId
    name: Annotated[str, Field(max_length=60)] = ""
    frame: FrameNumber
    drawn: Drawn | None = None

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        if any(subject.id == self.id for subject in setup.subjects):
            raise Refused("This subject is there already.")
        if len(setup.subjects) >= MOST_SUBJECTS:
            raise Refused(f"There are {MOST_SUBJECTS} subjects already. Remove one first.")
        focus = focus_of(setup, self.frame, camera_of(setup, clip.size))
        count = len(setup.subjects)
        subject = made(
            Subject,
            {
                "id": self.id,
                "name": self.name.strip() or f"Subject {count + 1}",
                "ink": count % INKS,
                "matte": self._matte(),
                "refine": self._refine(clip),
                "distance": constant(metres(focus), Distance),
            },
        )
        return evolved(setup, subjects=(*setup.subjects, subject))

    def _matte(self) -> OutlineMatte | FoundMatte:
        if self.drawn is None:
            return FoundMatte()
        return OutlineMatte(outlines=(drawn_outline(self.drawn.id, self.frame, self.drawn.curve),))

    def _refine(self, clip: ClipExtent) -> Refine:
        share = EDGE_OF_FOUND if self.drawn is None else EDGE_OF_DRAWN
        return Refine(edge=Edge.FAST, edge_width=min(200.0, max(2.0, round(clip.width * share))))

    @property
    def words(self) -> str:
        return "a subject was added"


class RemoveSubject(Command):
    """Take a subject away. Sources that held in its matte hold everywhere, marks on it stay where they were."""

    do: Literal["remove-subject"] = "remove-subject"
    id: SubjectId
    frame: FrameNumber = 0
    """The frame at which the distance is taken that its marks keep."""

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        subject = subject_of(setup, self.id)
        distance = distance_of(setup, subject, self.frame, camera_of(setup, clip.size))
        sources = tuple(
            evolved(source, region=None) if source.region and source.region.subject == self.id else source
            for source in setup.distance.sources
        )
        marks = tuple(
            evolved(mark, subject=None, distance=metres(distance)) if mark.subject == self.id else mark
            for mark in setup.focus.marks
        )
        return evolved(
            setup,
            subjects=tuple(subject for subject in setup.subjects if subject.id != self.id),
            distance=evolved(setup.distance, sources=sources),
            focus=evolved(setup.focus, marks=marks),
        )

    @property
    def words(self) -> str:
        return "a subject was removed"


class StandOn(Command):
    """Let a subject stand on a ground, from which its distance follows; or on none."""

    do: Literal["stand-on"] = "stand-on"
    subject: SubjectId
    source: Annotated[str, Field(max_length=16)] | None

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        subject = subject_of(setup, self.subject)
        if self.source is None:
            return changing_subject(setup, self.subject, standing=None)
        if not isinstance(setup.distance.source(self.source), Backdrop | Pinned | Ground | Corners):
            raise Refused("Nothing can stand on that source. Choose a backdrop, a plane, a ground or four corners.")
        before = subject.standing
        standing = evolved(before, on=self.source) if before else made(Standing, {"on": self.source})
        return changing_subject(setup, self.subject, standing=standing)

    @property
    def words(self) -> str:
        return "a subject was stood on a ground" if self.source else "a subject was lifted off its ground"


def subject_of(setup: Setup, name: str) -> Subject:
    """
    Raises:
        Refused: it is not there any more.
    """
    holder = next((subject for subject in setup.subjects if subject.id == name), None)
    if holder is None:
        raise Refused("This subject is not there any more. It was removed meanwhile.")
    return holder


def changing_subject(setup: Setup, name: str, **fields: object) -> Setup:
    """The setup with other fields of a subject.

    Raises:
        Refused: it is not there any more, or a field is out of bounds.
    """
    subject_of(setup, name)
    return with_value(setup, f"subjects.{name}", lambda subject: evolved(subject, **fields))
