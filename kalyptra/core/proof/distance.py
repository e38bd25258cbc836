"""Distance in false colours, with lines of equal distance."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

PALETTE = np.array(
    [[24, 28, 58], [32, 66, 98], [36, 110, 116], [96, 150, 118], [176, 178, 112], [232, 198, 122], [250, 232, 190]],
    np.float32,
)
"""sRGB from far to near, ever lighter."""
STEPS = 256


def distance_view(dioptres: NDArray[np.float32], low: float, high: float) -> NDArray[np.uint8]:
    """Distances as colours, even in dioptres: the far end dark, the near one light.

    Args:
        dioptres: (height, width) 1/m.
        low, high: the dioptres of the palette's ends.

    Returns:
        (height, width, 3) sRGB codes.
    """
    share = (dioptres - np.float32(low)) * np.float32((STEPS - 1) / max(high - low, 1e-9))
    return np.asarray(palette()[np.clip(np.rint(share), 0, STEPS - 1).astype(np.uint8)], np.uint8)


def palette() -> NDArray[np.uint8]:
    """(256, 3) sRGB codes from the far end to the near one."""
    at = np.linspace(0, len(PALETTE) - 1, STEPS)
    channels = [np.interp(at, np.arange(len(PALETTE)), PALETTE[:, i]) for i in range(3)]
    return np.rint(np.stack(channels, axis=1)).astype(np.uint8)
