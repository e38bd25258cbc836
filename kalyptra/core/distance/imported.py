"""A map that was made elsewhere, as dioptres over the picture."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.setup.document.distance import Reads
from kalyptra.core.setup.document.stored import Fit
from kalyptra.core.setup.resolve.source import MapAt
from kalyptra.core.store import Store

INFINITE = 1e-6
"""Dioptres that are as good as none."""


@dataclass(frozen=True)
class ImportedDistances:
    """(height, width) dioptres, and where they are given, 1 or 0: a map laid over in proportion may leave a rim."""

    dioptres: NDArray[np.float32]
    given: NDArray[np.float32]


def values_of(codes: NDArray[Any]) -> NDArray[np.float32]:
    """What a stored map holds: codes of 8 or 16 bits as they are, or numbers of 32 bits kept in four channels."""
    if codes.ndim == 3:
        return np.ascontiguousarray(codes).view(np.float32)[..., 0]
    return codes.astype(np.float32)


def as_stored(values: NDArray[Any]) -> NDArray[Any]:
    """(height, width) values as a store keeps them, exactly: float32 as the four bytes of each number."""
    if values.dtype in (np.uint8, np.uint16):
        return values
    numbers = np.ascontiguousarray(values, "<f4")
    return numbers.view(np.uint8).reshape(*values.shape, 4)


def dioptres_of(codes: NDArray[Any], at: MapAt) -> NDArray[np.float32]:
    """The dioptres that a stored map speaks of, at its own size.

    Codes of 8 or 16 bits go from 0 to 1 between their ends, other numbers are taken as they are. They are even in 1/z,
    or in z, between the two distances; metres are a code, or a number, times the unit. What is not finite is infinitely
    far.
    """
    if codes.dtype == np.uint8 and codes.ndim == 2:
        table = _read(np.arange(256, dtype=np.float32), np.float32(255), at)
        return np.asarray(cv2.LUT(codes, table), np.float32)
    top = 1.0 if codes.ndim == 3 else float(np.iinfo(codes.dtype).max)
    return _read(values_of(codes), np.float32(top), at)


def _read(values: NDArray[np.float32], top: np.float32, at: MapAt) -> NDArray[np.float32]:
    if at.reads is Reads.METRES:
        metres = values * np.float32(at.unit)
        with np.errstate(divide="ignore", invalid="ignore"):
            inverse = np.where(np.isfinite(metres) & (metres > 0), 1 / metres, 0)
        return np.asarray(inverse, np.float32)
    share = np.clip(np.nan_to_num(values / top, nan=0.0, posinf=1.0, neginf=0.0), 0, 1)
    black, white = np.float32(at.black), np.float32(at.white)
    if at.reads is Reads.DISTANCE:
        near, far = 1 / max(black, np.float32(INFINITE)), 1 / max(white, np.float32(INFINITE))
        return np.asarray(1 / (near + share * (far - near)), np.float32)
    return np.asarray(black + share * (white - black), np.float32)


def imported_map(at: MapAt, size: tuple[int, int], store: Store) -> ImportedDistances | None:
    """An imported map laid over a picture of `size` (height, width); None where there is none at this frame.

    Raises:
        NotKept: the store has no such picture.
    """
    if at.name is None:
        return None
    dioptres = dioptres_of(store.picture(at.name), at)
    height, width = dioptres.shape
    if (height, width) == size:
        return ImportedDistances(dioptres, np.ones(size, np.float32))
    down, across = size[0] / height, size[1] / width
    if at.fit is not Fit.STRETCH:
        down = across = min(down, across) if at.fit is Fit.INSIDE else max(down, across)
    # Pixel middles are taken to pixel middles; beyond the map nothing is given.
    move = np.array([
        [across, 0, (size[1] - width * across) / 2 + across / 2 - 0.5],
        [0, down, (size[0] - height * down) / 2 + down / 2 - 0.5],
    ])  # fmt: skip
    if down < 1 or across < 1:
        smaller = (max(1, round(width * min(1.0, across))), max(1, round(height * min(1.0, down))))
        dioptres = np.asarray(cv2.resize(dioptres, smaller, interpolation=cv2.INTER_AREA), np.float32)
        move = move @ np.array([[width / smaller[0], 0, 0], [0, height / smaller[1], 0], [0, 0, 1]])
        move[:, 2] = [(size[1] - width * across) / 2 + move[0, 0] / 2 - 0.5,
                      (size[0] - height * down) / 2 + move[1, 1] / 2 - 0.5]  # fmt: skip
    laid = cv2.warpAffine(dioptres, move, (size[1], size[0]), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    given = np.zeros(size, np.float32)
    top, left = max(0, round((size[0] - height * down) / 2)), max(0, round((size[1] - width * across) / 2))
    given[top : size[0] - top, left : size[1] - left] = 1
    return ImportedDistances(np.asarray(laid, np.float32), given)
