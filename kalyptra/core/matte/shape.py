"""The matte of a simple shape: an ellipse or a rounded rectangle, with grow, feather and invert."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled
from kalyptra.core.setup.document import Form, Placement, Refine


def shape_matte(
    form: Form, corner: float, placement: Placement, refine: Refine, size: tuple[int, int], scale: float
) -> NDArray[np.float32]:
    """Coverage of a shape per pixel.

    Args:
        form: ellipse or rounded rectangle.
        corner: rounding of a rectangle, as a share of half its short side, 0 to 1.
        placement: px of the full-size source.
        refine: grow, feather (px of the full-size source) and invert.
        size: (height, width) of the matte in px.
        scale: px of the matte for one px of the source.

    Returns:
        (height, width) float32, 0 to 1, anti-aliased. A feather is a smooth ramp along the distance from
        the outline, from 1 at `feather_in` px inside to 0 at `feather_out` px outside.
    """
    matte = np.zeros(size, np.float32)
    half_width = placement.width * scale / 2
    half_height = placement.height * scale / 2
    turn = math.radians(placement.turn)
    grow = refine.grow * scale
    inwards, outwards = refine.feather_in * scale, refine.feather_out * scale
    # One pixel of ramp at least: that is the edge's anti-aliasing.
    missing = max(0.0, 1.0 - inwards - outwards) / 2
    cos, sin = math.cos(turn), math.sin(turn)
    margin = max(grow, 0) + outwards + 2
    across = abs(cos) * half_width + abs(sin) * half_height + margin
    down = abs(sin) * half_width + abs(cos) * half_height + margin
    x, y = placement.x * scale, placement.y * scale
    top, bottom = _clipped(y - down, y + down, size[0])
    left, right = _clipped(x - across, x + across, size[1])
    if top < bottom and left < right:
        radius = corner * min(half_width, half_height) if form is Form.ROUNDED_RECTANGLE else -1.0
        window = matte[top:bottom, left:right]
        centre = (x - left, y - top)
        _ramp(window, *centre, half_width, half_height, cos, sin, radius,
              grow, inwards + missing, outwards + missing)  # fmt: skip
    return 1 - matte if refine.invert else matte


def _clipped(low: float, high: float, length: int) -> tuple[int, int]:
    return max(0, math.floor(low)), min(length, math.ceil(high))


@compiled
def _ramp(out, cx, cy, half_width, half_height, cos, sin, radius, grow, inwards, outwards):  # type: ignore[no-untyped-def]
    """Write the ramp over the signed distance, negative inside; radius < 0 means an ellipse.

    The nearest point of an ellipse is found by walking along its evolute, the curve of its centres of curvature; four
    steps suffice. Source: the evolute of an ellipse, as in any textbook of plane curves.
    """
    a, b = half_width, half_height
    for row in range(out.shape[0]):
        for column in range(out.shape[1]):
            dx, dy = column + 0.5 - cx, row + 0.5 - cy
            u, v = abs(cos * dx + sin * dy), abs(cos * dy - sin * dx)
            if radius >= 0:
                qx, qy = u - a + radius, v - b + radius
                distance = math.sqrt(max(qx, 0.0) ** 2 + max(qy, 0.0) ** 2) + min(max(qx, qy), 0.0) - radius
            else:
                # Most pixels are far from the line: an ellipse k times as large is everywhere at least this far away.
                distance = (math.sqrt((u / a) ** 2 + (v / b) ** 2) - 1) * min(a, b)
            far = distance - grow >= outwards if distance > 0 else distance - grow <= -inwards
            if radius < 0 and not far:
                tx, ty = 0.70710678, 0.70710678
                for _ in range(4):
                    ex, ey = (a * a - b * b) * tx**3 / a, (b * b - a * a) * ty**3 / b
                    rx, ry = a * tx - ex, b * ty - ey
                    qx, qy = u - ex, v - ey
                    longer = math.sqrt((rx * rx + ry * ry) / max(qx * qx + qy * qy, 1e-24))
                    tx = min(max((qx * longer + ex) / a, 0.0), 1.0)
                    ty = min(max((qy * longer + ey) / b, 0.0), 1.0)
                    length = max(math.sqrt(tx * tx + ty * ty), 1e-12)
                    tx, ty = tx / length, ty / length
                distance = math.sqrt((u - a * tx) ** 2 + (v - b * ty) ** 2)
                if (u / a) ** 2 + (v / b) ** 2 <= 1:
                    distance = -distance
            t = (outwards - (distance - grow)) / (inwards + outwards)
            t = min(max(t, 0.0), 1.0)
            # A plain edge is linear (it is the pixel's covered area); a feather is smooth at both ends.
            out[row, column] = t * t * (3 - 2 * t) if inwards + outwards > 1.5 else t
