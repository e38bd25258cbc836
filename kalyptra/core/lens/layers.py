"""Layers through the lens: the ground with all its distances, and subjects laid over it from far to near."""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled
from kalyptra.core.lens.blur import NEGLIGIBLE, Setting, blur
from kalyptra.core.lens.iris import reach_of
from kalyptra.core.setup.document import Iris

Light = NDArray[np.float32]
STEP_OF_NEARNESS = 0.02
"""Share of a subject's dioptres by which ground must be nearer to lie wholly before it."""


def see_ground(light: Light, coc: NDArray[np.float32], iris: Iris, setting: Setting) -> Light:
    """The picture that fills the frame, as the lens sees it.

    Args:
        light: (height, width, 3) linear light.
        coc: (height, width) signed diameter of each pixel's disc, px.

    Returns:
        (height, width, 3) linear light, an array of its own.
    """
    radius = np.abs(coc) * np.float32(0.5)
    if float(radius.max()) <= NEGLIGIBLE:
        return light.copy()
    spread = blur(light, np.ones(light.shape[:2], np.float32), radius, iris, setting)
    out = np.empty_like(light)
    _divide(spread, out)
    return out


def lay_over(
    ground: Light, colour: Light, matte: NDArray[np.float32], coc: NDArray[np.float32], iris: Iris, setting: Setting
) -> None:
    """Lay a subject over what lies behind it, in place. Out of focus it spreads over its surroundings.

    Args:
        ground: (height, width, 3) linear light; changed.
        colour: (height, width, 3) the subject's own colour.
        matte: (height, width) its coverage.
        coc: signed diameter of its discs in px: one number as a 0-d array, or (height, width).

    Source: T. Porter, T. Duff, Compositing Digital Images (1984), operator over, premultiplied.
    """
    radius = np.abs(coc) * np.float32(0.5)
    most = float(radius.max())
    left, top, width, height = cv2.boundingRect((matte > 0).astype(np.uint8))
    if width == 0:
        return
    reach = 0 if most <= NEGLIGIBLE else reach_of(iris, math.ceil(most)) + 4
    # Even corners: a part is halved just as the whole would be.
    rows = slice(max(0, top - reach) & ~1, min(matte.shape[0], top + height + reach))
    columns = slice(max(0, left - reach) & ~1, min(matte.shape[1], left + width + reach))
    here, own, a = ground[rows, columns], colour[rows, columns], matte[rows, columns]
    if most <= NEGLIGIBLE:
        _mix(own, a, here)
        return
    window = radius[rows, columns] if radius.ndim else np.full(a.shape, radius, np.float32)
    _over(blur(own, a, window, iris, setting), here)


def nearer_part(
    dioptres: NDArray[np.float32], subject: NDArray[np.float32], matte: NDArray[np.float32], reach: int
) -> NDArray[np.float32] | None:
    """Coverage of the ground that lies nearer than a subject and so spreads over it, as the floor before its feet does.

    Args:
        dioptres: (height, width) 1/m of the ground.
        subject: 1/m, one number as a 0-d array, or (height, width).
        matte: (height, width) the subject's coverage.
        reach: px that the largest disc of the ground reaches.

    Returns:
        (height, width) 0 to 1; None where no ground is nearer.
    """
    nearest = subject.max()
    if dioptres.max() <= nearest:
        return None
    left, top, width, height = cv2.boundingRect((matte > 0).astype(np.uint8))
    # Ground farther off than its own discs reach does not touch the subject.
    rows = slice(max(0, top - reach), top + height + reach)
    columns = slice(max(0, left - reach), left + width + reach)
    nearer = np.zeros(matte.shape, np.float32)
    step = nearest * np.float32(STEP_OF_NEARNESS)
    nearer[rows, columns] = np.clip((dioptres[rows, columns] - nearest) / step, 0, 1) * (1 - matte[rows, columns])
    return nearer


@compiled
def _divide(layer, out):  # type: ignore[no-untyped-def]
    """Light of a premultiplied layer."""
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            share = np.float32(1) / max(layer[y, x, 3], np.float32(1e-4))
            out[y, x, 0] = layer[y, x, 0] * share
            out[y, x, 1] = layer[y, x, 1] * share
            out[y, x, 2] = layer[y, x, 2] * share


@compiled
def _mix(colour, matte, ground):  # type: ignore[no-untyped-def]
    for y in range(ground.shape[0]):
        for x in range(ground.shape[1]):
            a = matte[y, x]
            if a > 0:
                for c in range(3):
                    ground[y, x, c] += a * (colour[y, x, c] - ground[y, x, c])


@compiled
def _over(layer, ground):  # type: ignore[no-untyped-def]
    for y in range(ground.shape[0]):
        for x in range(ground.shape[1]):
            rest = max(np.float32(1) - layer[y, x, 3], np.float32(0))
            if rest < 1:
                ground[y, x, 0] = layer[y, x, 0] + rest * ground[y, x, 0]
                ground[y, x, 1] = layer[y, x, 1] + rest * ground[y, x, 1]
                ground[y, x, 2] = layer[y, x, 2] + rest * ground[y, x, 2]
