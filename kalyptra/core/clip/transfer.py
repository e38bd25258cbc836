"""Transfer curves: from code values to linear light and back, by table.

Sources: IEC 61966-2-1 (sRGB); Recommendation ITU-R BT.709, section 1.2.
"""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import Codes, Transfer
from kalyptra.core.compiled import compiled

TABLE_STEPS = 65535


def light_of(code: NDArray[np.float64], transfer: Transfer) -> NDArray[np.float64]:
    """Linear light, 0 to 1, of code values, 0 to 1."""
    if transfer is Transfer.SRGB:
        return np.where(code <= 0.04045, code / 12.92, ((code + 0.055) / 1.055) ** 2.4)
    return np.where(code < 4.5 * 0.018, code / 4.5, ((code + 0.099) / 1.099) ** (1 / 0.45))


def code_of(light: NDArray[np.float64], transfer: Transfer) -> NDArray[np.float64]:
    """Code values, 0 to 1, of linear light, clipped to 0 to 1."""
    light = np.clip(light, 0.0, 1.0)
    if transfer is Transfer.SRGB:
        return np.where(light <= 0.0031308, light * 12.92, 1.055 * light ** (1 / 2.4) - 0.055)
    return np.where(light < 0.018, light * 4.5, 1.099 * light**0.45 - 0.099)


@lru_cache(maxsize=4)
def light_table(transfer: Transfer, bits: int) -> NDArray[np.float32]:
    """The linear light of every code of 8 or 16 bits."""
    steps = 2**bits - 1
    return light_of(np.arange(steps + 1) / steps, transfer).astype(np.float32)


@lru_cache(maxsize=2)
def code_table(transfer: Transfer) -> NDArray[np.uint8]:
    """The 8-bit code for linear light in 65535ths."""
    return np.round(code_of(np.arange(TABLE_STEPS + 1) / TABLE_STEPS, transfer) * 255).astype(np.uint8)


def to_light(codes: Codes, transfer: Transfer) -> NDArray[np.float32]:
    """Linear light of a picture of 8- or 16-bit codes; same shape, 0 to 1."""
    table = light_table(transfer, codes.dtype.itemsize * 8)
    light: NDArray[np.float32] = cv2.LUT(codes, table) if codes.dtype == np.uint8 else table[codes]
    return light


def to_codes(light: NDArray[np.float32], transfer: Transfer) -> NDArray[np.uint8]:
    """8-bit codes of a picture of linear light; values outside 0 to 1 are clipped."""
    out = np.empty(light.shape, np.uint8)
    _look_up(light.reshape(-1), code_table(transfer), out.reshape(-1))
    return out


@compiled
def _look_up(light, table, out):  # type: ignore[no-untyped-def]
    for i in range(light.size):
        v = min(max(light[i], np.float32(0)), np.float32(1))
        out[i] = table[np.uint64(np.uint32(v * np.float32(TABLE_STEPS) + np.float32(0.5)))]
