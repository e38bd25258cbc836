"""The blur of a layer: small irises at full size, larger ones at half size, still larger ones at a quarter, and so on,
with a smooth split between each two."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled
from kalyptra.core.lens.scatter import Layer, scatter
from kalyptra.core.setup.document import Iris

NEGLIGIBLE = 0.5
"""Radius in px up to which a disc lies within its pixel and nothing is spread."""


@dataclass(frozen=True)
class Setting:
    """How carefully to blur: up to `full` px of radius an iris is spread at a size, from `half` px on at half of it."""

    full: float
    half: float


PREVIEW = Setting(full=2.5, half=4.0)
FINAL = Setting(full=5.0, half=7.0)

SCALING_BLUR = 1.0
"""What halving and doubling a picture adds to the square of a disc's radius, px^2; taken off before. Chosen where the
error against spreading at full size is least."""


def blur(
    light: NDArray[np.float32],
    coverage: NDArray[np.float32],
    radius: NDArray[np.float32],
    iris: Iris,
    setting: Setting,
) -> Layer:
    """Spread every pixel of a layer over its own iris.

    Args:
        light: (height, width, 3) linear light, not multiplied by its coverage.
        coverage: (height, width) 0 to 1.
        radius: (height, width) px, not negative.

    Returns:
        (height, width, 4) premultiplied linear light and coverage.
    """
    return _blur(light, coverage, False, radius, iris, setting)


def _blur(
    light: NDArray[np.float32],
    coverage: NDArray[np.float32],
    premultiplied: bool,
    radius: NDArray[np.float32],
    iris: Iris,
    setting: Setting,
) -> Layer:
    least, most, _, _ = cv2.minMaxLoc(radius)
    height, width = radius.shape
    small = np.empty((height, width, 4), np.float32)
    large = np.empty(((height + 1) // 2, (width + 1) // 2, 4), np.float32)
    radii = np.empty(large.shape[:2], np.float32)
    half, slope = np.float32(setting.half), np.float32(1 / (setting.half - setting.full))
    _split(light, coverage, premultiplied, radius, half, slope, np.float32(SCALING_BLUR), small, large, radii)
    if most > NEGLIGIBLE and least < setting.half:
        small = scatter(small, np.minimum(radius, half), iris)
    if most <= setting.full:
        return small
    halved = _blur(large[..., :3], large[..., 3], True, radii, iris, setting)
    doubled: Layer = cv2.resize(halved, (width, height), interpolation=cv2.INTER_CUBIC)
    if least < setting.half:
        cv2.add(doubled, small, dst=doubled)
    return doubled


@compiled
def _split(light, coverage, premultiplied, radius, half, slope, scaling_blur, small, large, radii):  # type: ignore[no-untyped-def]
    """Share a layer between a part of its size and one of half its size, both premultiplied.

    Each pixel of the half size is the mean of four; an odd last row or column counts twice.
    """
    height, width = radius.shape
    zero, one, quarter = np.float32(0), np.float32(1), np.float32(0.25)
    for v in range(large.shape[0]):
        for u in range(large.shape[1]):
            a, b, c, d, r = zero, zero, zero, zero, zero
            for j in range(2):
                y = min(2 * v + j, height - 1)
                for i in range(2):
                    x = min(2 * u + i, width - 1)
                    w, s = coverage[y, x], radius[y, x]
                    near = min(max((half - s) * slope, zero), one)
                    far = one - near
                    shown = one if premultiplied else w
                    p, q, t = light[y, x, 0] * shown, light[y, x, 1] * shown, light[y, x, 2] * shown
                    small[y, x, 0] = near * p
                    small[y, x, 1] = near * q
                    small[y, x, 2] = near * t
                    small[y, x, 3] = near * w
                    a += far * p
                    b += far * q
                    c += far * t
                    d += far * w
                    r += s
            large[v, u, 0] = a * quarter
            large[v, u, 1] = b * quarter
            large[v, u, 2] = c * quarter
            large[v, u, 3] = d * quarter
            r *= quarter
            radii[v, u] = np.float32(0.5) * np.sqrt(max(r * r - scaling_blur, zero))
