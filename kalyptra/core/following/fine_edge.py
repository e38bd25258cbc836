"""The edge of a matte that was followed small, drawn to a larger picture.

Half of what followed mattes miss lies within two and a half px of the true edge, at 960 px across: they are followed at
half that size.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.edit.subjects import EDGE_OF_FOUND
from kalyptra.core.matte.edge_network import edge_by_network
from kalyptra.core.matte.refine import around_it
from kalyptra.core.matte.stored import coverage_of, laid_over

Matte = NDArray[np.float32]
Codes = NDArray[np.uint8]


def at_full_size(matte: Codes, codes: Codes) -> Matte:
    """A followed matte at the size of a picture, its edge drawn to it.

    Args:
        matte: 8-bit codes at the working size.
        codes: (height, width, 3) the picture, 8 bits.
    """
    return enlarged(coverage_of(matte), codes)


def enlarged(matte: Matte, codes: Codes, mixed: NDArray[np.bool_] | None = None) -> Matte:
    """The same of a matte that is (height, width), 0 to 1.

    Args:
        mixed: (height, width) where its pixels are mixtures already, and no edge is drawn.
    """
    size = codes.shape[0], codes.shape[1]
    whole = laid_over(matte, size)
    if mixed is not None and mixed.all():
        return whole
    width = max(2.0, codes.shape[1] * EDGE_OF_FOUND)
    fine = around_it(whole, codes, width, lambda shown, rough: edge_by_network(shown, rough, width))
    return fine if mixed is None else np.where(laid_over(mixed.astype(np.float32), size) > 0.5, whole, fine)


def with_fine_edge(matte: Matte, codes: Codes, mixed: NDArray[np.bool_] | None = None) -> Matte:
    """The same at the matte's own size: each pixel has the share of it that is the subject's in the larger picture."""
    if mixed is not None and mixed.all():
        return matte
    fine = np.asarray(cv2.resize(enlarged(matte, codes), matte.shape[::-1], interpolation=cv2.INTER_AREA), np.float32)
    return fine if mixed is None else np.where(mixed, matte, fine)
