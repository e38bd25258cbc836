"""Framing: the part of a picture that is rendered, enlarged and placed."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.setup.resolve.finish import FramingAt

Light = NDArray[np.float32]


def framed_size(height: int, width: int, framing: FramingAt) -> tuple[int, int]:
    """(height, width) of what is rendered of a picture: as large as its aspect lets it be, whatever its scale."""
    if framing.aspect is None:
        return height, width
    if framing.aspect >= width / height:
        return max(1, round(width / framing.aspect)), width
    return height, max(1, round(height * framing.aspect))


def window_of_frame(
    height: int, width: int, framing: FramingAt, full_width: float
) -> tuple[float, float, float, float]:
    """Left, top, width and height of the part that is rendered, px of the picture; all of it lies within it.

    Args:
        full_width: px of the clip at full size, in which the place is given.
    """
    rows, columns = framed_size(height, width, framing)
    across, down = columns / framing.scale, rows / framing.scale
    x, y = framing.place or (full_width / 2, full_width / 2 * height / width)
    left = min(max(x * width / full_width - across / 2, 0.0), width - across)
    top = min(max(y * width / full_width - down / 2, 0.0), height - down)
    return left, top, across, down


def framed(light: Light, framing: FramingAt, full_width: float) -> Light:
    """The part of a picture that is rendered, at its size. What is only cut keeps its pixels as they are.

    Args:
        light: (height, width, 3) linear light.
    """
    height, width = light.shape[:2]
    if framing == FramingAt():
        return light
    rows, columns = framed_size(height, width, framing)
    left, top, across, _ = window_of_frame(height, width, framing, full_width)
    if framing.scale == 1:
        x, y = round(left), round(top)
        return np.ascontiguousarray(light[y : y + rows, x : x + columns])
    larger = columns / across
    # Middles of pixels lie half a pixel in.
    move = np.array([[1 / larger, 0, left + 0.5 / larger - 0.5], [0, 1 / larger, top + 0.5 / larger - 0.5]])
    made = cv2.warpAffine(light, move, (columns, rows), flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP,
                          borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
    return np.asarray(np.maximum(made, 0), np.float32)


def letterboxed(picture: NDArray[np.uint8], height: int, width: int) -> NDArray[np.uint8]:
    """A framed picture in the middle of black as large as the whole one was."""
    out = np.zeros((height, width, 3), np.uint8)
    rows, columns = picture.shape[:2]
    top, left = (height - rows) // 2, (width - columns) // 2
    out[top : top + rows, left : left + columns] = picture
    return out
