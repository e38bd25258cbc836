"""L*a*b* codes in steps of 8, so that whatever is known of colours is one look into a table."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

STEPS = (np.arange(32) * 8 + 4).astype(np.float32)
EVERY = np.stack(np.meshgrid(STEPS, STEPS, STEPS, indexing="ij"), axis=-1).reshape(-1, 3)
"""(32768, 3) the colour in the middle of each bin."""


def bins_of(lab: NDArray[np.uint8]) -> NDArray[np.uint16]:
    """(height, width) the bins of (height, width, 3) codes: 15 bits."""
    steps = (lab >> 3).astype(np.uint16)
    return np.asarray((steps[..., 0] << 10) | (steps[..., 1] << 5) | steps[..., 2])


def main_colours(
    pixels: NDArray[np.float32], among: NDArray[np.intp], count: int, sample: int, chance: np.random.Generator
) -> NDArray[np.float32]:
    """(count, 3) the colours that some of (n, 3) pixels have most, by k-means.

    Args:
        among: which pixels; at least `count`.
        sample: how many of them are looked at, at most.
    """
    until = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 12, 1.0)
    seen = pixels[chance.choice(among, min(sample, len(among)), replace=False)]
    centres = cv2.kmeans(seen, count, np.empty((0, 1), np.int32), until, 1, cv2.KMEANS_PP_CENTERS)[2]
    return np.asarray(centres, np.float32)


def squares_to(known: NDArray[np.float32]) -> NDArray[np.float32]:
    """(32768, n) squared distances of every bin from n colours."""
    return np.asarray((EVERY**2).sum(1)[:, None] - 2 * EVERY @ known.T + (known**2).sum(1), np.float32)
