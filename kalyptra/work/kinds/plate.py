"""Recovering the picture behind the cut-outs."""

from __future__ import annotations

from typing import Literal

from kalyptra.core import Command, PlatePatch, Setup, TakePatches, pictures_needed, recover_to_store
from kalyptra.library import store
from kalyptra.library.files import local_path
from kalyptra.work.kinds.order import Gone, NotTaken, Order, Task


class RecoverPlate(Order):
    """Recover what the cut-outs hide from other frames."""

    what: Literal["plate"] = "plate"

    def check(self, setup: Setup) -> None:
        if not any(subject.enabled and subject.acts.value == "cut-out" for subject in setup.subjects):
            raise NotTaken("No subject is a cut-out, so nothing hides the background. Make one first.")

    def run(self, task: Task) -> str | None:
        shot, media = task.shot, task.shot.media
        first, last = self.span
        if store.fetch(pictures_needed(shot.setup, first, last)):
            raise Gone("a matte is not in the store any more; follow the subject again")
        before = max((finding[0] + 1 - first for finding in task.findings.of()), default=0)
        if first + before > last:
            return ""

        def on_patch(done: int, patch: PlatePatch | None) -> bool:
            if patch is not None:
                store.share([patch.picture])
                task.findings.add(list(patch))
            return task.note(before + done, None)

        return recover_to_store(
            shot.setup, local_path(media.file), media.facts, store.local().folder, first + before, last, on_patch,
            task.go_on,
        )  # fmt: skip

    def commands(self, task: Task) -> list[Command]:
        values = tuple(task.findings.of())
        return [TakePatches(patches=values)] if values else []
