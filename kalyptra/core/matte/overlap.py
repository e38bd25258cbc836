"""How alike two mattes are."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def overlap(a: NDArray[np.float32], b: NDArray[np.float32]) -> float:
    """The part of what either covers that both cover, 0 to 1; of two that are empty, 1. Source: Jaccard, 1912."""
    either = float(np.maximum(a, b).sum())
    return float(np.minimum(a, b).sum()) / either if either > 0 else 1.0
