"""Where in a matte or an outline that needs a look the trouble is."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.matte.stored import coverage_of, laid_over


class DoubtfulPlace(NamedTuple):
    """A disc, in shares of the picture's width."""

    x: float
    y: float
    radius: float


LEAST = 0.02
"""Mean doubt in the disc below which there is none to speak of."""
ODD = 0.002
"""Share of the picture's width that a point has to be off its way before there is a doubt to speak of."""
RADIUS = 1 / 24
"""Of the disc, as a share of the picture's width: about a limb of somebody who fills half the picture's height."""


def doubtful_place(matte: NDArray[Any], neighbours: Sequence[NDArray[Any]] = ()) -> DoubtfulPlace | None:
    """Where a matte is most in doubt: half of a thing and half not, or not what the frames around it say.

    Args:
        matte: (height, width) codes of 8 or 16 bits, as it was found.
        neighbours: those of the frames before and after, of any size.

    Returns:
        The disc; None where nothing is in doubt, or there is nothing.
    """
    share = coverage_of(matte)
    height, width = share.shape
    doubt = 4 * share * (1 - share)
    if neighbours:
        around = np.mean([laid_over(coverage_of(codes), (height, width)) for codes in neighbours], axis=0)
        doubt = doubt + np.abs(share - around)
    side = max(3, 2 * round(RADIUS * width / 2) + 1)
    mean = cv2.blur(doubt, (side, side))
    if mean.max() < LEAST:
        return None
    row, column = np.unravel_index(int(mean.argmax()), doubt.shape)
    return DoubtfulPlace((column + 0.5) / width, (row + 0.5) / width, RADIUS)


def doubtful_bend(
    line: NDArray[np.float64], neighbours: Sequence[NDArray[np.float64]], width: int
) -> DoubtfulPlace | None:
    """Where an outline is most in doubt: the point that is farthest from its way between the frames around.

    Args:
        line: (points, 2) px.
        neighbours: the same points in the frames before and after; of one alone the line's own way is taken out first.
        width: of the picture, px.

    Returns:
        The disc; None where every point is on its way.
    """
    alike = [around for around in neighbours if around.shape == line.shape]
    if not alike:
        return None
    off = line - np.mean(alike, axis=0)
    if len(alike) == 1:
        off = off - np.median(off, axis=0)
    away = np.linalg.norm(off, axis=1)
    x, y = line[int(away.argmax())]
    return DoubtfulPlace(float(x) / width, float(y) / width, RADIUS) if away.max() > ODD * width else None
