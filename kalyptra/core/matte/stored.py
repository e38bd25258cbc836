"""A stored matte laid over the picture."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.setup.document.stored import Fit
from kalyptra.core.setup.resolve.look import StoredAt
from kalyptra.core.store import Store

Matte = NDArray[np.float32]


def stored_matte(at: StoredAt, size: tuple[int, int], store: Store) -> Matte:
    """Read a stored matte at the size of the picture; nothing where there is none.

    Args:
        size: (height, width) in px.

    Returns:
        (height, width) 0 to 1.

    Raises:
        NotKept: the store has no such picture.
    """
    if at.name is None:
        return np.zeros(size, np.float32)
    return laid_over(coverage_of(store.picture(at.name)), size, at.fit)


def coverage_of(codes: NDArray[Any]) -> Matte:
    """Coverage of grey codes of 8 or 16 bits."""
    return codes.astype(np.float32) / np.float32(np.iinfo(codes.dtype).max)


def codes_of(matte: Matte, kind: type[np.uint8] | type[np.uint16] = np.uint8) -> NDArray[Any]:
    """Grey codes of coverage."""
    return np.asarray(np.round(np.clip(matte, 0, 1) * np.iinfo(kind).max), kind)


def laid_over(matte: Matte, size: tuple[int, int], fit: Fit = Fit.STRETCH) -> Matte:
    """A matte at another size: stretched, or in proportion with its middle at the picture's middle."""
    if matte.shape == size:
        return matte
    height, width = matte.shape
    down, across = size[0] / height, size[1] / width
    if fit is not Fit.STRETCH:
        down = across = min(down, across) if fit is Fit.INSIDE else max(down, across)
    if fit is Fit.STRETCH or (round(height * down), round(width * across)) == size:
        return _scaled(matte, size)
    scaled = _scaled(matte, (max(1, round(height * down)), max(1, round(width * across))))
    out = np.zeros(size, np.float32)
    top, left = (size[0] - scaled.shape[0]) // 2, (size[1] - scaled.shape[1]) // 2
    rows = slice(max(0, top), min(size[0], top + scaled.shape[0]))
    columns = slice(max(0, left), min(size[1], left + scaled.shape[1]))
    out[rows, columns] = scaled[rows.start - top : rows.stop - top, columns.start - left : columns.stop - left]
    return out


def _scaled(matte: Matte, size: tuple[int, int]) -> Matte:
    how = cv2.INTER_AREA if size[0] < matte.shape[0] else cv2.INTER_LINEAR
    return np.asarray(cv2.resize(matte, (size[1], size[0]), interpolation=how), np.float32)
