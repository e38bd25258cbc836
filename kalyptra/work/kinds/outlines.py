"""Following drawn outlines."""

from __future__ import annotations

import time
from contextlib import closing
from typing import Annotated, Any, Literal

from pydantic import Field

from kalyptra.core import (
    Command,
    OnLoss,
    Outline,
    Setup,
    Step,
    TakeSteps,
    follow_back,
    follow_together,
    open_clip,
    outlines_of,
    placed_points,
    with_steps,
)
from kalyptra.library.files import local_path
from kalyptra.work.kinds.order import NotTaken, Order, SubjectId, Task, lost_at, saved_subject, subject_in

SHOW_EVERY = 0.4
"""Seconds between two frames that the page shows while it goes on."""


class FollowOutlines(Order):
    """Follow outlines of a subject together."""

    what: Literal["outlines"] = "outlines"
    subject: SubjectId
    outlines: Annotated[tuple[str, ...], Field(max_length=64)] = ()
    on_loss: OnLoss = OnLoss.CARRY_ON

    @property
    def about(self) -> str:
        return self.subject

    def check(self, setup: Setup) -> None:
        subject = saved_subject(setup, self.subject)
        if not self.outlines or not set(self.outlines) <= {outline.id for outline in outlines_of(subject.matte)}:
            raise NotTaken("That outline is not in the saved setup. Save it, then follow.")
        if self.start == self.end:
            raise NotTaken("There is no frame to follow to in that direction.")

    def run(self, task: Task) -> str | None:
        media, subject = task.shot.media, subject_in(task.shot.setup, self.subject)
        drawn = {
            outline.id: outline
            for outline in (outlines_of(subject.matte) if subject else ())
            if outline.id in self.outlines
        }
        # Steps of the way back, found later, take the place of these in the end; what is taken up goes back anew.
        steps = {name: list(_steps(task, name, latest=False).values()) for name in drawn}
        done = max((len(step) for step in steps.values()), default=0)
        with closing(open_clip(local_path(media.proxy), media.proxy_facts)) as footage:
            left = [
                with_steps(outline, tuple(steps[name]))
                for name, outline in drawn.items()
                if len(steps[name]) == done  # others were lost on the way
            ]
            shown = -SHOW_EVERY
            for of_frame in follow_together(left, footage, self.frames[done:], media.facts.width, self.on_loss):
                for name, step in of_frame.items():
                    steps[name].append(step)
                    task.findings.add(step.model_dump(mode="json"), name)
                done += 1
                seen = None
                if time.monotonic() - shown >= SHOW_EVERY:
                    shown, seen = time.monotonic(), self._seen(self.frames[done], drawn, steps)
                if not task.note(done, seen):
                    return None
            if self.end > self.start:
                followed = [with_steps(outline, tuple(steps[name])) for name, outline in drawn.items()]
                seen = {"frame": self.end, "outlines": {}, "back": True}
                for of_frame in follow_back(followed, footage, *self.span, media.facts.width, self.on_loss):
                    for name, step in of_frame.items():
                        task.findings.add(step.model_dump(mode="json"), name)
                    if not task.note(done, seen):
                        return None
                    seen = None
        return "" if done == len(self.frames) - 1 else lost_at(self.frames[done])

    def _seen(self, frame: int, drawn: dict[str, Outline], steps: dict[str, list[Step]]) -> dict[str, Any]:
        outlines = {name: with_steps(outline, tuple(steps[name])) for name, outline in drawn.items()}
        points = {name: {"points": placed_points(outline, frame)} for name, outline in outlines.items()}
        return {"frame": frame, "outlines": {self.subject: points}}

    def commands(self, task: Task) -> list[Command]:
        return [
            TakeSteps(subject=self.subject, outline=name, steps=tuple(_steps(task, name).values()))
            for name in task.findings.names
        ]


def _steps(task: Task, name: str, latest: bool = True) -> dict[int, Step]:
    """What was found of an outline, by frame: what was found there last, or first."""
    found = [Step.model_validate(finding) for finding in task.findings.of(name)]
    by_frame: dict[int, Step] = {}
    for step in found:
        if latest or step.frame not in by_frame:
            by_frame[step.frame] = step
    return by_frame
