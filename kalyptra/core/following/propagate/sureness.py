"""How far a matte that is followed can be trusted, along its way from a key."""

from __future__ import annotations

import math
from copy import copy
from typing import NamedTuple

import cv2
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
    """What confidence is multiplied with where the subject can hardly be seen."""
    doubt: float = -1.151
    doubt_own: float = -0.823
    doubt_soft: float = 22.05
    doubt_edge: float = 2.775
    """Doubt that a matte is right, in units that divide its odds by e: of any matte, and by how far it has the key's
    colours beside the key itself, how much is undecided for each px of its edge, and how much edge it has (the
    logarithm): of somebody thin more is undecided with nothing wrong. Fitted by `training/confidence.py`, for J under
    0.85."""
    doubt_thin: float = -7.74
    doubt_uncertain: float = 39.12
    """The same of a subject that is thin all over, most of whose px lie at an edge: by how much the network expects to
    miss. Fitted on 24 made-up carts, so that seven eighths of the frames under 0.85 are flagged."""


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
        own: how far it has its own colours there, -1 to 1.
        thin: whether it is thin all over, and known as well as that needs: of what was drawn around it it is not.
    """

    def __init__(self, matte: NDArray[np.float32], own: float, thin: bool = False) -> None:
        self._thin = thin
        self._whole, self._own = max(float(matte.sum()), 1.0), max(own, 0.05)

    def of_size(self, size: float) -> Sureness:
        """The same for a subject of so many px at its key."""
        other = copy(self)
        other._whole = max(size, 1.0)
        return other

    def after(self, signs: Signs, matte: NDArray[np.float32]) -> Sure:
        """How far the matte of the next step can be trusted."""
        hidden = float(matte.sum()) < TUNING.shrunk * self._whole or signs.error > TUNING.foreign
        if signs is LOST:
            return Sure(0.0, hidden, None)
        edge = edge_share(matte)
        own = min(max(signs.own / self._own, 0.0), 1.5)
        known = (1.0, own, (1 - signs.certain) / edge, math.log(edge))
        weights = TUNING.doubt, TUNING.doubt_own, TUNING.doubt_soft, TUNING.doubt_edge
        doubt = float(np.dot(weights, known))
        if self._thin:
            doubt = TUNING.doubt_thin + TUNING.doubt_uncertain * (1 - signs.certain)
        share = 1 / (1 + math.exp(min(doubt, 50.0)))
        return Sure(share * (TUNING.unseen if hidden else 1), hidden, known)


def edge_share(matte: NDArray[np.float32]) -> float:
    """Px along the edge of a matte for each px inside of it: more for what is thin, or small."""
    inside, three = (matte > 0.5).astype(np.uint8), np.ones((3, 3), np.uint8)
    edge = cv2.countNonZero(cv2.dilate(inside, three)) - cv2.countNonZero(cv2.erode(inside, three))
    return max(edge / max(cv2.countNonZero(inside), 1), 0.02)
