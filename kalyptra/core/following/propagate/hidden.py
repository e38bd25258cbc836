"""What of a subject is hidden behind something: its key's matte has come to there, and it is not seen.

Beside it the subject ends where that thing ends, and this edge does not move with the subject. Corners and flow there
would squeeze the subject, and all that is carried along with it, into what is still seen.
"""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the demo's runner, who passes behind a post, and on clips of the tune half's kinds
    with seeds of their own."""

    missing: float = 0.05
    """The share of its area from which on something is hidden: a limb that swings leaves its old place, but is seen."""
    part: int = 5
    """Px of width from which on a part counts."""
    beside: int = 7
    """Px around it in which the subject's edge may be another thing's."""
    least: float = 0.3
    """The share of what tells a motion that has to be left; else all of it tells."""


TUNING = Tuning()


def beside_hidden(key: NDArray[np.float32], matte: NDArray[np.float32]) -> NDArray[np.uint8] | None:
    """(height, width) 1 around what is hidden of a subject, 0 elsewhere; None while all of it is seen.

    Args:
        key: (height, width) its key's matte as it has come to lie in a frame, 0 to 1.
        matte: (height, width) what is seen of it there, 0 to 1.
    """
    whole = key > 0.5
    if (matte > 0.5).sum() > (1 - TUNING.missing) * whole.sum():
        return None
    unseen = (whole & (matte < 0.3)).astype(np.uint8)
    unseen = cv2.morphologyEx(unseen, cv2.MORPH_OPEN, np.ones((TUNING.part, TUNING.part), np.uint8))
    return np.asarray(cv2.dilate(unseen, np.ones((2 * TUNING.beside + 1,) * 2, np.uint8)))


def clear_of(beside: NDArray[np.uint8], mask: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A mask (height, width) of 0 and 1 without what lies beside; as it is where hardly anything would be left."""
    rest = mask & (1 - beside)
    return np.asarray(rest if rest.sum() > TUNING.least * mask.sum() else mask, np.uint8)
