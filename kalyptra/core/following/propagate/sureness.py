"""How far a matte that is followed can be trusted, along its way from a key."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.step import LOST, Signs


class Tuning(NamedTuple):
    """What can be tuned. The first three chosen on the demo's clips."""

    shrunk: float = 0.25
    """The share of its size since the key below which a subject counts as hidden."""
    foreign: float = 24.0
    """Codes by which what is inside a matte differs from the subject, from where on it is something else."""
    unseen: float = 0.7
    after_loss: float = 0.02
    """What confidence is multiplied with where the subject can hardly be seen; what is left of the trust after that."""
    doubt: float = 37.70
    doubt_clear: float = -4.641
    doubt_running: float = -0.202
    doubt_own: float = -4.500
    doubt_certain: float = -35.03
    """Doubt that a matte is right, in units that divide its odds by e: of any matte, and by how clear its edge is, how
    all steps since the key went, how far it has the key's colours, and the overlap that the network expects. Fitted on
    the tune half of the test bed, seeds 0 to 3, by `training/confidence.py`, for J under 0.85."""


TUNING = Tuning()


class Sure(NamedTuple):
    """How sure a matte is, 0 to 1, and whether the subject can hardly be seen; and what that was told by."""

    share: float
    hidden: bool
    known: tuple[float, ...] | None


class Sureness:
    """Goes along with following.

    Args:
        matte: (height, width) of the key, 0 to 1.
    """

    def __init__(self, matte: NDArray[np.float32]) -> None:
        self._whole, self._running = max(float(matte.sum()), 1.0), 1.0

    def after(self, signs: Signs, matte: NDArray[np.float32]) -> Sure:
        """How far the matte of the next step can be trusted: by its own step, and by all steps since the key."""
        hidden = float(matte.sum()) < TUNING.shrunk * self._whole or signs.error > TUNING.foreign
        self._running *= max(signs.sure, 1e-3) ** (1 / 8)
        if hidden:
            self._running = min(self._running, TUNING.after_loss)  # what comes from here on may be something else
        if signs is LOST:
            return Sure(0.0, hidden, None)
        known = (1.0, signs.clear, math.log(max(self._running, 1e-4)), signs.own, signs.certain)
        weights = TUNING.doubt, TUNING.doubt_clear, TUNING.doubt_running, TUNING.doubt_own, TUNING.doubt_certain
        share = 1 / (1 + math.exp(min(float(np.dot(weights, known)), 50.0)))
        return Sure(share * (TUNING.unseen if hidden else 1), hidden, known)
