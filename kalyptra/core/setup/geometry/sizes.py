"""How far away something of a known size is, and the sizes of everyday things.

Source of the rule: similar triangles of a pinhole, as in R. Hartley and A. Zisserman, Multiple View Geometry in
Computer Vision, 2nd edition, 2004, chapter 6.
"""

from __future__ import annotations

import math
from typing import NamedTuple

from kalyptra.core.setup.geometry.planes import XY, Camera


class EverydayThing(NamedTuple):
    """Something whose size is known.

    Attributes:
        metres: of its named side.
        source: where that is from.
    """

    name: str
    metres: float
    source: str


EVERYDAY_THINGS = (
    EverydayThing("Bank card, long side", 0.0856, "ISO/IEC 7810, ID-1"),
    EverydayThing("Drink can, height", 0.115, "common practice, no source"),
    EverydayThing("Hand, length", 0.185, "DIN 33402-2, median of grown people, from memory"),
    EverydayThing("Sheet A4, short side", 0.210, "ISO 216"),
    EverydayThing("Head, height", 0.225, "DIN 33402-2, median of grown people, from memory"),
    EverydayThing("Sheet A4, long side", 0.297, "ISO 216"),
    EverydayThing("Bicycle wheel with its tyre", 0.69, "ISO 5775: 622 mm and a tyre of 35 mm"),
    EverydayThing("Pallet, long side", 1.2, "EN 13698-1"),
    EverydayThing("Grown person, height", 1.7, "common practice, no source"),
    EverydayThing("Door leaf, height", 1.985, "DIN 18101, from memory"),
    EverydayThing("Car, length", 4.4, "common practice, no source"),
)
"""From the shortest to the longest."""


def distance_by_size(camera: Camera, start: XY, end: XY, length: float) -> float:
    """How far away something is that is seen from one place to another, metres along the camera's axis.

    Args:
        start, end: px of the source.
        length: metres, of something that faces the camera.

    Raises:
        ValueError: both places are the same.
    """
    seen = math.dist(start, end)
    if seen <= 0:
        raise ValueError("both ends lie at the same place")
    return camera.focal * length / seen
