"""The colour in which a matte is laid over the picture: of a few, the one farthest from what lies under it."""

from __future__ import annotations

from enum import StrEnum

import cv2
import numpy as np
from numpy.typing import NDArray


class Tint(StrEnum):
    """Which colour: chosen, or the one that lies farthest from what is covered."""

    APART = "apart"
    RED = "red"
    GREEN = "green"
    BLUE = "blue"
    PINK = "pink"
    CYAN = "cyan"


MATTE_COLOURS = {
    Tint.RED: (230, 60, 40), Tint.GREEN: (40, 200, 90), Tint.BLUE: (60, 120, 255), Tint.PINK: (240, 60, 220),
    Tint.CYAN: (60, 220, 230),
}  # fmt: skip
"""RGB codes."""
TINTS = np.array(list(MATTE_COLOURS.values()), np.uint8)
NEARBY = 0.01
"""Share of the picture's width around a matte that is looked at, too."""


def tint_of(tint: Tint, codes: NDArray[np.uint8] | NDArray[np.uint16], matte: NDArray[np.float32]) -> NDArray[np.uint8]:
    """The colour that is chosen, (1, 1, 3) RGB codes; codes and matte as for `tint_apart`."""
    return tint_apart(codes, matte) if tint is Tint.APART else np.array([[MATTE_COLOURS[tint]]], np.uint8)


def tint_apart(codes: NDArray[np.uint8] | NDArray[np.uint16], matte: NDArray[np.float32]) -> NDArray[np.uint8]:
    """The tint that stands out from what a matte covers.

    Args:
        codes: (height, width, 3) RGB.
        matte: (height, width) 0 to 1.

    Returns:
        (1, 1, 3) RGB codes.
    """
    reach = max(1, round(matte.shape[1] * NEARBY))
    inside = cv2.dilate((matte > 0.05).astype(np.uint8), np.ones((2 * reach + 1,) * 2, np.uint8)) > 0
    seen = codes[inside][:: max(1, int(inside.sum()) // 4000)] if inside.any() else codes[::16, ::16].reshape(-1, 3)
    # CIE 1976 L*a*b*: distances are about what the eye makes of them.
    shares = np.vstack([TINTS / 255, seen / np.iinfo(codes.dtype).max])[None].astype(np.float32)
    lab = cv2.cvtColor(shares, cv2.COLOR_RGB2LAB)[0]
    tints, under = lab[: len(TINTS), None, 1:], lab[None, len(TINTS) :, 1:]
    apart = np.percentile(np.linalg.norm(tints - under, axis=2), 20, axis=1)
    return np.asarray(TINTS[int(apart.argmax())][None, None])
