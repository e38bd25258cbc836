"""The subject's own colour at its soft edge, free of what lies behind it.

At an edge the camera saw I = a F + (1 - a) B. With the picture behind, B, known or filled, F follows; it is held near
the subject's colour further in, since the division is unsafe where a is small.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled
from kalyptra.core.pull_push import fill

SOLID = 0.95
"""From this coverage on, a pixel's colour is taken as the subject's own."""
MARGIN = 8
"""Px around the matte that the estimate needs."""


def own_colour(
    picture: NDArray[np.float32], matte: NDArray[np.float32], behind: NDArray[np.float32]
) -> NDArray[np.float32]:
    """Estimate the subject's colour wherever its matte reaches, in the window around it.

    Args:
        picture: (height, width, 3) linear light, what the camera saw.
        matte: (height, width) coverage, 0 to 1.
        behind: (height, width, 3) linear light, the picture behind the subject.

    Returns:
        (height, width, 3) linear light, not negative: the picture's where the matte is 1.
    """
    colour = picture.copy()
    inner = fill(picture, (matte >= SOLID).astype(np.float32))
    _correct(picture, matte, behind, inner, np.float32(SOLID), colour)
    return colour


@compiled
def _correct(seen, matte, behind, inner, solid, out):  # type: ignore[no-untyped-def]
    """F = inner + what the pixel says beyond that model, weighed by the matte."""
    for y in range(matte.shape[0]):
        for x in range(matte.shape[1]):
            a = matte[y, x]
            if a < solid:
                for c in range(3):
                    f = inner[y, x, c]
                    corrected = f + a * (seen[y, x, c] - a * f - (1 - a) * behind[y, x, c])
                    out[y, x, c] = max(corrected, np.float32(0))
