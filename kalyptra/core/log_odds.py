"""Shares and their log odds. SciPy has the same as ufuncs; loading them takes a quarter of a second in each process."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def expit(odds: NDArray[np.float32]) -> NDArray[np.float32]:
    """Shares, 0 to 1, of log odds of any size, infinite ones too: the logistic function."""
    return np.asarray(0.5 + 0.5 * np.tanh(0.5 * odds), odds.dtype)


def logit(share: NDArray[np.float32]) -> NDArray[np.float32]:
    """Log odds of shares, 0 to 1; infinite at the ends."""
    with np.errstate(divide="ignore"):
        return np.asarray(np.log(share) - np.log1p(-share), share.dtype)
