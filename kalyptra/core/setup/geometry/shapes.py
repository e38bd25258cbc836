"""Outlines to start from: an ellipse, a rounded rectangle, any corners."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

ARC = 4 / 3 * (math.sqrt(2) - 1)
"""Length of the handles that make a quarter of a circle of radius 1, to 0.03 % (common practice, no source)."""

Drawn = dict[str, Any]
"""A curve as a document holds it."""


def ellipse(x: float, y: float, width: float, height: float, turn: float = 0.0) -> Drawn:
    """An ellipse of four smooth points. Lengths in px, `turn` in degrees clockwise."""
    a, b = width / 2, height / 2
    corners = [(0.0, -b, -a * ARC, 0.0), (a, 0.0, 0.0, -b * ARC), (0.0, b, a * ARC, 0.0), (-a, 0.0, 0.0, b * ARC)]
    return _turned([(u, v, (hu, hv), (-hu, -hv), True) for u, v, hu, hv in corners], x, y, turn)


def rounded_rectangle(x: float, y: float, width: float, height: float, corner: float, turn: float = 0.0) -> Drawn:
    """A rectangle; `corner` is its rounding as a share of half its short side, 0 to 1."""
    a, b = width / 2, height / 2
    r = corner * min(a, b)
    if r == 0:
        return _turned([(u, v, (0, 0), (0, 0), False) for u, v in ((-a, -b), (a, -b), (a, b), (-a, b))], x, y, turn)
    k = r * ARC
    right = [((a - r, -b), (k, 0)), ((a, -b + r), (0, -k)), ((a, b - r), (0, k)), ((a - r, b), (k, 0))]
    ends = [*right, *(((-x, -y), (-hx, -hy)) for (x, y), (hx, hy) in right)]
    points = [
        (u, v, (0, 0) if i % 2 == 0 else handle, handle if i % 2 == 0 else (0, 0), True)
        for i, ((u, v), handle) in enumerate(ends)
    ]
    return _turned(points, x, y, turn)


def _turned(points: Sequence[tuple[float, float, Any, Any, bool]], x: float, y: float, turn: float) -> Drawn:
    c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))

    def put(u: float, v: float) -> list[float]:
        return [round(u * c - v * s, 4), round(u * s + v * c, 4)]

    made = []
    for i, (u, v, before, after, smooth) in enumerate(points):
        px, py = put(u, v)
        made.append(
            {
                "id": i,
                "x": round(x + px, 4),
                "y": round(y + py, 4),
                "before": put(*before),
                "after": put(*after),
                "smooth": smooth,
            }
        )
    return {"points": made}
