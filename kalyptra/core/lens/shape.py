"""Shapes into which a point is spread where a lens is not wanted, or does not do the same everywhere."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled
from kalyptra.core.lens.iris import (
    FINE,
    POINT,
    RIMS,
    Ends,
    add_centred,
    covered_by,
    derivative,
    ends_of,
    ends_of_spans,
    reach_of,
    unit_rows,
)
from kalyptra.core.setup.document.blur import BlurKind
from kalyptra.core.setup.document.setup import Iris, Rim

EXACT = 3.0
"""Px of the radius up to which a cut iris follows the exact coverage of each pixel."""
LINES = 8
"""Samples of a pixel in each direction, of a line that is spread."""
GAUSSIAN_REACH = 3.0
"""Standard deviations at which a Gaussian ends."""


@dataclass(frozen=True)
class Shape:
    """What a point becomes.

    Attributes:
        angle: degrees clockwise from the right: of a line, or of the side that is cut off.
        cut: how far a rim as large as the iris is moved across it, in radii; 0 leaves the iris whole.
        rim: brighter above 0, softer below, by how light spreads from the middle outwards; 0 is the iris' own.
    """

    iris: Iris
    kind: BlurKind = BlurKind.LENS
    angle: float = 0.0
    cut: float = 0.0
    rim: float = 0.0


def shape_ends(shape: Shape, radius: float) -> Ends:
    """Where a shape begins and ends, row by row, as `iris.ends_of` has it of an iris."""
    if shape.kind is BlurKind.LENS and shape.cut == 0:
        if shape.rim == 0:
            return ends_of(shape.iris, radius)
        parts = [
            ends_of(shape.iris.model_copy(update={"rim": Rim.EVEN}), radius * share, light)
            for share, light in rim_of(shape)
        ]
        rows, columns, weights = (np.concatenate([part[i] for part in parts]) for i in range(3))
        return rows, columns, weights
    if shape.kind is not BlurKind.LENS or radius <= EXACT:
        return derivative(shape_kernel(shape, radius))
    parts = [ends_of_spans(*_cut_spans(shape, radius * share)[:2], light) for share, light in rim_of(shape)]
    rows, columns, weights = (np.concatenate([part[i] for part in parts]) for i in range(3))
    return rows, columns, weights


def rim_of(shape: Shape) -> tuple[tuple[float, float], ...]:
    """A sum of even shapes: shares of the radius and of the light."""
    if shape.rim == 0:
        return RIMS[shape.iris.rim]
    other = RIMS[Rim.BRIGHT if shape.rim > 0 else Rim.SOFT]
    strength = abs(shape.rim)
    return tuple((share, light * strength + (1 - strength) * (1.0 if share == 1.0 else 0.0)) for share, light in other)


def shape_kernel(shape: Shape, radius: float) -> NDArray[np.float64]:
    """The share of a point's light that each pixel gets: (rows, columns), odd sides, sum 1.

    A Gaussian has the variance of a disc of that radius; a line is twice as long as the radius, and a pixel wide.
    """
    if radius < POINT:
        return np.ones((1, 1))
    if shape.kind is BlurKind.LENS:
        total = np.zeros((1, 1))
        for share, light in rim_of(shape):
            total = add_centred(total, _cut_kernel(shape, radius * share) * light)
        return total
    if shape.kind is BlurKind.GAUSSIAN:
        deviation = radius / 2
        reach = math.ceil(GAUSSIAN_REACH * deviation)
        bell = np.exp(-(np.arange(-reach, reach + 1) ** 2) / (2 * deviation**2))
        kernel = np.outer(bell, bell)
    else:
        kernel = _line_kernel(math.radians(shape.angle), radius)
    return np.asarray(kernel / kernel.sum())


def _line_kernel(angle: float, radius: float) -> NDArray[np.float64]:
    reach = math.ceil(radius + 1)
    at = (np.arange((2 * reach + 1) * LINES) + 0.5) / LINES - reach - 0.5
    along = at[None, :] * math.cos(angle) + at[:, None] * math.sin(angle)
    across = at[:, None] * math.cos(angle) - at[None, :] * math.sin(angle)
    inside = ((np.abs(along) <= radius) & (np.abs(across) <= 0.5)).astype(np.float64)
    side = 2 * reach + 1
    return np.asarray(inside.reshape(side, LINES, side, LINES).mean(axis=(1, 3)), np.float64)


def _cut_kernel(shape: Shape, radius: float) -> NDArray[np.float64]:
    """An iris that a rim of its size covers in part."""
    if radius < POINT:
        return np.ones((1, 1))
    kernel = covered_by(*_cut_spans(shape, radius))
    return np.asarray(kernel / max(kernel.sum(), 1e-9))


def _cut_spans(shape: Shape, radius: float) -> tuple[NDArray[np.float64], NDArray[np.float64], int]:
    """Left and right end of each line within a row: those of the iris and of the rim, whichever is further in."""
    reach, angle = reach_of(shape.iris, math.ceil(radius)), math.radians(shape.angle)
    left, right = np.zeros((2, 2 * reach + 1, FINE))
    _cut(*unit_rows(shape.iris), -shape.cut * math.cos(angle), -shape.cut * math.sin(angle), radius, left, right)
    return left, right, reach


@compiled
def _cut(ys, lows, highs, x, y, radius, left, right):  # type: ignore[no-untyped-def]
    """The same, of an iris (`iris.unit_rows`) and a rim around (x, y); a line that is empty stays as it is.

    A lens has hundreds of shapes, each in many sizes.
    """
    top, foot, last, reach = ys[0], ys[-1], ys.size - 1, left.shape[0] // 2
    for row in range(left.shape[0]):
        for fine in range(FINE):
            line = (row - reach + (fine + 0.5) / FINE - 0.5) / radius
            if line <= top or line >= foot or abs(line - y) >= 1:
                continue
            # Where it lies between the rows of the iris, which are dense near the top and the foot.
            turn = math.acos(min(max(((top + foot) / 2 - line) / ((foot - top) / 2), -1.0), 1.0))
            k = min(int(turn / math.pi * last), last - 1)
            share = (line - ys[k]) / (ys[k + 1] - ys[k])
            half = math.sqrt(1 - (line - y) ** 2)
            low = max(lows[k] + share * (lows[k + 1] - lows[k]), x - half)
            high = min(highs[k] + share * (highs[k + 1] - highs[k]), x + half)
            if low < high:
                left[row, fine], right[row, fine] = low * radius, high * radius
