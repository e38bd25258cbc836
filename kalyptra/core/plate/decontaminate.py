"""The subject's own colour at its soft edge, free of what lies behind it.

At an edge the camera saw I = a F + (1 - a) B. With the picture behind, B, known or filled, F follows; it is held near
the subject's colour further in, since the division is unsafe where a is small.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.plate.fill import fill
from kalyptra.core.plate.window import window_of

SOLID = 0.95
"""From this coverage on, a pixel's colour is taken as the subject's own."""
SEEN = 1 / 512
"""Below this coverage a subject adds nothing that 8 bits could show."""
MARGIN = 8
"""Px around the matte that the estimate needs."""


def own_colour(
    picture: NDArray[np.float32], matte: NDArray[np.float32], behind: NDArray[np.float32]
) -> NDArray[np.float32]:
    """Estimate the subject's colour wherever its matte reaches.

    Args:
        picture: (height, width, 3) linear light, what the camera saw.
        matte: (height, width) coverage, 0 to 1.
        behind: (height, width, 3) linear light, the picture behind the subject.

    Returns:
        (height, width, 3) linear light, not negative; equals the picture where the matte is 1.
    """
    window = window_of((matte > SEEN).astype(np.uint8), MARGIN)
    if window is None:
        return picture
    seen, a, back = picture[window], matte[window][..., None], behind[window]
    inner = fill(seen, (a[..., 0] >= SOLID).astype(np.float32))
    # F = inner + what the pixel says beyond that model, weighed by a.
    corrected = inner + a * (seen - a * inner - (1 - a) * back)
    colour = picture.copy()
    colour[window] = np.maximum(np.where(a >= SOLID, seen, corrected), np.float32(0))
    return colour
