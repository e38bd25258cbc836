"""Fill the hole behind a subject from its surroundings: push and pull over a picture pyramid.

Source: the pull-push scheme of Gortler et al., The Lumigraph (1996), section 3.4.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled


def fill(values: NDArray[np.float32], known: NDArray[np.float32]) -> NDArray[np.float32]:
    """Carry known values smoothly into where nothing is known.

    Args:
        values: (height, width, channels) float32.
        known: (height, width) how far each pixel may be trusted, 0 to 1.

    Returns:
        Values, same shape: unchanged where known is 1. All zero where nothing is known anywhere.
    """
    out = np.array(values)
    fill_in(out, known)
    return out


def fill_in(values: NDArray[np.float32], known: NDArray[np.float32]) -> None:
    """Like `fill`, in place."""
    height, width, channels = values.shape
    if channels > 3:  # OpenCV scales four channels at most, and one holds the weight
        fill_in(values[..., :3], known)
        fill_in(values[..., 3:], known)
        return
    level = np.empty(((height + 1) // 2, (width + 1) // 2, channels + 1), np.float32)
    _halve(values, known, level)
    pyramid = [level]
    while min(pyramid[-1].shape[:2]) > 2:
        height, width = pyramid[-1].shape[:2]
        half = ((width + 1) // 2, (height + 1) // 2)
        pyramid.append(cv2.resize(pyramid[-1], half, interpolation=cv2.INTER_AREA))
    filled = pyramid[-1] / np.maximum(pyramid[-1][..., -1:], np.float32(1e-6))
    for level in reversed(pyramid[:-1]):
        height, width = level.shape[:2]
        filled = cv2.resize(filled, (width, height), interpolation=cv2.INTER_LINEAR)
        _complete(level, filled)
    _patch(values, known, filled)


@compiled
def _halve(values, known, out):  # type: ignore[no-untyped-def]
    """What is known and how much of it, at half the size; an odd last row or column counts twice."""
    height, width, channels = values.shape
    for v in range(out.shape[0]):
        for u in range(out.shape[1]):
            for c in range(channels + 1):
                out[v, u, c] = 0
            for j in range(2):
                y = min(2 * v + j, height - 1)
                for i in range(2):
                    x = min(2 * u + i, width - 1)
                    w = known[y, x] * np.float32(0.25)
                    if w > 0:
                        for c in range(channels):
                            out[v, u, c] += values[y, x, c] * w
                        out[v, u, channels] += w


@compiled
def _complete(level, coarse):  # type: ignore[no-untyped-def]
    """What a level knows, over what the coarser one guessed; into `coarse`."""
    last = level.shape[2] - 1
    for y in range(level.shape[0]):
        for x in range(level.shape[1]):
            rest = np.float32(1) - level[y, x, last]
            for c in range(last + 1):
                coarse[y, x, c] = level[y, x, c] + coarse[y, x, c] * rest


@compiled
def _patch(values, known, coarse):  # type: ignore[no-untyped-def]
    """Put the guess of half the size, read between its pixels, where values are not wholly known; into `values`."""
    height, width, channels = values.shape
    half, zero = np.float32(0.5), np.float32(0)
    for y in range(height):
        v = max((y + half) * half - half, zero)
        top = int(v)
        low = min(top + 1, coarse.shape[0] - 1)
        fy = v - top
        for x in range(width):
            w = known[y, x]
            if w >= 1:
                continue
            u = max((x + half) * half - half, zero)
            left = int(u)
            right = min(left + 1, coarse.shape[1] - 1)
            fx = u - left
            for c in range(channels):
                above = coarse[top, left, c] + fx * (coarse[top, right, c] - coarse[top, left, c])
                below = coarse[low, left, c] + fx * (coarse[low, right, c] - coarse[low, left, c])
                guess = above + fy * (below - above)
                values[y, x, c] = guess + w * (values[y, x, c] - guess)
