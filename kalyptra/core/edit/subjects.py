"""Commands on whole subjects."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Literal

from pydantic import Field

from kalyptra.core.edit.at import with_value
from kalyptra.core.edit.command import ClipExtent, Command, Refused, SubjectId, evolved, made, metres
from kalyptra.core.edit.outline_keys import drawn_outline
from kalyptra.core.setup.document.distance import Backdrop, Corners, Distance, Ground, Pinned, Standing
from kalyptra.core.setup.document.finish import Finish
from kalyptra.core.setup.document.focus import Mark
from kalyptra.core.setup.document.setup import Acts, Edge, FrameNumber, OutlineMatte, Refine, Setup, Subject
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
ROUGH_FEATHER = 30 / 1080
"""Feather of a rough shape, inwards and outwards together, as a share of the picture's height (common practice, no
source: 30 to 35 px, up to 60, at 1080 lines)."""
CLOSE_FEATHER = 2.4 / 1080
"""Feather of a matte that is found or drawn closely, in all, as a share of the picture's height: edges are calmer, and
as near the true ones. From the tune half, as above (common practice, no source: 2 to 5 px at 1080 lines)."""
REGION_FEATHER = 0.3
"""Feather of a soft region on either side, as a share of its smaller side: sharp in its middle, and gone where it ends
as somebody drew it and as far beyond (common practice, no source)."""
MOST_SUBJECTS = 64
ALIKE = 0.03
"""Share of its dioptres by which focus may be off a subject and still lie on it."""


class DrawnAs(StrEnum):
    """How an outline lies about what it shows."""

    CLOSELY = "closely"
    """Along the subject's edge, which is then found in the picture."""
    ROUGHLY = "roughly"
    """A plain shape around it, with a soft edge."""
    SOFT_REGION = "soft-region"
    """A stretch of the picture that goes over into the rest."""


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
    drawn_as: DrawnAs = DrawnAs.CLOSELY

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
                "acts": Acts.ZONE if self.drawn_as is DrawnAs.SOFT_REGION else Acts.CUT_OUT,
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
        if self.drawn and self.drawn_as is not DrawnAs.CLOSELY:
            feather = clip.height * ROUGH_FEATHER / 2
            if self.drawn_as is DrawnAs.SOFT_REGION:
                feather = self._smaller_side(self.drawn) * REGION_FEATHER
            each = round(min(4000.0, feather), 1)
            return Refine(feather_in=each, feather_out=each)
        share, each = EDGE_OF_FOUND if self.drawn is None else EDGE_OF_DRAWN, round(clip.height * CLOSE_FEATHER / 2, 1)
        edge_width = min(200.0, max(2.0, round(clip.width * share)))
        return Refine(edge=Edge.FAST, edge_width=edge_width, feather_in=each, feather_out=each)

    def _smaller_side(self, drawn: Drawn) -> float:
        xs, ys = [p.x for p in drawn.curve.points], [p.y for p in drawn.curve.points]
        return min(max(xs) - min(xs), max(ys) - min(ys))

    @property
    def words(self) -> str:
        return "a soft region was added" if self.drawn_as is DrawnAs.SOFT_REGION else "a subject was added"


class RemoveSubject(Command):
    """Take a subject away, and its card in space. Sources that held in its matte hold everywhere, marks on it stay
    where they were."""

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
        space = setup.space
        if space is not None:
            space = evolved(space, cards=tuple(card for card in space.cards if card.subject != self.id))
        return evolved(
            setup,
            space=space,
            subjects=tuple(subject for subject in setup.subjects if subject.id != self.id),
            distance=evolved(setup.distance, sources=sources),
            focus=evolved(setup.focus, marks=marks),
            finish=_without(setup.finish, self.id),
        )

    @property
    def words(self) -> str:
        return "a subject was removed"


def _without(finish: Finish, subject: str) -> Finish:
    """A finish that names a subject no more; what it did in or outside of it, it does with all of them."""
    outside, flat = finish.outside, finish.flat
    if outside.subject == subject:
        outside = evolved(outside, subject=None)
    if flat.subject == subject:
        flat = evolved(flat, subject=None)
    return evolved(finish, outside=outside, flat=flat)


class StandOn(Command):
    """Let a subject stand on a ground, from which its distance follows; or on none.

    Focus that lay on the subject stays on it.
    """

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
        setup = self._focus_held(setup, subject, clip)
        standing = evolved(before, on=self.source) if before else made(Standing, {"on": self.source})
        return changing_subject(setup, self.subject, standing=standing)

    def _focus_held(self, setup: Setup, subject: Subject, clip: ClipExtent) -> Setup:
        """The setup with its focus on a mark of the subject, where it stays still at the subject's distance."""
        curve, frame = setup.focus.distance, setup.footage.first
        if len(curve.keys) > 1 or curve.keys[0].mark or any(mark.id == subject.id for mark in setup.focus.marks):
            return setup
        away = distance_of(setup, subject, frame, camera_of(setup, clip.size))
        focus = focus_of(setup, frame, camera_of(setup, clip.size))
        if abs(1 / away - 1 / focus) > ALIKE / away:
            return setup
        mark = made(
            Mark, {"id": subject.id, "name": subject.name[:40], "distance": metres(away), "subject": subject.id}
        )
        held = evolved(curve, keys=(evolved(curve.keys[0], mark=mark.id),))
        return evolved(setup, focus=evolved(setup.focus, marks=(*setup.focus.marks, mark), distance=held))

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
