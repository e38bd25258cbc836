"""How alike two mattes are."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Matte = NDArray[np.float32] | NDArray[np.bool_]


def overlap(a: Matte, b: Matte) -> float:
    """The part of what either covers that both cover, 0 to 1; of two that are empty, 1. Source: Jaccard, 1912."""
    either = float(np.maximum(a, b).sum())
    return float(np.minimum(a, b).sum()) / either if either > 0 else 1.0
