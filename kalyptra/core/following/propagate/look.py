"""The pictures that following looks at."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.reader import Picture, PictureSource, eight_bits, shrink

WORKING_WIDTH = 480
"""Px on the long side that mattes are followed at: more costs much and gains little."""


def looked_at(footage: PictureSource, frame: int, long_side: int = WORKING_WIDTH) -> NDArray[np.uint8]:
    """(height, width, 3) RGB in 8 bits, at most so many px on the long side.

    Raises:
        FrameUnreadable: the clip has no such frame.
    """
    return eight_bits(shrink(footage.picture(frame), long_side).codes)


def smaller(codes: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A picture that was looked at larger, (height, width, 3) of 8 bits, at the working size."""
    return eight_bits(shrink(Picture(codes, Transfer.SRGB), WORKING_WIDTH).codes)


def shrunk_to(matte: NDArray[np.float32], codes: NDArray[np.uint8]) -> NDArray[np.float32]:
    """(height, width) a matte, 0 to 1, at the size of a smaller picture."""
    return np.asarray(cv2.resize(matte, codes.shape[1::-1], interpolation=cv2.INTER_AREA), np.float32)
