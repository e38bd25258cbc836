"""Whose colour is it? A few colours that the subject and what lies behind it have, and where nearby each was seen."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.lab import EVERY, bins_of, main_colours, squares_to


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the demo's clips, where no source is named."""

    colours: int = 32
    sample: int = 4000
    cell: int = 8
    """Px of the cells in which colours are counted."""
    near: int = 2
    """Cells around a pixel's own in which colours count."""
    doubt: float = 0.03
    """The least and, from 1, the most that a colour can say."""


TUNING = Tuning()


@dataclass(frozen=True)
class Palette:
    """Which of a few colours a pixel has.

    Attributes:
        names: by its L*a*b* codes in steps of 8, as 15 bits.
    """

    names: NDArray[np.uint8]

    @staticmethod
    def of(lab: NDArray[np.uint8], matte: NDArray[np.float32]) -> Palette:
        """Half the colours from within the matte, half from around it."""
        chance = np.random.default_rng(0)
        cv2.setRNGSeed(1)
        pixels, inside = lab.reshape(-1, 3).astype(np.float32), matte.reshape(-1) > 0.5
        centres = []
        for part in (np.flatnonzero(inside), np.flatnonzero(~inside)):
            if len(part) < TUNING.colours:
                continue
            centres.append(main_colours(pixels, part, TUNING.colours // 2, TUNING.sample, chance))
        if not centres:
            return Palette(np.zeros(len(EVERY), np.uint8))
        return Palette(squares_to(np.vstack(centres)).argmin(axis=1).astype(np.uint8))

    def named(self, lab: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """(height, width) names of the colours of L*a*b* codes."""
        return np.asarray(self.names[bins_of(lab)])


def colour_share(
    names: NDArray[np.uint8], matte: NDArray[np.float32], now: NDArray[np.uint8], asked: NDArray[np.bool_]
) -> NDArray[np.float32]:
    """For pixels asked about, which share of their colour nearby was the subject's.

    Args:
        names: (height, width) colours where they were a frame before, moved along.
        matte: (height, width) whose they were, 0 to 1.
        now: (height, width) colours of the frame in question.
        asked: (height, width) which pixels to answer for.

    Returns:
        (n,) in the order of `asked`, DOUBT to 1 - DOUBT; one half for colours not seen nearby.
    """
    height, width = names.shape
    down, across = -(-height // TUNING.cell), -(-width // TUNING.cell)
    cell = (np.arange(height) // TUNING.cell * across)[:, None] + np.arange(width) // TUNING.cell
    index = (cell * TUNING.colours + names).ravel()
    count = down * across * TUNING.colours
    both = np.bincount(index, minlength=count).astype(np.float32).reshape(down, across, TUNING.colours)
    own = np.bincount(index, matte.ravel(), count).astype(np.float32).reshape(down, across, TUNING.colours)
    side = (2 * TUNING.near + 1, 2 * TUNING.near + 1)
    for count in (both, own):
        for first in range(0, TUNING.colours, 4):
            count[..., first : first + 4] = cv2.blur(
                count[..., first : first + 4], side, borderType=cv2.BORDER_CONSTANT
            )
    rows, columns = np.nonzero(asked)
    where = rows // TUNING.cell, columns // TUNING.cell, now[rows, columns]
    share = (own[where] + np.float32(0.02)) / (both[where] + np.float32(0.04))
    return np.asarray(np.clip(share, TUNING.doubt, 1 - TUNING.doubt), np.float32)
