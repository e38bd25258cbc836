"""A curve over the distances of a source: more of them stays at one end, or falls away sooner at the other."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

STEPS = 1024


@dataclass(frozen=True)
class Toned:
    """A curve over a range.

    Attributes:
        points: from left to right, each from 0 to 1 in both; 0 is the far end.
        low, high: dioptres of the far and of the near end.
    """

    points: tuple[tuple[float, float], ...]
    low: float
    high: float

    @cached_property
    def table(self) -> NDArray[np.float32]:
        """Dioptres for even steps over the range. Between points it is smooth and never overshoots.

        Source: F. N. Fritsch, R. E. Carlson, Monotone Piecewise Cubic Interpolation (1980), as SciPy has it.
        """
        from scipy.interpolate import PchipInterpolator  # half of what the core takes to load, and seldom needed

        x, y = (np.array(axis) for axis in zip(*self.points, strict=True))
        at = np.clip(np.linspace(0, 1, STEPS + 1), x[0], x[-1])
        return np.asarray(self.low + (self.high - self.low) * PchipInterpolator(x, y)(at), np.float32)


def toned(dioptres: NDArray[np.float32], curve: Toned) -> NDArray[np.float32]:
    """Dioptres after a curve; what lies beyond the range counts as its end."""
    if curve.high - curve.low < 1e-9:
        return dioptres
    at = (dioptres - np.float32(curve.low)) * np.float32(STEPS / (curve.high - curve.low))
    return curve.table[np.clip(np.round(at), 0, STEPS).astype(np.int32)]
