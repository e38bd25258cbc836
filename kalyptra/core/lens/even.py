"""The same iris for every pixel, as behind a subject before a plain backdrop.

Every row of an iris is a span, and a span's sum is the difference of two sums from the row's start: so each row of the
result is a weighted sum of such sums, one for each end (see `iris`), whole rows at a time.
"""

from __future__ import annotations

import math
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled
from kalyptra.core.lens.iris import Ends, ends_of
from kalyptra.core.setup.document.setup import Iris

WHOLE, HALVED = 10.0, 11.0
"""Up to the one radius in px an iris is spread at a size, from the other on at half of it; between, as a mixture."""
Picture = NDArray[np.float32]


def spread_evenly(picture: Picture, radius: float, iris: Iris, scaling_blur: float) -> Picture:
    """Spread every pixel over an iris of one radius.

    Args:
        picture: (height, width, channels) linear light, or a premultiplied layer.
        radius: px.
        scaling_blur: what halving and doubling add to the square of a radius, px^2.

    Returns:
        The same shape. Beyond the frame the picture goes on with its edge repeated.
    """
    share = min(max((HALVED - radius) / (HALVED - WHOLE), 0.0), 1.0)
    height, width = picture.shape[:2]
    whole = np.zeros_like(picture)
    if share > 0:
        rows, columns, weights = _ends(iris, round(radius, 4))
        pad = int(max(np.abs(rows).max(), np.abs(columns).max()))
        sums = cv2.copyMakeBorder(picture, pad, pad, pad, pad, cv2.BORDER_REPLICATE)
        _sum_up(sums.reshape(sums.shape[0], -1), picture.shape[2])
        _add_ends(sums.reshape(sums.shape[0], -1), pad - rows, (pad - columns) * picture.shape[2],
                  (weights * share).astype(np.float32), whole.reshape(height, -1))  # fmt: skip
    if share == 1:
        return whole
    even = cv2.copyMakeBorder(picture, 0, height % 2, 0, width % 2, cv2.BORDER_REPLICATE)
    half = cv2.resize(even, (even.shape[1] // 2, even.shape[0] // 2), interpolation=cv2.INTER_AREA)
    spread = spread_evenly(half, math.sqrt(max(radius**2 - scaling_blur, 0)) / 2, iris, scaling_blur)
    doubled = cv2.resize(spread, (even.shape[1], even.shape[0]), interpolation=cv2.INTER_CUBIC)[:height, :width]
    if share > 0:
        doubled = whole + doubled * np.float32(1 - share)
    return np.asarray(doubled, np.float32)


@lru_cache(maxsize=64)
def _ends(iris: Iris, radius: float) -> Ends:
    return ends_of(iris, radius)


@compiled
def _sum_up(sums, channels):  # type: ignore[no-untyped-def]
    """Each value becomes the sum of its row up to it, channel by channel."""
    for y in range(sums.shape[0]):
        for i in range(channels, sums.shape[1]):
            sums[y, i] += sums[y, i - channels]


@compiled
def _add_ends(sums, rows, columns, weights, out):  # type: ignore[no-untyped-def]
    """Strip by strip, so that a row of the result stays in the cache while its ends are added."""
    length, strip = out.shape[1], 2048
    for left in range(0, length, strip):
        n = min(strip, length - left)
        for y in range(out.shape[0]):
            to = out[y, left : left + n]
            for k in range(rows.size):
                w, at = weights[k], left + columns[k]
                row = sums[y + rows[k], at : at + n]
                for i in range(n):
                    to[i] += w * row[i]
