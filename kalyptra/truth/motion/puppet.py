"""Subjects as puppets: flat parts with surfaces of their own, laid over each other from back to front.

Lengths are shares of the subject's height; x goes to the right, y down, and the origin is where the subject stands.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float64]
"""(n, 2)."""


@dataclass(frozen=True)
class Part:
    """One flat part.

    Attributes:
        points: its outline; or the line itself, where it has a width.
        surface: number of the surface that it is cut from.
        origin, along: where the surface is pinned, and the way in which it lies; it moves with both.
        holes: outlines of what is cut out of it.
        width: of a line; 0 for an area.
    """

    points: Points
    surface: int
    origin: tuple[float, float]
    along: tuple[float, float] = (0.0, 1.0)
    holes: tuple[Points, ...] = field(default=())
    width: float = 0.0


def circle(x: float, y: float, a: float, b: float | None = None, turn: float = 0.0, count: int = 40) -> Points:
    """An ellipse of half axes a and b; `turn` in radians."""
    t = np.linspace(0, 2 * np.pi, count, endpoint=False)
    u, v = a * np.cos(t), (a if b is None else b) * np.sin(t)
    return np.stack([x + u * np.cos(turn) - v * np.sin(turn), y + u * np.sin(turn) + v * np.cos(turn)], axis=1)


def limb(a: Sequence[float], b: Sequence[float], wide_a: float, wide_b: float, surface: int) -> Part:
    """A part from one joint to the next, round at both ends; `wide_a` and `wide_b` are its half widths there."""
    p, q = np.array(a, float), np.array(b, float)
    way = (q - p) / max(float(np.hypot(*(q - p))), 1e-6)
    turn = np.arctan2(way[1], way[0])
    half = np.linspace(np.pi / 2, 3 * np.pi / 2, 9)
    start = p + wide_a * np.stack([np.cos(half + turn), np.sin(half + turn)], axis=1)
    end = q + wide_b * np.stack([np.cos(half + np.pi + turn), np.sin(half + np.pi + turn)], axis=1)
    return Part(np.concatenate([start, end]), surface, (float(p[0]), float(p[1])), (float(way[0]), float(way[1])))


def area(points: Points, surface: int, turn: float = 0.0, holes: tuple[Points, ...] = ()) -> Part:
    middle = points.mean(axis=0)
    return Part(points, surface, (float(middle[0]), float(middle[1])), (-np.sin(turn), np.cos(turn)), holes)


def line(points: Sequence[Sequence[float]], width: float, surface: int) -> Part:
    dots = np.array(points, float)
    return Part(dots, surface, (float(dots[0, 0]), float(dots[0, 1])), width=width)


def bone(start: Sequence[float], angle: float, length: float) -> tuple[float, float]:
    """The end of a bone; an angle of 0 hangs down, a positive one swings ahead (to the right)."""
    return (float(start[0] + np.sin(angle) * length), float(start[1] + np.cos(angle) * length))


def turned_part(part: Part, angle: float) -> Part:
    """A part turned about where the subject stands."""
    origin, along = (tuple(turned(np.array([way]), (0, 0), angle)[0]) for way in (part.origin, part.along))
    return Part(turned(part.points, (0, 0), angle), part.surface, origin, along, part.holes, part.width)


def turned(points: Points, about: Sequence[float], angle: float) -> Points:
    c, s = np.cos(angle), np.sin(angle)
    away = points - np.array(about, float)
    return np.asarray(away @ np.array([[c, s], [-s, c]]) + np.array(about, float))
