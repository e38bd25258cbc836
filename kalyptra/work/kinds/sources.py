"""Following what a source of distance lies on."""

from __future__ import annotations

from contextlib import closing
from typing import Literal

from kalyptra.core import (
    Command,
    Followable,
    OnLoss,
    Setup,
    Step,
    TakeSourceSteps,
    camera_of,
    follow_source,
    free_of,
    open_clip,
    pictures_needed,
    source_with_steps,
)
from kalyptra.library import store
from kalyptra.library.files import local_path
from kalyptra.work.kinds.order import Gone, NotTaken, Order, SubjectId, Task


class FollowSource(Order):
    """Follow a source of distance."""

    what: Literal["source"] = "source"
    source: SubjectId
    on_loss: OnLoss = OnLoss.CARRY_ON

    @property
    def about(self) -> str:
        return self.source

    def check(self, setup: Setup) -> None:
        source = setup.distance.source(self.source)
        if source is None:
            raise NotTaken("That source of distance is not in the saved setup. Save it, then follow.")
        if not isinstance(source, Followable):
            raise NotTaken("This source lies on nothing in the picture that could be followed.")
        if self.start == self.end:
            raise NotTaken("There is no frame to follow to in that direction.")

    def run(self, task: Task) -> str | None:
        shot = task.shot
        media, setup = shot.media, shot.setup
        source = setup.distance.source(self.source)
        if not isinstance(source, Followable):
            raise Gone("the source of distance is not in the setup any more")
        if store.fetch(pictures_needed(setup, *self.span)):
            raise Gone("a matte is not in the store any more; follow the subject again")
        steps = tuple(Step.model_validate(finding) for finding in task.findings.of())
        done = len(steps)
        followed = source_with_steps(source, steps) if steps else source
        assert isinstance(followed, Followable)
        size = media.facts.width, media.facts.height
        with closing(open_clip(local_path(media.proxy), media.proxy_facts)) as footage:
            steps_ahead = follow_source(followed, footage, self.frames[done:], camera_of(setup, size),
                                  free_of(setup, size[0], store.local()), self.on_loss)  # fmt: skip
            for step in steps_ahead:
                task.findings.add(step.model_dump(mode="json"))
                done += 1
                if not task.note(done, None):
                    return None
        if done < len(self.frames) - 1:
            return f"What it lies on was lost at frame {self.frames[done]}. Put it right there and follow again."
        return ""

    def commands(self, task: Task) -> list[Command]:
        steps = tuple(task.findings.of())
        return [TakeSourceSteps(source=self.source, steps=steps)] if steps else []
