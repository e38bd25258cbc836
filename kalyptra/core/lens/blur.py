"""The blur of a layer: small irises at full size, large ones at half size, with a smooth split between them."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.lens.iris import Iris
from kalyptra.core.lens.scatter import Layer, scatter

NEGLIGIBLE = 0.5
"""Radius in px up to which a disc lies within its pixel and nothing is spread."""


@dataclass(frozen=True)
class Setting:
    """How carefully to blur: irises up to `full` px of radius are spread at full size, from `half` px on at half."""

    full: float
    half: float


PREVIEW = Setting(full=2.5, half=4.0)
FINAL = Setting(full=8.0, half=11.0)

SCALING_BLUR = 1.5
"""What halving and doubling a picture adds to the square of a disc's radius, px^2; taken off before. Chosen where the
error against spreading at full size is least."""


def blur(layer: Layer, radius: NDArray[np.float32], iris: Iris, setting: Setting) -> Layer:
    """Spread every pixel of a layer over its own iris.

    Args:
        layer: (height, width, 4) premultiplied linear RGB and coverage.
        radius: (height, width) px, not negative.

    Returns:
        The spread layer, same shape.
    """
    least, most = float(radius.min()), float(radius.max())
    if most <= NEGLIGIBLE:
        return layer
    if most <= setting.full:
        return scatter(layer, radius, iris)
    if least >= setting.half:
        return _at_half(layer, radius, iris)
    small = np.clip((setting.half - radius) / np.float32(setting.half - setting.full), 0, 1)
    sharp = layer * small[..., None]
    near = scatter(sharp, np.minimum(radius, np.float32(setting.half)), iris)
    cv2.subtract(layer, sharp, dst=sharp)
    return cv2.add(near, _at_half(sharp, radius, iris), dst=near)


def _at_half(layer: Layer, radius: NDArray[np.float32], iris: Iris) -> Layer:
    height, width = radius.shape
    half = ((width + 1) // 2, (height + 1) // 2)
    small = cv2.resize(layer, half, interpolation=cv2.INTER_AREA)
    radii = cv2.resize(radius, half, interpolation=cv2.INTER_AREA)
    radii = np.sqrt(np.maximum(radii * radii - np.float32(SCALING_BLUR), 0)) * np.float32(0.5)
    return cv2.resize(scatter(small, radii, iris), (width, height), interpolation=cv2.INTER_CUBIC)
