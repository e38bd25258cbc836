"""Distances that change along straight lines or in ellipses, drawn as pixels.

A row of the picture crosses each piece of the way in one stretch (in ellipses: in two), so that no pixel has to look up
its piece: the cost does not go with the number of stops.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled
from kalyptra.core.distance.pieces import Pieces, of_band, of_stops
from kalyptra.core.setup.geometry.planes import PlaneAt
from kalyptra.core.setup.resolve.source import BandAt, LineAt, RoundAt

ABOVE_NOTHING: Pieces = np.array([(-np.inf, 0, 0, 0, 0, 0), (0, 1, 0, 1, 0, 0)], float)
"""What is below 0 is 0: beyond the horizon all is infinitely far."""

Drawing = tuple[bool, NDArray[np.float32], NDArray[np.float32]]
"""Whether it goes in ellipses; the way, (2, 3), by pixel centres of the picture; and the pieces along it."""


def drawing_of(shape: PlaneAt | LineAt | RoundAt | BandAt, scale: float) -> Drawing:
    """What a source draws in a picture of `scale` px for one px of the source."""
    match shape:
        case PlaneAt():
            return _drawing(False, [(shape.a, shape.b, shape.c)], ABOVE_NOTHING, scale)
        case LineAt():
            dx, dy = shape.end[0] - shape.start[0], shape.end[1] - shape.start[1]
            long = max(dx * dx + dy * dy, 1e-9)
            way = (dx / long, dy / long, -(dx * shape.start[0] + dy * shape.start[1]) / long)
            return _drawing(False, [way], of_stops(shape.stops), scale)
        case BandAt():
            turn = math.radians(shape.turn)
            x, y = -math.sin(turn), math.cos(turn)
            return _drawing(False, [(x, y, -(x * shape.centre[0] + y * shape.centre[1]))], of_band(shape), scale)
        case RoundAt():
            turn = math.radians(shape.turn)
            axes = [(math.cos(turn), math.sin(turn), shape.across), (-math.sin(turn), math.cos(turn), shape.down)]
            ways = [(x / r, y / r, -(x * shape.centre[0] + y * shape.centre[1]) / r) for x, y, r in axes]
            return _drawing(True, ways, of_stops(shape.stops), scale)


def _drawing(around: bool, ways: list[tuple[float, float, float]], pieces: Pieces, scale: float) -> Drawing:
    way = np.zeros((2, 3))
    for row, (a, b, c) in enumerate(ways):
        # Of pixel i, the middle lies at (i + 1/2) / scale px of the source.
        way[row] = a / scale, b / scale, c + (a + b) / 2 / scale
    return around, way.astype(np.float32), pieces.astype(np.float32)


def draw(drawing: Drawing, top: int, values: NDArray[np.float32]) -> None:
    """Draw rows of a source: `values` are (rows, width), the first of them row `top` of the picture."""
    around, way, pieces = drawing
    if around:
        _draw_around(way, pieces, top, values)
    else:
        _draw_along(way, pieces, top, values)


@compiled
def _draw_along(way, pieces, top, values):  # type: ignore[no-untyped-def]
    zero = np.float32(0)
    count, width = pieces.shape[0], values.shape[1]
    step = way[0, 0]
    for j in range(values.shape[0]):
        first = way[0, 1] * np.float32(top + j) + way[0, 2]
        row = values[j]
        for k in range(count):
            low, high = pieces[k, 0], np.float32(np.inf)
            if k + 1 < count:
                high = pieces[k + 1, 0]
            # The columns at which low <= first + step i < high.
            begin, end = 0, width
            if step == zero:
                if first < low or first >= high:
                    continue
            else:
                a, b = (low - first) / step, (high - first) / step
                if step < zero:
                    a, b = b, a
                edge = np.float32(width)
                begin, end = int(np.ceil(min(max(a, zero), edge))), int(np.ceil(min(max(b, zero), edge)))
            inverse = pieces[k, 1]
            c0, c1, c2, c3 = pieces[k, 2], pieces[k, 3], pieces[k, 4], pieces[k, 5]
            start, by = zero, zero
            if inverse > zero:
                start, by = (first - low) * inverse, step * inverse
            part = row[begin:end]
            start += by * np.float32(begin)
            for i in range(part.size):
                w = start + by * np.float32(np.int32(i))
                part[i] = c0 + w * (c1 + w * (c2 + w * c3))


@compiled
def _draw_around(way, pieces, top, values):  # type: ignore[no-untyped-def]
    zero, one = np.float32(0), np.float32(1)
    count, width = pieces.shape[0], values.shape[1]
    ux, vx = way[0, 0], way[1, 0]
    square = ux * ux + vx * vx
    for j in range(values.shape[0]):
        y = np.float32(top + j)
        u, v = way[0, 1] * y + way[0, 2], way[1, 1] * y + way[1, 2]
        row = values[j]
        # Along the row the squared way is square i^2 + 2 half i + rest, least at the middle.
        half, rest = ux * u + vx * v, u * u + v * v
        middle, least = -half / square, rest - half * half / square
        inner_begin, inner_end = 0, 0
        for k in range(count):
            begin, end = 0, width
            if k + 1 < count:
                high = pieces[k + 1, 0]
                beyond = high * high - least
                if high <= zero or beyond <= zero:
                    continue
                reach = np.sqrt(beyond / square)
                edge = np.float32(width)
                begin = int(np.ceil(min(max(middle - reach, zero), edge)))
                end = int(np.ceil(min(max(middle + reach, zero), edge)))
            if inner_end <= inner_begin:
                inner_begin = inner_end = end
            low, inverse = pieces[k, 0], pieces[k, 1]
            c0, c1, c2, c3 = pieces[k, 2], pieces[k, 3], pieces[k, 4], pieces[k, 5]
            if inverse == zero:
                low = zero
            for side in range(2):
                a, b = (begin, inner_begin) if side == 0 else (inner_end, end)
                part = row[a:b]
                ua, va = u + ux * np.float32(a), v + vx * np.float32(a)
                for i in range(part.size):
                    x = np.float32(np.int32(i))
                    du, dv = ua + ux * x, va + vx * x
                    w = min(max((np.sqrt(du * du + dv * dv) - low) * inverse, zero), one)
                    part[i] = c0 + w * (c1 + w * (c2 + w * c3))
            inner_begin, inner_end = begin, end
