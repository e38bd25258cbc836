"""Fit how sure following is: python -m training.confidence [SEEDS [SAMPLES]], for J under 0.85.

On the tune half, SEEDS of it, and on SAMPLES clips such as the network is trained on, whose subjects never were, so
that it holds for more than a few kinds. Prints the weights that `core/following/propagate/sureness.py` wants, and what
they flag: of the clips that they were fitted on, and of each clip by weights that were fitted on all others.
"""

from __future__ import annotations

import sys
from collections.abc import Iterator
from unittest import mock

import numpy as np
from numpy.typing import NDArray

from kalyptra.core import one_thread_a_frame
from kalyptra.core.following import mattes
from kalyptra.core.following.propagate import subject
from kalyptra.core.following.propagate.step import Signs
from kalyptra.core.following.propagate.sureness import Sure, Sureness
from kalyptra.truth.measures import overlap
from kalyptra.truth.motion import Half, MotionClip, clips
from training.kinds import made_up
from training.samples import scenario_of

BAD, SEEN, STEPS, RATE = 0.85, 0.25, 2000, 0.5
FLAGGED = 0.12
"""The share of good frames that may be flagged."""
FIRST_SAMPLE, LEAST_FRAMES = 900, 36
Rows = tuple[NDArray[np.float64], NDArray[np.float64]]
"""What was known of each frame's step, and J."""


def told_and_j(clip: MotionClip) -> Iterator[tuple[tuple[float, ...], float]]:
    """What was known of each frame's step, and the matte's overlap with the truth."""
    said: list[Sure] = []

    class Noting(Sureness):
        def after(self, signs: Signs, matte: NDArray[np.float32]) -> Sure:
            said.append(super().after(signs, matte))
            return said[-1]

    first = next(frame for frame in range(clip.frames) if clip.seen(frame) > 0.9)
    with mock.patch.object(subject, "Sureness", Noting):
        for step in mattes.follow_mattes({first: clip.truth(first)}, clip, range(first, clip.frames)):
            if said[-1].known and clip.seen(step.frame) >= SEEN:
                yield said[-1].known, overlap(step.matte, clip.truth(step.frame))


def fitted(known: NDArray[np.float64], bad: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Weights of the doubt: logistic regression, bad and good frames counting as much together."""
    middle, spread = known.mean(axis=0), known.std(axis=0)
    middle[0], spread[0] = 0, 1
    plain = (known - middle) / spread
    share = np.where(bad, 0.5 / max(bad.sum(), 1), 0.5 / max((~bad).sum(), 1))
    weights = np.zeros(known.shape[1])
    for _ in range(STEPS):
        doubt = 1 / (1 + np.exp(-plain @ weights))
        weights -= RATE * (plain.T @ (share * (doubt - bad)) + 1e-3 * np.r_[0, weights[1:]])
    weights /= spread
    weights[0] -= (weights * middle)[1:].sum()
    weights[0] -= np.quantile((known @ weights)[~bad], 1 - FLAGGED)
    return np.asarray(weights)


def clips_of(seeds: int, samples: int) -> Iterator[MotionClip]:
    for seed in range(seeds):
        yield from clips(Half.TUNE, seed=seed)
    for number in range(FIRST_SAMPLE, FIRST_SAMPLE + samples):
        scenario, unlike = scenario_of(number)
        if scenario.frames >= LEAST_FRAMES:
            yield MotionClip(scenario, made_up(number) if unlike else None)


def rows_of(clip: MotionClip) -> Rows | None:
    """None for a clip in which nothing can be followed."""
    if not any(clip.seen(frame) > 0.9 for frame in range(clip.frames)):
        return None
    rows = list(told_and_j(clip))
    return (np.array([known for known, _ in rows]), np.array([j for _, j in rows])) if rows else None


def main() -> None:
    one_thread_a_frame()
    seeds, samples = (int(word) for word in [*sys.argv[1:], "3", "30"][:2])
    parts = [rows for clip in clips_of(seeds, samples) if (rows := rows_of(clip))]
    known, j = (np.concatenate(both) for both in zip(*parts, strict=True))
    weights = fitted(known, j < BAD)
    print("doubt, of own, of soft, of edge:", *np.round(weights, 3))
    said = known @ weights
    _tell("fitted on", said, j)
    apart = []
    for i, (here, _) in enumerate(parts):
        rest = [part for k, part in enumerate(parts) if k != i]
        others, of_others = (np.concatenate(both) for both in zip(*rest, strict=True))
        apart.append(here @ fitted(others, of_others < BAD))
    _tell("left out of the fit", np.concatenate(apart), j)


def _tell(name: str, said: NDArray[np.float64], j: NDArray[np.float64]) -> None:
    bad = j < BAD
    print(f"{name}: {(said[bad] > 0).mean():.2f} of {bad.sum()} bad frames flagged, "
          f"{(said[~bad] > 0).mean():.2f} of {(~bad).sum()} good ones")  # fmt: skip


if __name__ == "__main__":
    main()
