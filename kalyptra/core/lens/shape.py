"""Shapes into which a point is spread where a lens is not wanted, or does not do the same everywhere."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.lens.iris import (
    FINE,
    POINT,
    RIMS,
    Ends,
    add_centred,
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
    spans = [ends_of_spans(*_cut_spans(shape, radius * share)[:2], light) for share, light in rim_of(shape)]
    rows, columns, weights = (np.concatenate([part[i] for part in spans]) for i in range(3))
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
    left, right, columns = _cut_spans(shape, radius)
    pixels = np.arange(-columns, columns + 1)
    covered = np.minimum(right[..., None], pixels + 0.5) - np.maximum(left[..., None], pixels - 0.5)
    kernel = np.clip(covered, 0, 1).mean(axis=1)
    return np.asarray(kernel / max(kernel.sum(), 1e-9))


def _cut_spans(shape: Shape, radius: float) -> tuple[NDArray[np.float64], NDArray[np.float64], int]:
    """Left and right end of each line within a row: those of the iris and of the rim, whichever is further in."""
    reach = reach_of(shape.iris, math.ceil(radius))
    lines = (np.arange(-reach, reach + 1)[:, None] + (np.arange(FINE) + 0.5) / FINE - 0.5) / radius
    low, high = _sides(shape.iris, lines)
    angle = math.radians(shape.angle)
    x, y = -shape.cut * math.cos(angle), -shape.cut * math.sin(angle)
    half = np.sqrt(np.maximum(1 - (lines - y) ** 2, 0))
    inside = np.abs(lines - y) < 1
    left, right = np.maximum(low, x - half), np.minimum(high, x + half)
    empty = ~inside | (left >= right)
    return np.where(empty, 0, left) * radius, np.where(empty, 0, right) * radius, reach


def _sides(iris: Iris, lines: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Left and right ends of lines of an iris of unit radius; empty ones end before they begin."""
    y, left, right = unit_rows(iris)
    outside = (lines <= y[0]) | (lines >= y[-1])
    ends = [np.interp(lines, y, side) for side in (left, right)]
    return np.where(outside, 1.0, ends[0]), np.where(outside, -1.0, ends[1])
