"""Make samples of edges: python -m training.edge_samples FOLDER MINUTES FIRST.

The clips of `samples.py`, followed as in use; of some of their frames the larger picture, the matte as it was followed,
and the true one, around the subject.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Iterator
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core import one_thread_a_frame
from kalyptra.core.following.propagate.background import Surroundings
from kalyptra.core.following.propagate.look import WORKING_WIDTH, looked_at, shrunk_to, smaller
from kalyptra.core.following.propagate.subject import FollowedSubject
from kalyptra.core.matte.overlap import overlap
from kalyptra.core.matte.stored import laid_over
from kalyptra.core.window import window_of
from kalyptra.truth.motion.clip import MotionClip, Trouble
from training.kinds import made_up
from training.samples import DRAWN, loose, scenario_of

MOST, KEPT = 26, 0.45
"""Frames of a clip, and the share of them that become samples: many clips tell more than long ones."""
HOPELESS = 0.5
"""Overlap with the truth below which there is no edge to be drawn."""
ROOM = 14
"""Px around the subject, at the working size."""
BLURRED = 0.3
"""The share of clips with motion blur: it is what makes edges wide."""


class EdgeSample(NamedTuple):
    """Of one frame, in a window.

    Attributes:
        codes: (2 height, 2 width, 3) the picture, 8 bits.
        matte: (height, width) as it was followed, 8-bit codes.
        truth: (2 height, 2 width) likewise.
    """

    codes: NDArray[np.uint8]
    matte: NDArray[np.uint8]
    truth: NDArray[np.uint8]


def samples_of(number: int) -> Iterator[EdgeSample]:
    """Samples of a clip, none where its subject is thin all over or has wheels: those are left as they are."""
    scenario, unlike = scenario_of(number)
    rng = np.random.default_rng([number, 23])
    if rng.random() < BLURRED:
        scenario = replace(scenario, troubles=scenario.troubles | {Trouble.BLUR})
    clip = MotionClip(scenario, made_up(number) if unlike else None)
    whole = [frame for frame in range(clip.frames) if clip.seen(frame) > 0.8]
    if not whole:
        return
    order = list(range(whole[-1], -1, -1)) if rng.random() < 0.3 else list(range(whole[0], clip.frames))
    order = order[:MOST]
    codes = looked_at(clip, order[0])
    key, drawn = shrunk_to(clip.truth(order[0]), codes), bool(rng.random() < DRAWN)
    around = Surroundings(partial(looked_at, clip), order)
    subject = FollowedSubject(around, codes, loose(rng, key) if drawn else key, drawn=drawn)
    if subject.mixed is not None:
        return
    for frame in order[1:]:
        picture, truth = looked_at(clip, frame, 2 * WORKING_WIDTH), clip.truth(frame)
        subject.step(smaller(picture))
        window = window_of((subject.matte > 0.02).astype(np.uint8), ROOM)
        if window is None or rng.random() > KEPT:
            continue
        if overlap(laid_over(subject.matte, (truth.shape[0], truth.shape[1])), truth) < HOPELESS:
            continue
        large = (slice(2 * window[0].start, 2 * window[0].stop), slice(2 * window[1].start, 2 * window[1].stop))
        yield EdgeSample(picture[large], _codes(subject.matte[window]), _codes(truth[large]))


def _codes(matte: NDArray[np.float32]) -> NDArray[np.uint8]:
    return np.round(matte * 255).astype(np.uint8)


def main() -> None:
    folder, minutes, number = Path(sys.argv[1]), float(sys.argv[2]), int(sys.argv[3])
    folder.mkdir(parents=True, exist_ok=True)
    one_thread_a_frame()
    until = time.monotonic() + 60 * minutes
    while time.monotonic() < until:
        try:
            samples = list(samples_of(number))
        except (cv2.error, ValueError) as problem:  # a made-up subject may be nothing at all
            print(number, problem, flush=True)
            samples = []
        if samples:
            arrays = {f"{name}{i}": value for i, each in enumerate(samples) for name, value in each._asdict().items()}
            part = folder / f"{number:06d}.part.npz"
            np.savez_compressed(part, allow_pickle=False, **arrays)
            part.rename(folder / f"{number:06d}.npz")
        number += 1


if __name__ == "__main__":
    main()
