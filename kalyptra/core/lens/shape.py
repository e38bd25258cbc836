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
    derivative,
    ends_of,
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
    parts = [_cut_ends(shape, radius * share, light) for share, light in rim_of(shape)]
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
    reach = reach_of(shape.iris, math.ceil(radius))
    kernel = np.zeros((2 * reach + 1, 2 * reach + 1))
    _cover(*unit_rows(shape.iris), *_cut_off(shape), radius, kernel)
    return np.asarray(kernel / max(kernel.sum(), 1e-9))


def _cut_ends(shape: Shape, radius: float, light: float) -> Ends:
    """Two shared ends a row, as `iris.ends_of_spans` has them of whole irises."""
    reach = reach_of(shape.iris, math.ceil(radius))
    places, weights = np.zeros((4 * (2 * reach + 1), 2), np.int64), np.zeros(4 * (2 * reach + 1))
    count = _span_ends(*unit_rows(shape.iris), *_cut_off(shape), radius, reach, places, weights)
    rows, columns = places[:count].T
    weights = weights[:count]
    return rows, columns, weights * light / -(weights * columns).sum()


def _cut_off(shape: Shape) -> tuple[float, float]:
    """Where the middle of the rim lies that covers an iris in part, in radii."""
    angle = math.radians(shape.angle)
    return -shape.cut * math.cos(angle), -shape.cut * math.sin(angle)


# Both go along the lines within each row of pixels; the ends of a line are those of the iris (`iris.unit_rows`: ys,
# lows, highs) and of the rim around (x, y), whichever is further in. A lens has hundreds of shapes, each in many sizes.


@compiled
def _cover(ys, lows, highs, x, y, radius, kernel):  # type: ignore[no-untyped-def]
    """Add to each pixel of a kernel the share of it that is covered."""
    reach = kernel.shape[0] // 2
    top, foot, last = ys[0], ys[-1], ys.size - 1
    for row in range(kernel.shape[0]):
        for fine in range(FINE):
            line = (row - reach + (fine + 0.5) / FINE - 0.5) / radius
            if line <= top or line >= foot or abs(line - y) >= 1:
                continue
            turn = math.acos(min(max(((top + foot) / 2 - line) / ((foot - top) / 2), -1.0), 1.0))
            k = min(int(turn / math.pi * last), last - 1)
            share = (line - ys[k]) / (ys[k + 1] - ys[k])
            half = math.sqrt(1 - (line - y) ** 2)
            left = max(lows[k] + share * (lows[k + 1] - lows[k]), x - half) * radius
            right = min(highs[k] + share * (highs[k + 1] - highs[k]), x + half) * radius
            for pixel in range(-reach, reach + 1):
                covered = min(right, pixel + 0.5) - max(left, pixel - 0.5)
                kernel[row, pixel + reach] += min(max(covered, 0.0), 1.0) / FINE


@compiled
def _span_ends(ys, lows, highs, x, y, radius, reach, places, weights):  # type: ignore[no-untyped-def]
    """The mean ends of each row, each shared by two pixels; returns how many there are of them."""
    top, foot, last = ys[0], ys[-1], ys.size - 1
    count = 0
    for row in range(-reach, reach + 1):
        first, second, lines = 0.0, 0.0, 0
        for fine in range(FINE):
            line = (row + (fine + 0.5) / FINE - 0.5) / radius
            if line <= top or line >= foot or abs(line - y) >= 1:
                continue
            turn = math.acos(min(max(((top + foot) / 2 - line) / ((foot - top) / 2), -1.0), 1.0))
            k = min(int(turn / math.pi * last), last - 1)
            share = (line - ys[k]) / (ys[k + 1] - ys[k])
            half = math.sqrt(1 - (line - y) ** 2)
            left = max(lows[k] + share * (lows[k + 1] - lows[k]), x - half)
            right = min(highs[k] + share * (highs[k + 1] - highs[k]), x + half)
            if left < right:
                first, second, lines = first + left * radius, second + right * radius, lines + 1
        if lines == 0:
            continue
        for side in range(2):
            end = (second if side else first) / lines + 0.5
            whole, weight = math.floor(end), (-1.0 if side else 1.0) * lines / FINE
            for on in range(2):
                places[count, 0], places[count, 1] = row, whole + on
                weights[count] = weight * (end - whole if on else 1 - (end - whole))
                count += 1
    return count
