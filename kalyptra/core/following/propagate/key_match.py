"""Find where in the key's picture that comes from which is seen of a subject again.

Once something has hidden a subject, nothing tells any more which part of it is which. What is seen of it is looked for
in the key's picture, at several sizes: so the rest of it is expected where that has to be.

Source: template matching by squared differences under a mask, as in Brunelli, Template matching techniques in computer
vision, Wiley 2009, chapter 3.
"""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.trail import KeyTrail
from kalyptra.core.window import window_of

Codes = NDArray[np.uint8]
Matte = NDArray[np.float32]


class Tuning(NamedTuple):
    """What can be tuned. Chosen on clips such as the network is trained on."""

    sizes: tuple[float, ...] = (0.8, 0.9, 1.0, 1.11, 1.25)
    """Px of the key for one px now."""
    outside: float = 40.0
    """Codes that a pixel differs from the key by which comes from outside of its matte."""
    most: float = 25.0
    """Codes that all of it may differ by: the root of the mean square."""
    least: int = 150
    """Px of it that must be seen."""


TUNING = Tuning()


class _Match(NamedTuple):
    """Where the first pixel that is seen comes from in the key, px; px of the key for one now; and squared codes."""

    left: float
    top: float
    size: float
    apart: float


def matched_to_key(trail: KeyTrail, codes: Codes, matte: Matte) -> KeyTrail | None:
    """The trail by which what is seen comes from where the key looks like it; None where the key nowhere does.

    Args:
        codes: (height, width, 3) the frame, exposed as the key was.
        matte: (height, width) what is seen of the subject in it, 0 to 1.
    """
    seen = (matte > 0.5).astype(np.uint8)
    window, there = window_of(seen, 0), window_of((trail.matte > 0.3).astype(np.uint8), 2)
    if window is None or there is None or cv2.countNonZero(seen) < TUNING.least:
        return None
    key = np.ascontiguousarray(trail.codes[there]), np.ascontiguousarray(trail.matte[there])
    matches = [_match(key, codes[window], seen[window], size) for size in TUNING.sizes]
    best = min(matches, key=lambda match: match.apart)
    if best.apart > TUNING.most**2:
        return None
    left, top = there[1].start + best.left, there[0].start + best.top
    x = left + best.size * (np.arange(matte.shape[1]) - window[1].start)
    y = top + best.size * (np.arange(matte.shape[0]) - window[0].start)
    return KeyTrail(trail.codes, trail.matte, np.dstack(np.meshgrid(x, y)).astype(np.float32))


def _match(key: tuple[Codes, Matte], codes: Codes, seen: Codes, size: float) -> _Match:
    """The best match of what is seen, (height, width) 0 or 1, at a size; at most half of it lies beside the key."""
    width, height = (max(2, round(side * size)) for side in reversed(seen.shape))
    part = cv2.resize(codes, (width, height), interpolation=cv2.INTER_AREA)
    mask = cv2.resize(seen, (width, height), interpolation=cv2.INTER_NEAREST).astype(np.float32)
    margins = height // 2, height - height // 2, width // 2, width - width // 2
    picture = cv2.copyMakeBorder(key[0], *margins, cv2.BORDER_REPLICATE)
    beside = 1 - cv2.copyMakeBorder(key[1], *margins, cv2.BORDER_CONSTANT, value=0)
    count = max(float(mask.sum()), 1.0)
    differs = cv2.matchTemplate(picture, part, cv2.TM_SQDIFF, mask=np.dstack([mask] * 3)) / (3 * count)
    apart = differs + TUNING.outside**2 * cv2.matchTemplate(beside, mask, cv2.TM_CCORR) / count
    row, column = np.unravel_index(int(apart.argmin()), apart.shape)
    return _Match(float(column) - margins[2], float(row) - margins[0], size, float(apart[row, column]))
