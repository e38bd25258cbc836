"""Fit how sure following is: python -m training.confidence [SEED ...]: on the tune half alone, for J under 0.85.

Prints the weights that `core/following/propagate/sureness.py` wants, and what they flag on the clips that they were
fitted on.
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

BAD, SEEN, STEPS, RATE = 0.85, 0.25, 6000, 0.3


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
    return np.asarray(weights)


def main() -> None:
    one_thread_a_frame()
    rows = [row for seed in map(int, sys.argv[1:] or ["0", "1", "2", "3"]) for clip in clips(Half.TUNE, seed=seed)
            for row in told_and_j(clip)]  # fmt: skip
    known, j = np.array([row[0] for row in rows]), np.array([row[1] for row in rows])
    weights = fitted(known, j < BAD)
    flagged = known @ weights > 0
    print("doubt, of clear, of running, of own, of certain:", *np.round(weights, 3))
    print(f"{flagged[j < BAD].mean():.2f} of {(j < BAD).sum()} bad frames flagged, "
          f"{flagged[j >= BAD].mean():.2f} of {(j >= BAD).sum()} good ones")  # fmt: skip


if __name__ == "__main__":
    main()
