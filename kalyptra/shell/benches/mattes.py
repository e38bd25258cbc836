"""Found mattes beside their truth: following, people, confidence, and what they cost.

J is region similarity as in Perazzi et al., A benchmark dataset and evaluation methodology for video object
segmentation, CVPR 2016.
"""

from __future__ import annotations

import time
from collections.abc import Iterable, Iterator, Sequence
from typing import Any

import numpy as np

from kalyptra.core import How, PropagatedMatte, Stroke, follow_mattes, follow_people, marked_matte
from kalyptra.shell.benches.figure import Figure, cpu_ms
from kalyptra.truth.figure import FigureClip, MovingFigure
from kalyptra.truth.measures import overlap
from kalyptra.truth.tracked import TrackedClip

SECOND = 61
"""Frames that are followed on demo clips."""


def overlaps(matted: Iterable[PropagatedMatte], clip: MovingFigure | TrackedClip) -> list[float]:
    return [overlap(step.matte, clip.truth(step.frame)) for step in matted]


def under_the_curve(sure: Sequence[float], wrong: Sequence[bool]) -> float:
    """The chance that a wrong frame is trusted less than a right one (area under the ROC curve)."""
    bad = np.array([s for s, w in zip(sure, wrong, strict=True) if w])
    good = np.array([s for s, w in zip(sure, wrong, strict=True) if not w])
    return float(np.mean([(b < good).mean() + 0.5 * (b == good).mean() for b in bad]))


def run() -> Iterator[Figure]:
    goals = {"rigid": (0.93, 0.85), "bending": (0.93, 0.85), "camouflage": (0.90, 0.80)}
    for kind in FigureClip:
        clip = MovingFigure(kind)
        last = clip.frames - 1
        if kind.value in goals:
            overlaps_of_clip = overlaps(follow_mattes({0: clip.truth(0)}, clip, range(clip.frames)), clip)
            mean, least = goals[kind.value]
            yield Figure(
                f"J, {kind.value}, one key, mean of 59 frames", float(np.mean(overlaps_of_clip)), "", mean, True
            )
            yield Figure(f"J, {kind.value}, one key, least", min(overlaps_of_clip), "", least, True)
        keys = {0: clip.truth(0), last: clip.truth(last)}
        matted = list(follow_mattes(keys, clip, range(clip.frames)))
        both = overlaps(matted, clip)
        hidden = kind is FigureClip.OCCLUSION
        yield Figure(f"J, {kind.value}, two keys, mean", float(np.mean(both)), "", 0.90 if hidden else 0.95, True)
        yield Figure(f"J, {kind.value}, two keys, least", min(both), "", None if hidden else 0.90, True)
        if hidden:
            wrong = [j < 0.85 for j in both]
            told = sum(
                step.sure < 0.5 or step.how is How.PREDICTED for step, bad in zip(matted, wrong, strict=True) if bad
            )
            yield Figure("occlusion, frames under 0.85 that are flagged", told / max(sum(wrong), 1), "", 0.8, True)
    yield from _on_the_demo()
    yield from _people()
    yield from _cost()


def _on_the_demo() -> Iterator[Figure]:
    sure: list[float] = []
    wrong: list[bool] = []
    for scene in ("runner", "window", "glass", "harbour"):
        clip = TrackedClip(scene)
        matted = list(follow_mattes({0: clip.truth(0)}, clip.footage, range(clip.frames)))
        j = overlaps(matted, clip)
        frames = 52 if scene == "runner" else SECOND - 1
        until = " until the post" if scene == "runner" else ""
        yield Figure(f"J, {scene}, one key, {frames} frames{until}", float(np.mean(j[:frames])), "")
        sure += [step.sure for step in matted]
        wrong += [reached < 0.85 for reached in j]
    yield Figure("confidence, area under the curve, four demo clips", under_the_curve(sure, wrong), "", 0.85, True)


def _people() -> Iterator[Figure]:
    clip = TrackedClip("window")
    matted = list(follow_people(clip.footage, range(clip.frames), None, clip.width))
    yield Figure("J, people on the ticket window, mean", float(np.mean(overlaps(matted, clip))), "", 0.92, True)


def _cost() -> Iterator[Figure]:
    clip = MovingFigure(FigureClip.BENDING)
    frames = range(25)
    for frame in frames:
        clip.made(frame)
    yield Figure(
        "following a matte, 960x540, CPU a frame", _cpu(follow_mattes({0: clip.truth(0)}, clip, frames)), "ms", 110.0
    )
    window = TrackedClip("window")
    pictures = {frame: window.footage.picture(frame) for frame in frames}

    class Held:
        facts: Any = None

        def picture(self, frame: int) -> Any:
            return pictures[frame]

        def close(self) -> None:
            pass

    yield Figure(
        "finding people, 960x540, CPU a frame", _cpu(follow_people(Held(), frames, None, window.width)), "ms", 30.0
    )
    codes = np.asarray(TrackedClip("runner").footage.picture(0).codes, np.uint8)
    marks = [Stroke(keep=True, width=23, points=((465, 300), (478, 340), (470, 400), (500, 420))),
             Stroke(keep=True, width=23, points=((455, 440), (462, 490))),
             Stroke(keep=False, width=23, points=((545, 350), (560, 470)))]  # fmt: skip
    taken = cpu_ms(lambda: marked_matte(codes, marks, 0.75), 3)
    yield Figure("a matte from three marks, 960x540", taken, "ms", 800.0)


def _cpu(matted: Iterator[PropagatedMatte]) -> float:
    """Median CPU milliseconds of a frame, after the first ones."""
    taken = []
    while True:
        start = time.process_time()
        if next(matted, None) is None:
            break
        taken.append((time.process_time() - start) * 1000)
    return float(np.median(taken[2:]))
