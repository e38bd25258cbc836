"""The iris: the shape into which the lens spreads a point, as taps for the scatter.

A shape is convex, so every row of it is one span. The scatter works on the horizontal derivative of the picture, where
a span is a plus at its left end and a minus at its right end; an end between two pixels is shared by both. So an iris
of radius R is a short list of taps, about eight a row, however large its area.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled
from kalyptra.core.setup.document.setup import Iris, Rim

STEPS_PER_PIXEL = 16
"""Taps are kept for radii every 1/16 px."""
POINT = 0.5
"""A disc up to this radius lies within its pixel."""
EXACT_ROUND, EXACT_STRAIGHT = 4.5, 6.0
"""Up to this radius taps follow the exact coverage of each pixel, above it the mean ends of each row: for a disc, and
for shapes whose straight edges may lie along the rows."""
FINE = 16
"""Lines within a row of pixels."""


# A rim that is brighter or softer than the middle, as a sum of even shapes: (share of the radius, share of the light).
RIMS: dict[Rim, tuple[tuple[float, float], ...]] = {
    Rim.EVEN: ((1.0, 1.0),),
    Rim.BRIGHT: ((1.0, 1.6), (0.86, -0.6)),
    Rim.SOFT: ((1.0, 0.4), (0.86, 0.3), (0.68, 0.3)),
}


@dataclass(frozen=True)
class Taps:
    """For each radius k/16 px: where to add how much of a pixel, in a flat picture of four channels.

    Attributes:
        start: (radii + 1,) taps of radius k are start[k] to start[k + 1].
        offset: floats from the pixel `reach` rows and columns up and left of the source.
        weight: what is added there, of a pixel of value 1.
        reach: px that the largest iris reaches, one more for shared ends.
    """

    start: NDArray[np.int64]
    offset: NDArray[np.int32]
    weight: NDArray[np.float32]
    reach: int


def outline(iris: Iris, points: int = 720) -> NDArray[np.float64]:
    """The iris' outline, (points, 2) as x and y, with the area of a unit disc."""
    angle = np.linspace(0, 2 * np.pi, points, endpoint=False)
    radius = np.ones_like(angle)
    if iris.blades >= 3:
        sector = 2 * np.pi / iris.blades
        straight = math.cos(sector / 2) / np.cos(angle % sector - sector / 2)
        radius = straight * (1 - iris.roundness) + iris.roundness
    angle = angle + math.radians(iris.turn)
    x, y = radius * np.cos(angle) / math.sqrt(iris.squeeze), radius * np.sin(angle) * math.sqrt(iris.squeeze)
    area = 0.5 * np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y)
    return np.stack([x, y], axis=1) * math.sqrt(np.pi / area)


def kernel(iris: Iris, radius: float) -> NDArray[np.float64]:
    """The share of a point's light that each pixel gets: (rows, columns), odd sides, sum 1."""
    total = np.zeros((1, 1))
    for share, light in RIMS[iris.rim]:
        if radius * share < POINT:
            kernel = np.ones((1, 1))
        else:
            kernel = covered_by(*_spans(iris, radius * share))
            kernel /= kernel.sum()
        total = add_centred(total, kernel * light)
    return total


def covered_by(left: NDArray[np.float64], right: NDArray[np.float64], columns: int) -> NDArray[np.float64]:
    """(rows, 2 * columns + 1) the share of each pixel that lies between the ends of the lines in its row.

    Args:
        left, right: (rows, FINE) ends of the lines of each row, px from the centre; empty where they are equal.
        columns: px to either side of the centre.
    """
    kernel = np.zeros((len(left), 2 * columns + 1))
    _cover(left, right, kernel)
    return kernel


@compiled
def _cover(left, right, kernel):  # type: ignore[no-untyped-def]
    columns = kernel.shape[1] // 2
    for row in range(kernel.shape[0]):
        for line in range(FINE):
            for pixel in range(-columns, columns + 1):
                covered = min(right[row, line], pixel + 0.5) - max(left[row, line], pixel - 0.5)
                kernel[row, pixel + columns] += min(max(covered, 0.0), 1.0) / FINE


@lru_cache(maxsize=256)
def reach_of(iris: Iris, radius: float) -> int:
    """Px that an iris of this radius reaches, sideways or up and down."""
    return math.ceil(radius * float(np.abs(outline(iris)).max()) + 0.5) + 1


def taps(iris: Iris, max_radius: int, stride: int) -> Taps:
    """Taps for every radius up to `max_radius` px.

    Args:
        stride: px from one row of the flat picture to the next.
    """
    # The ends are kept, not their places: every window of a picture has a stride of its own.
    start, rows, columns, weight = _ends_to(iris, max_radius)
    reach = reach_of(iris, max_radius)
    return Taps(start, ((rows + reach) * stride + columns + reach) * 4, weight, reach)


@lru_cache(maxsize=24)
def _ends_to(
    iris: Iris, max_radius: int
) -> tuple[NDArray[np.int64], NDArray[np.int32], NDArray[np.int32], NDArray[np.float32]]:
    """Where the ends of each radius begin in the lists, and their rows, columns and weights, row by row."""
    start, ends = [0], []
    for k in range(max_radius * STEPS_PER_PIXEL + 2):
        rows, columns, weight = ends_of(iris, k / STEPS_PER_PIXEL)
        order = np.argsort(rows, kind="stable")
        ends.append((rows[order], columns[order], weight[order]))
        start.append(start[-1] + len(rows))
    rows, columns, weight = (np.concatenate(part) for part in zip(*ends, strict=True))
    return np.array(start, np.int64), rows.astype(np.int32), columns.astype(np.int32), weight.astype(np.float32)


Ends = tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float64]]
"""Rows, columns and weights of the ends of an iris, in px from its centre."""


def ends_of(iris: Iris, radius: float, light: float = 1.0) -> Ends:
    """Where an iris of one radius begins and ends, row by row, and how much of a point begins or ends there.

    Args:
        light: how much there is of the point.
    """
    if radius <= (EXACT_STRAIGHT if iris.blades else EXACT_ROUND):
        return derivative(kernel(iris, radius) * light)
    parts = [_span_taps(iris, radius * share, light * part) for share, part in RIMS[iris.rim]]
    rows, columns, weights = (np.concatenate([part[i] for part in parts]) for i in range(3))
    return rows, columns, weights


def derivative(shares: NDArray[np.float64]) -> Ends:
    """The ends of any shape: what changes from pixel to pixel along its rows."""
    rows, columns = shares.shape
    change = np.zeros((rows, columns + 1))
    change[:, :-1] += shares
    change[:, 1:] -= shares
    y, x = np.nonzero(np.abs(change) > 1e-7 * np.abs(change).max())
    return y - rows // 2, x - columns // 2, change[y, x]


def _span_taps(iris: Iris, radius: float, light: float) -> Ends:
    left, right, _ = _spans(iris, radius)
    return ends_of_spans(left, right, light)


def ends_of_spans(left: NDArray[np.float64], right: NDArray[np.float64], light: float) -> Ends:
    """Two shared ends a row: the mean of the ends of the lines within it, weighed by how many there are.

    Args:
        left, right: (rows, FINE) ends of the lines of each row, px from the centre; empty where they are equal.
        light: what all of it comes to.
    """
    places, weights = np.zeros((4 * len(left), 2), np.int64), np.zeros(4 * len(left))
    count = _mean_ends(left, right, places, weights)
    rows, columns = places[:count].T
    weights = weights[:count]
    return rows, columns, weights * light / -(weights * columns).sum()


@compiled
def _mean_ends(left, right, places, weights):  # type: ignore[no-untyped-def]
    """The mean ends of the lines of each row, each shared by two pixels; returns how many there are of them."""
    count = 0
    for row in range(left.shape[0]):
        first, second, lines = 0.0, 0.0, 0
        for line in range(FINE):
            if right[row, line] > left[row, line]:
                first, second, lines = first + left[row, line], second + right[row, line], lines + 1
        if lines == 0:
            continue
        for side in range(2):
            end = (second if side else first) / lines + 0.5
            whole, weight = math.floor(end), (-1.0 if side else 1.0) * lines / FINE
            for on in range(2):
                places[count, 0], places[count, 1] = row - left.shape[0] // 2, whole + on
                weights[count] = weight * (end - whole if on else 1 - (end - whole))
                count += 1
    return count


def _spans(iris: Iris, radius: float) -> tuple[NDArray[np.float64], NDArray[np.float64], int]:
    """Left and right end of each line: (rows, FINE) each, in px from the centre; and px that it reaches sideways."""
    y, left, right = unit_rows(iris)
    half_height, half_width = radius * y[-1], radius * float(max(-left.min(), right.max()))
    reach = math.ceil(half_height + 0.5)
    lines = (np.arange(-reach, reach + 1)[:, None] + (np.arange(FINE) + 0.5) / FINE - 0.5) / radius
    outside = (lines <= y[0]) | (lines >= y[-1])
    ends = [np.where(outside, 0, np.interp(lines, y, side) * radius) for side in (left, right)]
    return ends[0], ends[1], math.ceil(half_width + 0.5)


@lru_cache(maxsize=64)
def unit_rows(iris: Iris) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """The shape of unit radius by rows: y, and the ends left and right, dense near the top and the foot."""
    shape = outline(iris, 2880)
    top, foot = shape[:, 1].min(), shape[:, 1].max()
    y = (top + foot) / 2 - (foot - top) / 2 * np.cos(np.linspace(0, np.pi, 721))
    lowest, highest = int(np.argmin(shape[:, 1])), int(np.argmax(shape[:, 1]))
    around = np.roll(shape, -lowest, axis=0)
    turn = (highest - lowest) % len(shape)
    rising, falling = around[: turn + 1], np.concatenate([around[turn:], around[:1]])[::-1]
    sides = [np.interp(y, _increasing(side[:, 1]), side[:, 0]) for side in (rising, falling)]
    return y, np.minimum(*sides), np.maximum(*sides)


def _increasing(values: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.maximum.accumulate(values + np.arange(len(values)) * 1e-12)


def add_centred(a: NDArray[np.float64], b: NDArray[np.float64]) -> NDArray[np.float64]:
    """Two kernels, one upon the other."""
    rows, columns = (max(a.shape[i], b.shape[i]) for i in (0, 1))
    total = np.zeros((rows, columns))
    for half in (a, b):
        top, left = (rows - half.shape[0]) // 2, (columns - half.shape[1]) // 2
        total[top : top + half.shape[0], left : left + half.shape[1]] += half
    return total
