"""The blur of a layer: small irises at full size, larger ones at half size, still larger ones at a quarter, and so on,
with a smooth split between each two."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled
from kalyptra.core.lens.by_place import MOST_SHIFT, ByPlace
from kalyptra.core.lens.even import spread_evenly
from kalyptra.core.lens.scatter import Flat, Layer, scatter
from kalyptra.core.setup.document.setup import Iris

NEGLIGIBLE = 0.5
"""Radius in px up to which a disc lies within its pixel and nothing is spread."""


@dataclass(frozen=True)
class Setting:
    """How carefully to blur: up to `full` px of radius an iris is spread at a size, from `half` px on at half of it."""

    full: float
    half: float


PREVIEW = Setting(full=2.0, half=3.5)
FINAL = Setting(full=4.5, half=6.5)

EVEN = 1e-3
"""Px between the largest and the least radius up to which they count as one."""
SCALING_BLUR = 1.0
"""What halving and doubling a picture adds to the square of a disc's radius, px^2; taken off before. Chosen where the
error against spreading at full size is least."""


def blur(flat: Flat, spread: Iris | ByPlace, setting: Setting) -> Layer:
    """Spread every pixel over its own iris: (height, width, 4) premultiplied linear light and coverage."""
    out = np.empty((*flat.radius.shape, 4), np.float32)
    blur_into(out, flat, spread, setting)
    return out


def blur_into(out: NDArray[np.float32], flat: Flat, spread: Iris | ByPlace, setting: Setting) -> None:
    """Like `blur`; into three channels goes the light alone, no longer multiplied by coverage."""
    least, most, _, _ = cv2.minMaxLoc(flat.radius)
    if isinstance(spread, Iris) and most - least < EVEN:
        _spread_evenly(out, flat, most, spread)
        return
    largest, half_as_large = min(most, setting.half), spread
    if isinstance(spread, ByPlace):
        largest, half_as_large = largest + min(abs(spread.shift) / 2, MOST_SHIFT), spread.halved()
    coarse = blur(_halve(flat, setting), half_as_large, setting) if most > setting.full else None
    scatter(flat, spread, largest, setting.full, setting.half, coarse, out)


def _spread_evenly(out: NDArray[np.float32], flat: Flat, radius: float, iris: Iris) -> None:
    if flat.coverage is None and out.shape[2] == 3:
        out[:] = spread_evenly(flat.light, radius, iris, SCALING_BLUR)
        return
    coverage = np.ones(flat.radius.shape, np.float32) if flat.coverage is None else flat.coverage
    light = flat.light if flat.premultiplied else flat.light * coverage[..., None]
    layer = spread_evenly(np.dstack([light, coverage]), radius, iris, SCALING_BLUR)
    out[:] = layer if out.shape[2] == 4 else layer[..., :3] / np.maximum(layer[..., 3:], np.float32(1e-4))


def _halve(flat: Flat, setting: Setting) -> Flat:
    """The share of a layer that has large irises, at half the size: each pixel is the mean of four; an odd last row or
    column counts twice."""
    height, width = flat.radius.shape
    layer = np.empty(((height + 1) // 2, (width + 1) // 2, 4), np.float32)
    radius = np.empty(layer.shape[:2], np.float32)
    slope = np.float32(1 / (setting.half - setting.full))
    coverage = np.broadcast_to(np.float32(1), (height, width)) if flat.coverage is None else flat.coverage
    _halve_into(flat.light, coverage, flat.premultiplied, flat.radius, np.float32(setting.half), slope,
                np.float32(SCALING_BLUR), layer, radius)  # fmt: skip
    sides = flat.sides.halved(SCALING_BLUR) if flat.sides else None
    return Flat(layer[..., :3], layer[..., 3], True, radius, sides)


@compiled
def _halve_into(light, coverage, premultiplied, radius, half, slope, scaling_blur, layer, radii):  # type: ignore[no-untyped-def]
    height, width = radius.shape
    zero, one, quarter = np.float32(0), np.float32(1), np.float32(0.25)
    for v in range(layer.shape[0]):
        for u in range(layer.shape[1]):
            a, b, c, d, r = zero, zero, zero, zero, zero
            for j in range(2):
                y = min(2 * v + j, height - 1)
                for i in range(2):
                    x = min(2 * u + i, width - 1)
                    s = radius[y, x]
                    far = one - min(max((half - s) * slope, zero), one)
                    w = coverage[y, x] * far
                    shown = far if premultiplied else w
                    a += light[y, x, 0] * shown
                    b += light[y, x, 1] * shown
                    c += light[y, x, 2] * shown
                    d += w
                    r += s
            layer[v, u, 0] = a * quarter
            layer[v, u, 1] = b * quarter
            layer[v, u, 2] = c * quarter
            layer[v, u, 3] = d * quarter
            r *= quarter
            radii[v, u] = np.float32(0.5) * np.sqrt(max(r * r - scaling_blur, zero))
