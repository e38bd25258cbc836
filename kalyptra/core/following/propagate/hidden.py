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
    """What can be tuned. Chosen on the demo's runner, who passes behind a post, and tried on the tune half's kinds."""

    part: int = 5
    """Px of width from which on a part counts as hidden: limbs that swing leave their old place, too."""
    beside: int = 7
    """Px around it in which the subject's edge may be another thing's."""
    least: float = 0.3
    """The share of what tells a motion that has to be left; else all of it tells."""


TUNING = Tuning()


class Hidden(NamedTuple):
    """Attributes:
    share: of the subject, 0 to 1.
    beside: (height, width) 1 around what is hidden.
    """

    share: float
    beside: NDArray[np.uint8]

    def without(self, mask: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """A mask (height, width) of 0 and 1 without what lies beside; as it is where hardly anything would be left."""
        rest = mask & (1 - self.beside)
        return np.asarray(rest if rest.sum() > TUNING.least * mask.sum() else mask, np.uint8)


def hidden_of(key: NDArray[np.float32], matte: NDArray[np.float32]) -> Hidden:
    """What of a subject is hidden in a frame.

    Args:
        key: (height, width) its key's matte as it has come to lie there, 0 to 1.
        matte: (height, width) what is seen of it, 0 to 1.
    """
    whole = key > 0.5
    unseen = (whole & (matte < 0.3)).astype(np.uint8)
    unseen = cv2.morphologyEx(unseen, cv2.MORPH_OPEN, np.ones((TUNING.part, TUNING.part), np.uint8))
    share = cv2.countNonZero(unseen) / max(int(whole.sum()), 1)
    return Hidden(share, np.asarray(cv2.dilate(unseen, np.ones((2 * TUNING.beside + 1,) * 2, np.uint8))))
