"""Make samples of edges: python -m training.edge_samples FOLDER MINUTES FIRST.

The clips of `samples.py`, followed as in use; of some of their frames the larger picture, the matte as it was followed,
and the true one, around the subject.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import partial
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.background import Surroundings
from kalyptra.core.following.propagate.look import WORKING_WIDTH, looked_at, shrunk_to, smaller
from kalyptra.core.following.propagate.subject import FollowedSubject
from kalyptra.core.matte.overlap import overlap
from kalyptra.core.matte.stored import codes_of, laid_over
from kalyptra.core.window import window_of
from kalyptra.truth.motion.clip import MotionClip, Trouble
from training.kinds import made_up
from training.samples import DRAWN, frames_of, loose, scenario_of, write_clips

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
    order = frames_of(clip, rng)[:MOST]
    if not order:
        return
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
        yield EdgeSample(picture[large], codes_of(subject.matte[window]), codes_of(truth[large]))


def arrays_of(number: int) -> dict[str, NDArray[np.uint8]]:
    """A clip's samples as they are kept."""
    samples = enumerate(samples_of(number))
    return {f"{name}{i}": value for i, sample in samples for name, value in sample._asdict().items()}


if __name__ == "__main__":
    write_clips(arrays_of)
