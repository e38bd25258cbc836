"""The network that weighs what is known of each pixel: `weigh.onnx` beside this file; MODEL.md says how it was trained.

It runs on one thread, so that its bytes are the same on every run.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.log_odds import expit
from kalyptra.core.onnx_session import session_of

FILE = Path(__file__).with_name("weigh.onnx")
MULTIPLE = 16
"""Px that the sides of what the network looks at must be a multiple of."""


def weighed(planes: NDArray[np.float32]) -> NDArray[np.float32]:
    """(height, width) the subject's share of each pixel, 0 to 1, from (planes, height, width)."""
    height, width = planes.shape[1:]
    odds = session_of(FILE).run(None, {"planes": roomy(planes)[None]})[0][0, 0, :height, :width]
    return np.asarray(expit(odds), np.float32)


def roomy(planes: NDArray[np.float32]) -> NDArray[np.float32]:
    """Planes with their edges repeated until the network can take them."""
    height, width = planes.shape[1:]
    return np.pad(planes, ((0, 0), (0, -height % MULTIPLE), (0, -width % MULTIPLE)), mode="edge")
