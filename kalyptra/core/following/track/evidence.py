"""Does a pixel near the line belong to the subject? Asked of its motion and of its colour."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled

MATCH = 4.8
"""Difference of codes (three channels summed) that is worth one unit of evidence."""
NO_SOURCE = 14.0
"""The error of a layer that has nothing to show at a pixel."""
COLOUR_WEIGHT = 1.55
NEAR, THIN = 20, 4
"""Px around a pixel in which like colours are looked for, and px from one that is looked at to the next. Every second
pixel and row asks."""


def layer_error(shown: NDArray[np.uint8], now: NDArray[np.uint8], has_source: NDArray[np.uint8]) -> NDArray[np.float32]:
    """How badly a layer's prediction fits, per pixel: mean over 5 x 5 px of the difference summed over channels."""
    difference = cv2.absdiff(shown, now)
    total = cv2.transform(difference.astype(np.float32), np.ones((1, 3), np.float32))
    error = cv2.blur(total, (5, 5))
    error[has_source == 0] = NO_SOURCE
    return np.asarray(error)


def motion_evidence(subject: NDArray[np.float32], background: NDArray[np.float32]) -> NDArray[np.float32]:
    """Positive where the subject's motion explains a pixel better than the background's; -4 to 4."""
    return np.asarray(np.clip((background - subject) / np.float32(MATCH), -4, 4))


def colour_evidence(
    before: NDArray[np.uint8], mask: NDArray[np.uint8], now: NDArray[np.uint8], band: NDArray[np.uint8]
) -> NDArray[np.float32]:
    """Positive where a pixel's colour was the subject's nearby in the frame before.

    Args:
        before, now: (height, width, 3) L*a*b* codes of the two frames.
        mask: the subject in the frame before.
        band: where to ask.

    Returns:
        (height, width) log odds, weighted; 0 outside the band, and for colours that were not there.
    """
    thinned = np.ascontiguousarray((_bins(before) << 1 | mask)[THIN // 2 :: THIN, THIN // 2 :: THIN])
    asked = np.zeros(mask[::2, ::2].shape, np.float32)
    _ask(thinned, _bins(now[::2, ::2]) << 1, band[::2, ::2], asked, THIN // 2, NEAR // THIN)
    asked *= np.float32(COLOUR_WEIGHT)
    return np.asarray(np.repeat(np.repeat(asked, 2, axis=0), 2, axis=1)[: mask.shape[0], : mask.shape[1]])


def _bins(lab: NDArray[np.uint8]) -> NDArray[np.uint16]:
    """Colours in bins of 32 x 16 x 16 codes."""
    wide = lab.astype(np.uint16)
    return ((wide[..., 0] >> 5) << 8 | (wide[..., 1] >> 4) << 4 | wide[..., 2] >> 4).astype(np.uint16)


@compiled
def _ask(before, now, band, out, thin, reach):  # type: ignore[no-untyped-def]
    height, width = before.shape
    for row in range(band.shape[0]):
        for column in range(band.shape[1]):
            if band[row, column] == 0:
                continue
            wanted = now[row, column]
            middle_y, middle_x = row // thin, column // thin
            left, right = max(0, middle_x - reach), min(width, middle_x + reach + 1)
            inside, outside = 0, 0
            for y in range(max(0, middle_y - reach), min(height, middle_y + reach + 1)):
                for x in range(left, right):
                    colour = before[y, x]
                    outside += colour == wanted
                    inside += colour == wanted + 1
            share = (inside + 0.01) / (inside + outside + 0.02)
            share = min(max(share, 0.03), 0.97)
            out[row, column] = np.log(share / (1 - share))
