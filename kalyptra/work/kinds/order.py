"""What all kinds of work over frames have in common: an order, a way to do it, and what comes of it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field

from kalyptra.core import Command, Setup, Subject
from kalyptra.library.models import Shot
from kalyptra.work.findings import Findings
from kalyptra.work.models import Follow

FrameNumber = Annotated[int, Field(ge=0, le=10_000_000)]
SubjectId = Annotated[str, Field(max_length=16)]


class NotTaken(Exception):
    """Work that cannot be begun. The text says why and what to do."""


class Gone(Exception):
    """Something that the work needs is not there any more. The text says what."""


@dataclass
class Task:
    """Work under way.

    Attributes:
        findings: what was found so far, also before it was taken up.
        note: told how many frames are done, now and then with what the page shows of the newest; whether to go on.
        go_on: whether to go on.
    """

    row: Follow
    findings: Findings
    note: Callable[[int, dict[str, Any] | None], bool]
    go_on: Callable[[], bool]

    @property
    def shot(self) -> Shot:
        return self.row.shot


class Order(BaseModel):
    """What was asked for. Each kind has a class of its own, told apart by `what`.

    Attributes:
        start, end: frames of the clip; following goes back when the end lies before the start.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    start: FrameNumber = 0
    end: FrameNumber = 0

    @property
    def about(self) -> str:
        """Id of the subject, or of the source of distance, that it is about: one work at a time for each."""
        return ""

    @property
    def frames(self) -> range:
        """The frames, in the order in which they are worked on."""
        ahead = 1 if self.end >= self.start else -1
        return range(self.start, self.end + ahead, ahead)

    @property
    def span(self) -> tuple[int, int]:
        """The first and the last frame."""
        return min(self.start, self.end), max(self.start, self.end)

    def check(self, setup: Setup) -> None:
        """Make sure that it can be done on a setup.

        Raises:
            NotTaken: it cannot.
        """

    def run(self, task: Task) -> str | None:
        """Do it, going on from what was found before.

        Returns:
            What to tell of it; None where it was told not to go on.

        Raises:
            Gone, FrameUnreadable, GuardedFailure, kept.Full, room.NoRoom: it cannot be done.
        """
        raise NotImplementedError

    def commands(self, task: Task) -> list[Command]:
        """What was found, as commands on a setup."""
        raise NotImplementedError


def subject_in(setup: Setup, name: str) -> Subject | None:
    return next((subject for subject in setup.subjects if subject.id == name), None)


def saved_subject(setup: Setup, name: str) -> Subject:
    """
    Raises:
        NotTaken: the setup has no such subject.
    """
    subject = subject_in(setup, name)
    if subject is None:
        raise NotTaken("That subject is not in the saved setup. Save it, then follow.")
    return subject


def lost_at(frame: int) -> str:
    return f"The subject was lost at frame {frame}. Mend it there and follow again."
