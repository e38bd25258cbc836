"""The median of pictures, each only where it shows what is wanted."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled

MOST = 64


def median_of(
    pictures: NDArray[np.float32] | NDArray[np.uint8], valid: NDArray[np.bool_], most: int
) -> tuple[NDArray[np.float32], NDArray[np.uint8]]:
    """The median, channel by channel: it leaves out what only a few of the pictures show.

    Args:
        pictures: (n, height, width, 3), at most MOST.
        valid: (n, height, width) where each of them counts.
        most: of those that count at a pixel, only the first ones up to this many are taken: best come first.

    Returns:
        (height, width, 3), 0 where none counts, and (height, width) how many count.
    """
    out = np.zeros(pictures.shape[1:], np.float32)
    seen = np.zeros(pictures.shape[1:3], np.uint8)
    if len(pictures):
        _medians(pictures, valid, most, out, seen)
    return out, seen


@compiled
def _medians(pictures, valid, most, out, seen):  # type: ignore[no-untyped-def]
    row = np.empty(64, np.float32)
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            count = 0
            for c in range(3):
                count = 0
                for n in range(pictures.shape[0]):
                    if valid[n, y, x] and count < most:
                        value = pictures[n, y, x, c]
                        k = count
                        while k > 0 and row[k - 1] > value:
                            row[k] = row[k - 1]
                            k -= 1
                        row[k] = value
                        count += 1
                if count:
                    out[y, x, c] = (row[(count - 1) // 2] + row[count // 2]) / np.float32(2)
            for n in range(pictures.shape[0]):
                seen[y, x] += valid[n, y, x]
