"""Looking where a subject stands."""

from __future__ import annotations

from typing import Literal

from kalyptra.core import Command, Setup, TakeFeet, feet, grounded, matte_name, pictures_needed
from kalyptra.library import store
from kalyptra.work.kinds.order import Gone, NotTaken, Order, SubjectId, Task, saved_subject, subject_in


class FindFeet(Order):
    """Look where a subject stands in each frame."""

    what: Literal["feet"] = "feet"
    subject: SubjectId

    @property
    def about(self) -> str:
        return self.subject

    def check(self, setup: Setup) -> None:
        if saved_subject(setup, self.subject).standing is None:
            raise NotTaken("This subject does not stand on a ground. Choose one for it first.")

    def run(self, task: Task) -> str | None:
        shot = task.shot
        subject = subject_in(shot.setup, self.subject)
        if subject is None:
            raise Gone("the subject is not in the setup any more")
        if store.fetch(pictures_needed(shot.setup, *self.span)):
            raise Gone("a matte is not in the store any more; follow the subject again")
        size = shot.media.facts.width, shot.media.facts.height
        before = task.findings.of()
        done = self.frames.index(before[-1][0]) + 1 if before else 0
        for foot in feet(subject, self.frames[done:], size, store.local()):
            done += 1
            if foot:
                task.findings.add(list(foot))
            if not task.note(done, None):
                return None
        missing = len(self.frames) - len(self._grounded(task))
        if not missing:
            return ""
        return f"No foot is seen in {missing} of {len(self.frames)} frames; there it goes on as around them."

    def _grounded(self, task: Task) -> list[tuple[int, float, float]]:
        return grounded([tuple(foot) for foot in task.findings.of()])

    def commands(self, task: Task) -> list[Command]:
        subject = subject_in(task.shot.setup, self.subject)
        if subject is None:
            raise Gone("the subject is not in the setup any more")
        standing = tuple(self._grounded(task))
        return [TakeFeet(subject=self.subject, feet=standing, of=matte_name(subject))] if standing else []
