"""Render a range of frames to a file, in parts, so that a render that was cut short goes on where it was.

Each part is a closed stretch of H.264 and depends on nothing but the setup, the source and its own range; joined, the
parts make the same file however often the work was interrupted.
"""

from __future__ import annotations

import os
import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.encode import H264Writer, even, fit, join_parts
from kalyptra.core.clip.facts import ClipFacts
from kalyptra.core.clip.guarded import GuardedFailure, Limits, run_guarded
from kalyptra.core.clip.reader import HeldPicture, Mended, PictureSource, damage_words, open_clip
from kalyptra.core.clip.sound import SoundOf
from kalyptra.core.compiled import keep_freed_memory, one_thread_a_frame
from kalyptra.core.compose import Sources
from kalyptra.core.finish.framing import framed_size
from kalyptra.core.finish.retime import frames_of, rendered_frames, retimed, taps_of
from kalyptra.core.frame import render_framed
from kalyptra.core.setup.document.setup import Compression, Setup
from kalyptra.core.setup.resolve.finish import Timing, framing_at, timing_of
from kalyptra.core.store import EmptyStore, FolderStore, Store

PART_FRAMES = 48
X264 = {
    Compression.DRAFT: {"crf": "26", "preset": "veryfast"},
    Compression.GOOD: {"crf": "19", "preset": "veryfast"},
    Compression.HIGH: {"crf": "14", "preset": "medium"},
}
SOUND_WORDS = {
    "copied": "The sound was copied unchanged.", "none": "The source has no sound.",
    "retimed": "The sound goes at the picture's speed, in its pitch.",
    "left out": "The sound was left out, as the speed's setting says.",
    "changing": "The sound was left out: the speed changes, and sound goes along only at a speed that stays.",
}  # fmt: skip
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
        store_folder: folder of stored mattes and plates, where the setup names any.
    """

    setup: Setup
    source: Path
    facts: ClipFacts
    first: int
    last: int
    store_folder: Path | None = None

    @cached_property
    def timing(self) -> Timing:
        return timing_of(self.setup.finish.speed, self.first, self.last)

    @property
    def frames(self) -> int:
        """How many frames are rendered."""
        return rendered_frames(self.timing)

    @property
    def size(self) -> tuple[int, int]:
        """(height, width) of the result, even."""
        framing = framing_at(self.setup.finish.framing, self.first)
        rows, columns = framed_size(self.facts.height, self.facts.width, framing)
        height = self.setup.output.height or rows
        return even(height), even(round(columns * height / rows))

    def parts(self) -> list[tuple[int, int]]:
        """First and last of each part, of the rendered frames, which count from 0."""
        frames = self.frames
        return [(a, min(a + PART_FRAMES, frames) - 1) for a in range(0, frames, PART_FRAMES)]


def render_to_file(
    job: RenderJob, folder: Path, out: Path, on_progress: Progress, go_on: Callable[[], bool] | None = None
) -> str:
    """Render a job, in a guarded process, and join the parts there.

    Args:
        folder: where parts are kept until all are done; finished ones found there are used.
        out: where the MP4 appears, complete or not at all.
        go_on: asked now and then whether to go on.

    Returns:
        What became of the sound, and of damaged frames, in words.

    Raises:
        GuardedFailure: rendering failed (kind "cancelled": it was stopped). Finished parts are kept.
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
        raise GuardedFailure("cancelled", "stopped")
    joined = out.with_suffix(".joining")
    work = {
        "setup": job.setup.model_dump(mode="json"), "facts": job.facts.model_dump(mode="json"),
        "source": str(job.source), "size": list(job.size),
        "first": job.first, "last": job.last, "store_folder": str(job.store_folder) if job.store_folder else None,
        "parts": [(a, b, str(path)) for (a, b), path in zip(parts, paths, strict=True)], "joined": str(joined),
    }  # fmt: skip
    seconds = 300 + job.frames * job.facts.width * job.facts.height / 2e5
    # One process for all parts: starting one costs seconds. It also reads the source's sound, which is untrusted, too.
    limits = Limits(seconds, 16 << 30, 64 << 30)
    said = run_guarded("kalyptra.core.export:render_here", work, limits, told, go_on)
    on_progress(job.frames, 0.0)
    joined.replace(out)
    return str(said)


def render_here(
    setup: dict[str, Any], facts: dict[str, Any], source: str, first: int, last: int, parts: list[tuple[int, int, str]],
    size: list[int], store_folder: str | None, joined: str, report: Callable[..., None],
) -> str:  # fmt: skip
    """Render the parts of a range that are missing, each given by its first and last rendered frame and its path, and
    join all; runs inside the guarded process.

    A part appears under its path only when it is complete.
    """
    keep_freed_memory()
    one_thread_a_frame()
    look, clip = Setup.model_validate(setup), ClipFacts.model_validate(facts)
    reader = Mended(open_clip(Path(source), clip, threads=2))
    store = FolderStore(Path(store_folder)) if store_folder else EmptyStore()
    timing = timing_of(look.finish.speed, first, last)
    taps = taps_of(timing)
    count = 0
    for begin, end, path in parts:
        if Path(path).exists():
            continue
        unfinished = Path(path).with_suffix(".unfinished")
        writer = H264Writer(unfinished, (size[0], size[1]), clip.rate, clip.transfer, X264[look.output.quality])
        shown = taps[begin : end + 1]
        for codes in retimed(rendered(look, reader, clip, frames_of(shown), store), shown, clip.transfer):
            whole = codes[: even(codes.shape[0]), : even(codes.shape[1])]
            writer.write(np.ascontiguousarray(fit(whole, (size[0], size[1]))))
            count += 1
            if count % 4 == 0:
                report(done=count)
        writer.close()
        _flush(unfinished)
        unfinished.replace(path)
    speed = timing.steady if timing.sounds or timing.steady == 1 else None
    sound = SoundOf(Path(source), clip, first, last, speed) if speed else None
    state = join_parts([Path(path) for _, _, path in parts], clip.rate, Path(joined), sound)
    if clip.audio and not sound:
        state = "left out" if timing.steady else "changing"
    _flush(Path(joined))
    return " ".join(filter(None, (SOUND_WORDS.get(state, f"The sound was {state}."), damage_words(reader.damaged))))


def _flush(path: Path) -> None:
    """Have a file's contents on the disk before its name says that it is whole."""
    with path.open("rb") as file:
        os.fsync(file.fileno())


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
    setup: Setup, reader: PictureSource, clip: ClipFacts, frames: Iterable[int], store_folder: Store | None = None
) -> Iterator[NDArray[np.uint8]]:
    """Rendered frames in order; a few are worked on at once, one thread each.

    Raises:
        FrameUnreadable: a frame cannot be decoded; a `Mended` reader has another one stand in for it.
    """
    at_once = max(1, os.cpu_count() or 1)
    waiting: deque[Future[NDArray[np.uint8]]] = deque()
    with ThreadPoolExecutor(at_once) as pool:
        for frame in frames:
            sources = Sources(HeldPicture(clip, reader.picture(frame)), clip.width, store_folder or EmptyStore())
            waiting.append(pool.submit(render_framed, setup, frame, sources))
            if len(waiting) > at_once:
                yield waiting.popleft().result()
        while waiting:
            yield waiting.popleft().result()
