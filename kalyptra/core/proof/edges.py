"""The edge check: the ring around a subject, large, with its error, beside that of a plain overlay.

A plain overlay lays the subject over the blurred picture without taking it out of that first, so that its own colours
glow around it. The error is what of the subject shows outside its matte: the difference from the lens' picture of the
plate.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

Codes = NDArray[np.uint8]

RING = 0.02
"""How far around a subject the ring reaches, as a share of the width."""
LARGER = 2
ENLARGED = 6
"""By how much errors are enlarged to be seen."""
GAP = 2
SURROUND = 118
INK = (232, 232, 232)


def edge_view(result: Codes, overlaid: Codes, plate: Codes, covered: Sequence[NDArray[np.float32]]) -> Codes:
    """Four pictures of the same place, at 200 %: the result and a plain overlay, and below each its error.

    Args:
        result, overlaid, plate: (height, width, 3) codes: the result, a plain overlay, and the plate alone, all through
            the lens.
        covered: mattes of the cut-outs.

    Returns:
        Codes as large as the picture, at the place where a plain overlay is worst.
    """
    height, width = result.shape[:2]
    out = np.full_like(result, SURROUND)
    matte = np.max(covered, axis=0) if covered else np.zeros((height, width), np.float32)
    ring = ring_of(matte)
    errors = [cv2.absdiff(seen, plate).max(axis=2).astype(np.float32) * ring for seen in (result, overlaid)]
    part = max(8, (height // 2 - GAP) // LARGER), max(8, (width // 2 - GAP) // LARGER)
    worst = cv2.boxFilter(errors[1] if ring.any() else matte, -1, (part[1] // 2 | 1, part[0] // 2 | 1))
    row, column = np.unravel_index(int(worst.argmax()), worst.shape)
    top = int(np.clip(row - part[0] // 2, 0, max(0, height - part[0])))
    left = int(np.clip(column - part[1] // 2, 0, max(0, width - part[1])))
    place = slice(top, top + part[0]), slice(left, left + part[1])
    count = max(int(ring.sum()), 1)
    for i, (name, picture, error) in enumerate(
        (("this result", result, errors[0]), ("laid over the blur", overlaid, errors[1]))
    ):
        x = i * (width // 2 + GAP)
        _put(out, picture[place], (0, x), f"{name}, 200 %")
        shown = np.repeat(np.clip(error * ENLARGED, 0, 255).astype(np.uint8)[..., None], 3, axis=2)
        words = f"error {float(error.sum()) / count:.2f} of 255 in the ring, shown x {ENLARGED}"
        _put(out, shown[place], (height // 2 + GAP, x), words)
    return out


def ring_of(matte: NDArray[np.float32]) -> NDArray[np.float32]:
    """1 in the ring around a matte, 0 elsewhere."""
    outside = cv2.distanceTransform((matte < 0.004).astype(np.uint8), cv2.DIST_L2, 3)
    reach = max(4.0, RING * matte.shape[1])
    return ((outside > 0) & (outside <= reach) & (matte < 0.004)).astype(np.float32) if (matte > 0).any() else matte * 0


def _put(out: Codes, part: Codes, corner: tuple[int, int], words: str) -> None:
    large = cv2.resize(part, None, fx=LARGER, fy=LARGER, interpolation=cv2.INTER_NEAREST)
    y, x = corner
    height, width = min(large.shape[0], out.shape[0] - y), min(large.shape[1], out.shape[1] - x)
    out[y : y + height, x : x + width] = large[:height, :width]
    size = max(0.4, out.shape[1] / 1900)
    place = (x + 8, y + round(26 * size) + 4)
    for colour, thick in (((20, 20, 20), 3), (INK, 1)):
        cv2.putText(out, words, place, cv2.FONT_HERSHEY_SIMPLEX, size, colour, thick, cv2.LINE_AA)
