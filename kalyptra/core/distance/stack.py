"""The distance map: what lies how far away, per pixel, in dioptres (1/m)."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray


def stack(
    size: tuple[int, int], backdrop: float, zones: Iterable[tuple[NDArray[np.float32], float]]
) -> NDArray[np.float32]:
    """Lay zones over the backdrop; soft mattes mix distances in dioptres.

    Args:
        size: (height, width) in px.
        backdrop: metres.
        zones: for each zone its matte (height, width), 0 to 1, and its distance in metres; later ones lie on top.

    Returns:
        (height, width) float32, 1/m.
    """
    dioptres = np.full(size, 1.0 / backdrop, np.float32)
    for matte, distance in zones:
        dioptres += matte * (np.float32(1.0 / distance) - dioptres)
    return dioptres
