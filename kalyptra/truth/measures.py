"""How near a result is to its truth.

J is region similarity as in Perazzi et al., A benchmark dataset and evaluation methodology for video object
segmentation, CVPR 2016.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core import coverage_of


def overlap(matte: NDArray[Any], truth: NDArray[np.float32]) -> float:
    """J of 8-bit codes of any size and a truth."""
    mine = cv2.resize(coverage_of(matte), truth.shape[::-1], interpolation=cv2.INTER_LINEAR) > 0.5
    true = truth > 0.5
    either = int((mine | true).sum())
    return float((mine & true).sum() / either) if either else 1.0


def psnr(a: NDArray[Any], b: NDArray[Any], where: NDArray[np.bool_]) -> float:
    """Peak signal-to-noise ratio of codes, dB."""
    difference = (a.astype(np.float64) - b)[where]
    return float(10 * np.log10(255**2 / np.mean(np.square(difference))))
