"""One matte of two: what was followed to a frame ahead from the key before it, and back from the key after it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.matte.overlap import overlap

Matte = NDArray[np.float32]


class Tuning(NamedTuple):
    """What can be tuned. The last three chosen on the demo's clips."""

    missed: float = 0.02
    doubt: float = 0.05
    """What a way is expected to miss at a frame, whatever it misses of the key at its other end; and the doubt of a
    frame that is wholly sure. Chosen on twenty clips of the tune half's kinds and surfaces, with seeds of their own."""
    smaller: float = 0.9
    unsure: float = 0.8
    counts: float = 0.2
    """The share of a subject's size below which it is partly hidden; how sure either way is at most where none knows
    all that is seen; and what a way must count for to know a part. Chosen on clips such as the network is trained on,
    and one of the tune half."""
    agree: float = 0.9
    agree_least: float = 0.2
    doubted: float = 0.7
    """Overlap of the two ways below which they differ, by how much it is less when they differ wholly, and what that
    takes from confidence where both count alike."""


TUNING = Tuning()


def expected_misses(sure: Sequence[float], reached: float) -> NDArray[np.float64]:
    """(n,) the overlap that a way is expected to miss at each of its frames, by what it came to at its end.

    It grows as the root of the doubt on the way: most of what goes wrong goes wrong early, and where that is said.

    Args:
        sure: of each frame, 0 to 1.
        reached: its overlap with the key at its end.
    """
    doubts = np.cumsum(1 - np.asarray(sure) + TUNING.doubt)
    return np.asarray(TUNING.missed + (1 - reached) * np.sqrt(doubts / doubts[-1]))


def expected_sizes(first: float, last: float, frames: int) -> NDArray[np.float64]:
    """(frames,) px of all of a subject in frames from one key to another, by its sizes there: it grows evenly."""
    return np.geomspace(max(first, 1.0), max(last, 1.0), frames)


def blended(
    mattes: tuple[Matte, Matte], sure: tuple[float, float], missed: tuple[float, float], whole: float
) -> tuple[Matte, float]:
    """One matte of two ways to a frame, and how sure it is.

    Each counts by the inverse of what it is expected to miss there. Where something hides a part of the subject, either
    way knows what is on its own side of that: where they differ and neither is sure they are put together, if none
    counts for little.

    Args:
        mattes: (height, width) each, 0 to 1.
        sure, missed: of either.
        whole: px of all of the subject in that frame.
    """
    ahead, back = mattes
    part = missed[0] / sum(missed)
    apart = float(np.clip((TUNING.agree - overlap(ahead, back)) / TUNING.agree_least, 0, 1))
    differ = 2 * min(part, 1 - part) * apart
    together = np.maximum(ahead, back)
    hidden = apart > 0 and float(together.sum()) < TUNING.smaller * whole
    parts = hidden and max(sure) < TUNING.unsure and min(part, 1 - part) >= TUNING.counts
    matte = together if parts else ahead * (1 - part) + back * part
    both = (sure[0] * (1 - part) + sure[1] * part) * (1 - TUNING.doubted * differ)
    return np.asarray(matte, np.float32), both
