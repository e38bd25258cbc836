"""Pictures to check mattes and plates by."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

Codes = NDArray[np.uint8]
Matte = NDArray[np.float32]

FILLED = np.array((178, 92, 20), np.float32)
"""What no frame shows: a guess."""
ONCE, OFTEN = np.array((196, 214, 210), np.float32), np.array((30, 96, 92), np.float32)
"""Seen once, and seen as often as MANY says."""
MANY = 12
DIMMED = 0.35
ADDED, TAKEN = np.array((36, 112, 108), np.float32), np.array((190, 92, 30), np.float32)


def seen_view(
    light: NDArray[np.float32], covered: Sequence[Matte], seen: NDArray[np.uint8] | None, growth: float,
    filled: NDArray[np.bool_] | None = None,
) -> Codes:  # fmt: skip
    """The hole behind the cut-outs by how often other frames show what is there; amber where it is filled.

    Args:
        light: (height, width, 3) the frame, shown dimmed around the hole.
        covered: mattes of the cut-outs.
        seen: (height, width) how often; None where nothing was recovered.
        growth: px by which the hole is larger than the mattes.
        filled: (height, width) what else was made up, where the shot is seen from beside.
    """
    grey = np.sqrt(np.clip(light.mean(axis=2), 0, 1)) * 255 * DIMMED
    out = np.repeat(grey[..., None], 3, axis=2)
    hole = np.zeros(grey.shape, bool) if filled is None else filled
    if covered:
        hidden = np.logical_or.reduce([matte > 0.02 for matte in covered]).astype(np.uint8)
        hole = hole | (cv2.distanceTransform(1 - hidden, cv2.DIST_L2, 5) <= growth)
    often = seen if seen is not None else np.zeros(hole.shape, np.uint8)
    share = np.clip((often.astype(np.float32) - 1) / (MANY - 1), 0, 1)[..., None]
    shown = ONCE * (1 - share) + OFTEN * share
    shown = np.where(often[..., None] > 0, shown, FILLED)
    return np.where(hole[..., None], shown, out).astype(np.uint8)


def change_view(before: Sequence[Matte], after: Sequence[Matte], size: tuple[int, int]) -> Codes:
    """What refining did: the matte as it was in grey, teal where coverage was added, amber where it was taken."""
    if not after:
        return np.zeros((*size, 3), np.uint8)
    was, now = np.max(before, axis=0), np.max(after, axis=0)
    grey = np.repeat((was * 200)[..., None], 3, axis=2)
    change = (now - was)[..., None]
    towards = np.where(change > 0, ADDED, TAKEN)
    return np.asarray(grey + np.minimum(np.abs(change) * 2, 1) * (towards - grey), np.uint8)
