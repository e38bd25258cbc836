"""Render a range of frames to a file, in parts, so that a render that was cut short goes on where it was.

Each part is a closed stretch of H.264 and depends on nothing but the setup, the source and its own range; joined, the
parts make the same file however often the work was interrupted.
"""

from __future__ import annotations

import os
import time
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.encode import H264Writer, even, fit, join_parts
from kalyptra.core.clip.facts import ClipFacts
from kalyptra.core.clip.guarded import Limits, run_guarded
from kalyptra.core.clip.reader import FrameUnreadable, HeldPicture, Picture, PictureSource, open_clip
from kalyptra.core.compiled import keep_freed_memory, one_thread_a_frame
from kalyptra.core.frame import Sources, render_frame
from kalyptra.core.kept import Folder, Kept, Nothing
from kalyptra.core.setup.document import Compression, Setup

PART_FRAMES = 48
X264 = {
    Compression.DRAFT: {"crf": "26", "preset": "veryfast"},
    Compression.GOOD: {"crf": "19", "preset": "veryfast"},
    Compression.HIGH: {"crf": "14", "preset": "medium"},
}
Progress = Callable[[int, float], bool]
"""Called with frames done and frames a second; returns False to stop."""


@dataclass(frozen=True)
class RenderJob:
    """All that a render depends on.

    Attributes:
        setup: the look; its output says size and quality.
        source: the clip's file.
        facts: the clip.
        first, last: range in frames of the clip, both rendered.
        kept: folder of stored mattes and plates, where the setup names any.
    """

    setup: Setup
    source: Path
    facts: ClipFacts
    first: int
    last: int
    kept: Path | None = None

    @property
    def frames(self) -> int:
        return self.last - self.first + 1

    @property
    def size(self) -> tuple[int, int]:
        """(height, width) of the result, even."""
        height = self.setup.output.height or self.facts.height
        return even(height), even(round(self.facts.width * height / self.facts.height))

    def parts(self) -> list[tuple[int, int]]:
        """First and last frame of each part."""
        return [(a, min(a + PART_FRAMES - 1, self.last)) for a in range(self.first, self.last + 1, PART_FRAMES)]


def render_to_file(job: RenderJob, folder: Path, out: Path, on_progress: Progress) -> str:
    """Render a job, in guarded processes, and join the parts.

    Args:
        folder: where parts are kept until all are done; finished ones found there are used.
        out: where the MP4 appears, complete or not at all.

    Returns:
        What became of the sound.

    Raises:
        GuardedFailure: rendering failed (kind "cancelled": `on_progress` said stop). Finished parts are kept.
    """
    folder.mkdir(parents=True, exist_ok=True)
    parts = job.parts()
    paths = [folder / f"part-{a:07}-{b:07}.mp4" for a, b in parts]
    done = sum(b - a + 1 for (a, b), path in zip(parts, paths, strict=True) if path.exists())
    resumed, started = done, time.monotonic()

    def told(report: dict[str, Any]) -> bool:
        made = done + int(report["done"])
        return on_progress(made, (made - resumed) / max(time.monotonic() - started, 1e-3))

    if not told({"done": 0}):
        _stop()
    missing = [(a, b, str(path)) for (a, b), path in zip(parts, paths, strict=True) if not path.exists()]
    if missing:
        work = {
            "setup": job.setup.model_dump(mode="json"), "facts": job.facts.model_dump(mode="json"),
            "source": str(job.source), "parts": missing, "size": list(job.size),
            "kept": str(job.kept) if job.kept else None,
        }  # fmt: skip
        seconds = 300 + job.frames * job.facts.width * job.facts.height / 2e5
        # One process for all parts: starting one costs seconds.
        run_guarded("kalyptra.core.export:render_parts_here", work, Limits(seconds, 16 << 30, 64 << 30), told)
    if not on_progress(job.frames, 0.0):
        _stop()
    joined = out.with_suffix(".joining")
    sound = (job.source, job.facts, job.first, job.last) if job.facts.audio else None
    state = join_parts(paths, job.facts.rate, joined, sound)
    joined.replace(out)
    return state


def _stop() -> None:
    from kalyptra.core.clip.guarded import GuardedFailure

    raise GuardedFailure("cancelled", "stopped")


def render_parts_here(
    setup: dict[str, Any], facts: dict[str, Any], source: str, parts: list[tuple[int, int, str]], size: list[int],
    kept: str | None, report: Callable[..., None],
) -> None:  # fmt: skip
    """Render parts, each given by its first and last frame and its path; runs inside the guarded process.

    A part appears under its path only when it is complete.
    """
    keep_freed_memory()
    one_thread_a_frame()
    look, clip = Setup.model_validate(setup), ClipFacts.model_validate(facts)
    reader = open_clip(Path(source), clip, threads=2)
    store = Folder(Path(kept)) if kept else Nothing()
    count = 0
    for first, last, path in parts:
        unfinished = Path(path).with_suffix(".unfinished")
        writer = H264Writer(unfinished, (size[0], size[1]), clip.rate, clip.transfer, X264[look.output.quality])
        for codes in rendered(look, reader, clip, range(first, last + 1), store):
            whole = codes[: even(codes.shape[0]), : even(codes.shape[1])]
            writer.write(np.ascontiguousarray(fit(whole, (size[0], size[1]))))
            count += 1
            if count % 4 == 0:
                report(done=count)
        writer.close()
        unfinished.replace(path)


def decode_and_encode(
    source: Path, facts: ClipFacts, out: Path, size: tuple[int, int], frames: range, preset: str
) -> None:
    """Copy frames through the decoder and the encoder, and nothing else: what a render is measured against."""
    reader = open_clip(source, facts, threads=2)
    options = {"crf": X264[Compression.GOOD if preset == "veryfast" else Compression.HIGH]["crf"], "preset": preset}
    writer = H264Writer(out, size, facts.rate, facts.transfer, options)
    for frame in frames:
        writer.write(np.ascontiguousarray(fit(reader.picture(frame).codes, size)))
    writer.close()
    reader.close()


def rendered(
    setup: Setup, reader: PictureSource, clip: ClipFacts, frames: range, kept: Kept | None = None
) -> Iterator[NDArray[np.uint8]]:
    """Rendered frames in order; a few are worked on at once, one thread each.

    A frame that cannot be decoded repeats the one before it; the first one of a range must be readable.
    """
    at_once = max(1, os.cpu_count() or 1)
    waiting: deque[Future[NDArray[np.uint8]]] = deque()
    with ThreadPoolExecutor(at_once) as pool:
        last: Picture | None = None
        for frame in frames:
            try:
                last = reader.picture(frame)
            except FrameUnreadable:
                if last is None:
                    raise
            sources = Sources(HeldPicture(clip, last), clip.width, kept or Nothing())
            waiting.append(pool.submit(render_frame, setup, frame, sources))
            if len(waiting) > at_once:
                yield waiting.popleft().result()
        while waiting:
            yield waiting.popleft().result()
