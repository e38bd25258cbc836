"""Following outlines over the demo clips, beside their truth.

J is region similarity, F contour accuracy as in Perazzi et al., A benchmark dataset and evaluation methodology for
video object segmentation, CVPR 2016.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from typing import Any

import numpy as np

from kalyptra.core import (
    NEEDS_A_LOOK,
    HeldPicture,
    Motion,
    changed,
    drawn_outline,
    follow,
    follow_range,
    outline_trust,
)
from kalyptra.shell.benches.figure import Figure
from kalyptra.truth.tracked import OCCLUSION, TrackedClip, mean_overlap, mended, post, runner_outlines, traced


def run() -> Iterator[Figure]:
    clip = TrackedClip("runner")
    outlines = runner_outlines(clip, 0, clip.frames - 1)
    until = range(OCCLUSION)
    yield Figure("J, runner, one outline, until the post", mean_overlap(outlines, clip, until), "", 0.90, True)
    contour = float(np.mean([clip.contour(outlines, frame) for frame in until]))
    yield Figure("F, runner, one outline, until the post", contour, "")
    for frame in (36, 100):
        outlines = mended(clip, outlines, frame)
    everything = [*outlines, post(clip)]
    whole = range(clip.frames)
    yield Figure(
        "J, runner, two mended keys, the post taken away", mean_overlap(everything, clip, whole), "", 0.93, True
    )
    yield from confidence()
    for motion in Motion:
        goal = 25.0
        yield Figure(f"following by {motion.value}, 960x540, CPU a frame", cpu_a_frame(clip, motion), "ms", goal)


def confidence() -> Iterator[Figure]:
    """How well frames that went astray are known."""
    wrong, doubted = [], []
    for scene in ("runner", "window", "harbour", "glass"):
        clip = TrackedClip(scene)
        for motion in (Motion.SIMILARITY, Motion.FREE):
            outline = drawn_outline("line1", 0, traced(clip.truth(0))[0], motion=motion)
            [outline] = follow_range([outline], clip.footage, 0, clip.frames - 1, clip.width)
            trusts = outline_trust(outline, 0, clip.frames - 1)
            wrong += [clip.overlap([outline], t) < 0.85 for t in range(1, clip.frames)]
            doubted += [trusts[t].confidence < NEEDS_A_LOOK for t in range(1, clip.frames)]
    both = sum(a and b for a, b in zip(wrong, doubted, strict=True))
    yield Figure("frames with J under 0.85 that are found (recall)", both / max(sum(wrong), 1), "", 0.8, True)
    yield Figure("found frames that have J under 0.85 (precision)", both / max(sum(doubted), 1), "", 0.6, True)


def cpu_a_frame(clip: TrackedClip, motion: Motion) -> float:
    """Least CPU of three runs over the first second, pictures decoded before."""
    frames = range(25)

    class Decoded:
        facts: Any = clip.footage.facts
        pictures = {frame: clip.footage.picture(frame) for frame in frames}

        def picture(self, frame: int) -> Any:
            return HeldPicture(self.facts, self.pictures[frame]).picture(frame)

        def close(self) -> None:
            pass

    outline = changed(drawn_outline("line1", 0, traced(clip.truth(0))[0]), motion=motion)
    taken = []
    for _ in range(3):
        start = time.process_time()
        for _ in follow(outline, Decoded(), frames, clip.width):
            pass
        taken.append((time.process_time() - start) / (len(frames) - 1) * 1000)
    return min(taken)
