"""Following on the test bed: both halves, by one key, keys at both ends, one free outline and three outlines.

J is region similarity as in Perazzi et al., A benchmark dataset and evaluation methodology for video object
segmentation, CVPR 2016; frames in which less than a quarter of the subject is seen are left out.
`KALYPTRA_MOTION_CLIPS` takes so many clips of each half, `KALYPTRA_MOTION_SEED` others of the same kinds.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from itertools import pairwise

import numpy as np

from kalyptra.core import (
    Curve,
    How,
    Motion,
    Refine,
    drawn_matte,
    drawn_outline,
    follow_mattes,
    follow_range,
    outline_at,
    outline_trust,
)
from kalyptra.shell.benches.figure import Figure
from kalyptra.truth.measures import overlap
from kalyptra.truth.motion import Half, MotionClip, clips
from kalyptra.truth.tracked import traced

SEEN = 0.25
"""The share of a subject below which a frame is not judged."""
BAD, DOUBTED = 0.85, 0.5
"""J of a frame that has to be flagged, and the confidence below which one is."""
HOLDS, MOST_KEYS = 0.90, 8
"""J that every frame has to hold in the end, and the keys after which no more are counted."""
Followed = dict[int, tuple[float, float]]
"""By frame: J, and how sure following was."""
GOALS = {
    "one key": (0.93, 0.85),
    "keys at both ends": (0.95, 0.90),
    "one outline": (0.88, None),
    "three outlines": (0.92, None),
}


def one_key(clip: MotionClip) -> Followed:
    return _mattes(clip, (_first(clip),))


def both_ends(clip: MotionClip) -> Followed:
    return _mattes(clip, (_first(clip), _last(clip)), _last(clip))


def one_outline(clip: MotionClip) -> Followed:
    return _outlines(clip, traced(clip.truth(_first(clip)))[:1])


def three_outlines(clip: MotionClip) -> Followed:
    """The largest line cut in three, from top to foot, as people draw head, trunk and legs apart."""
    truth = clip.truth(_first(clip))
    rows = np.flatnonzero((truth > 0.5).any(axis=1))
    cuts = np.linspace(rows[0], rows[-1] + 1, 4).astype(int)
    curves = []
    for top, foot in pairwise(cuts):
        part = np.zeros_like(truth)
        part[max(0, top - 4) : foot + 4] = truth[max(0, top - 4) : foot + 4]
        curves += traced(part)[:1]
    return _outlines(clip, curves)


WAYS: dict[str, Callable[[MotionClip], Followed]] = {
    "one key": one_key,
    "keys at both ends": both_ends,
    "one outline": one_outline,
    "three outlines": three_outlines,
}


def corrections(clip: MotionClip, done: Followed) -> int:
    """Mattes that a user makes by hand until every frame holds.

    Where following says that it went worst, the true one is put, and it is followed again; where it says nothing more
    though frames are still short, the worst is seen by eye.

    Args:
        done: what came of the first key alone.
    """
    keys = [_first(clip)]
    while len(keys) < MOST_KEYS and any(j < HOLDS for j, _ in done.values()):
        doubted = {frame: sure for frame, (_, sure) in done.items() if sure < DOUBTED}
        by_eye = {frame: j for frame, (j, _) in done.items()}
        keys.append(min(doubted or by_eye, key=(doubted or by_eye).__getitem__))
        done = _mattes(clip, tuple(sorted(keys)))
    return len(keys)


def run() -> Iterator[Figure]:
    most = int(os.environ.get("KALYPTRA_MOTION_CLIPS", "99"))
    seed = int(os.environ.get("KALYPTRA_MOTION_SEED", "0"))
    means: dict[tuple[Half, str], float] = {}
    for half in Half:
        judged = half is Half.TEST
        reached: dict[str, list[Followed]] = {name: [] for name in WAYS}
        needed: list[int] = []
        for clip in clips(half, seed=seed)[:most]:
            for name, way in WAYS.items():
                done = way(clip)
                reached[name].append(done)
                yield Figure(f"{half}, {clip.scenario.name}, {name}, mean J", _mean(done), "")
            needed.append(corrections(clip, reached["one key"][-1]))
        yield Figure(f"{half}, keys by hand until all frames hold", float(np.mean(needed)), "", 2.0 if judged else None)
        for name, of_clips in reached.items():
            mean, least = GOALS[name]
            means[half, name] = float(np.mean([_mean(done) for done in of_clips]))
            yield Figure(f"{half}, {name}, mean J", means[half, name], "", mean if judged else None, True)
            worst = min(_mean(done) for done in of_clips)
            yield Figure(f"{half}, {name}, mean J of the worst clip", worst, "", least if judged else None, True)
            if name != "keys at both ends":
                yield from _told(f"{half}, {name}", of_clips, judged)
    for name in WAYS:
        apart = means[Half.TUNE, name] - means[Half.TEST, name]
        yield Figure(f"{name}, better on the half that was tuned on by", apart, "", 0.04)


def _told(name: str, of_clips: list[Followed], judged: bool) -> Iterator[Figure]:
    """Whether confidence is true: bad frames that are flagged, and good ones that are."""
    frames = [frame for done in of_clips for frame in done.values()]
    bad = [sure < DOUBTED for j, sure in frames if j < BAD]
    good = [sure < DOUBTED for j, sure in frames if j >= BAD]
    if bad:
        yield Figure(f"{name}, bad frames that are flagged", float(np.mean(bad)), "", 0.85 if judged else None, True)
    if good:
        yield Figure(f"{name}, good frames that are flagged", float(np.mean(good)), "", 0.15 if judged else None)


def _first(clip: MotionClip) -> int:
    return next(frame for frame in range(clip.frames) if clip.seen(frame) > 0.9)


def _last(clip: MotionClip) -> int:
    return next(frame for frame in reversed(range(clip.frames)) if clip.seen(frame) > 0.6)


def _judged(clip: MotionClip, after: int) -> list[int]:
    return [frame for frame in range(after + 1, clip.frames) if clip.seen(frame) >= SEEN]


def _mean(done: Followed) -> float:
    return float(np.mean([j for j, _ in done.values()]))


def _mattes(clip: MotionClip, keys: tuple[int, ...], last: int | None = None) -> Followed:
    known = {frame: clip.truth(frame) for frame in keys}
    wanted = set(_judged(clip, keys[0])) - set(keys)
    return {
        step.frame: (overlap(step.matte, clip.truth(step.frame)), 0.0 if step.how is How.PREDICTED else step.sure)
        for step in follow_mattes(known, clip, range(keys[0], (clip.frames - 1 if last is None else last) + 1))
        if step.frame in wanted
    }


def _outlines(clip: MotionClip, curves: list[Curve]) -> Followed:
    first, last = _first(clip), clip.frames - 1
    drawn = [drawn_outline(f"line{i}", first, curve, motion=Motion.FREE) for i, curve in enumerate(curves)]
    outlines = follow_range(drawn, clip, first, last, clip.width)
    trusts = [outline_trust(outline, first, last) for outline in outlines]
    out: Followed = {}
    for frame in _judged(clip, first):
        size = clip.truth(frame).shape
        matte = drawn_matte([outline_at(outline, frame) for outline in outlines], Refine(), (size[0], size[1]), 1.0)
        sure = min(of_line[frame - first].confidence for of_line in trusts)
        out[frame] = (overlap(np.round(matte * 255).astype(np.uint8), clip.truth(frame)), sure)
    return out
