"""Rendering a shot, and writing its mattes, to a file.

Finished parts lie in a folder named after all that a render depends on. A job that is taken up again, and a render that
is ordered again after one that failed, go on from there.
"""

from __future__ import annotations

import hashlib
import json
import shutil
from collections.abc import Callable
from pathlib import Path

from django.conf import settings

from kalyptra.core import (
    Format,
    GuardedFailure,
    MatteJob,
    RenderJob,
    mattes_to_file,
    pictures_needed,
    render_to_file,
)
from kalyptra.library import store
from kalyptra.library.files import delete_file, local_path, put_file
from kalyptra.library.models import Shot
from kalyptra.work.kinds import Gone
from kalyptra.work.lifecycle import Watch
from kalyptra.work.models import Render

ASIDE = "The setup is safe. Render the same again, and the parts that are finished are used."
TRIES = 3
"""Times in a row that a render's process may be ended from outside without finishing another part."""


def lock_of(render: Render) -> str:
    """Two renders of the same never work at the same time: they share their parts."""
    depends = [render.document, render.shot.media.digest, render.first, render.last, render.made, render.subject]
    return "render-" + hashlib.sha256(json.dumps(depends, sort_keys=True).encode()).hexdigest()[:32]


def folder_of(render: Render) -> Path:
    """Where its parts lie."""
    folder: Path = settings.DATA / "work" / lock_of(render)
    return folder


def work(render: Render, watch: Watch) -> str:
    """Render to the file in the render's folder; what to tell of it."""
    media, setup, folder = render.shot.media, store.read(render.document), folder_of(render)
    folder.mkdir(parents=True, exist_ok=True)
    if store.fetch(pictures_needed(setup, render.first, render.last)):
        raise Gone("mattes that it needs are not in the store any more")
    source, mattes_at = local_path(media.file), store.local().folder

    def on_progress(done: int, rate: float) -> bool:
        return watch.note(frames_done=round(share * done), frames_a_second=share * rate)

    if render.made == "result":
        job = RenderJob(setup, source, media.facts, render.first, render.last, mattes_at)
        share = render.frames / job.frames  # more or fewer are rendered where the speed is another
        result = folder / "result.mp4"
        words = _despite_kills(lambda: render_to_file(job, folder, result, on_progress, watch.go_on), folder)
    else:
        made, share = Format(render.made), 1.0
        result = folder / f"mattes{made.suffix}"
        mattes = MatteJob(
            setup, source, media.facts, mattes_at, render.first, render.last, made, render.subject or None
        )
        words = _despite_kills(lambda: mattes_to_file(mattes, result, on_progress, watch.go_on), folder)
    put_file(render.file, result.name, result)
    render.frames_done = render.frames
    return words


def _despite_kills(go: Callable[[], str], folder: Path) -> str:
    """Try again by itself where the process was ended from outside, as the kernel does when memory is short."""
    tries, finished = 0, -1
    while True:
        try:
            return go()
        except GuardedFailure as failure:
            parts = len(list(folder.glob("part-*.mp4")))
            tries, finished = (1 if parts > finished else tries + 1), parts
            if failure.kind not in ("killed", "memory") or tries >= TRIES:
                raise


def settle(render: Render) -> None:
    """Let the parts go; those of a render that failed wait a day for another try."""
    if not Shot.objects.filter(pk=render.shot_id).exists() and render.file.name:
        delete_file(render.file.storage, render.file.name)
    if render.state != Render.State.FAILED:
        shutil.rmtree(folder_of(render), ignore_errors=True)
    if render.state == Render.State.CANCELLED:
        render.message = "Cancelled. Nothing was written."
