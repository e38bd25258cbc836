"""Measuring the source's grain."""

from __future__ import annotations

from typing import Literal

from kalyptra.core import Command, MeasuredGrain, Setup, TakeGrain, grain_of_clip
from kalyptra.library.files import local_path
from kalyptra.work.kinds.order import NotTaken, Order, Task


class MeasureGrain(Order):
    """Measure the grain of a stretch of the clip, to give it back to what is blurred."""

    what: Literal["grain"] = "grain"

    @property
    def about(self) -> str:
        return "grain"

    def check(self, setup: Setup) -> None:
        if self.start == self.end:
            raise NotTaken("Grain is measured between frames. Choose at least two.")

    def run(self, task: Task) -> str | None:
        media = task.shot.media
        first, last = self.span
        if task.findings.of():
            return ""

        def on_share(share: float) -> bool:
            return task.note(round(share * len(self.frames)), None)

        measured = grain_of_clip(media.facts, local_path(media.file), first, last, on_share, task.go_on)
        task.findings.add(measured.model_dump(mode="json"))
        return ""

    def commands(self, task: Task) -> list[Command]:
        return [TakeGrain(measured=MeasuredGrain.model_validate(value)) for value in task.findings.of()[-1:]]
