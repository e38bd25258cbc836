"""Shapes cover exactly what they enclose, ramp where they are feathered, and a filled plate carries its surroundings."""

from __future__ import annotations

import math
from unittest import TestCase

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import distance_transform_edt

from kalyptra.core.distance.stack import stack
from kalyptra.core.matte.shape import shape_matte
from kalyptra.core.plate.decontaminate import own_colour
from kalyptra.core.plate.fill import fill
from kalyptra.core.setup.document import Form, Placement, Refine

SIZE = (90, 130)
PLACED = Placement(x=63.3, y=44.2, width=70, height=38, turn=24)


def covered(form: Form, corner: float, placed: Placement, fine: int = 16) -> NDArray[np.float64]:
    """Coverage by counting: a pixel is looked at in fine x fine places, by the shape's own equation."""
    y, x = (np.mgrid[0 : SIZE[0] * fine, 0 : SIZE[1] * fine] + 0.5) / fine
    c, s = math.cos(math.radians(placed.turn)), math.sin(math.radians(placed.turn))
    u, v = c * (x - placed.x) + s * (y - placed.y), c * (y - placed.y) - s * (x - placed.x)
    if form is Form.ELLIPSE:
        inside = (2 * u / placed.width) ** 2 + (2 * v / placed.height) ** 2 <= 1
    else:
        r = corner * min(placed.width, placed.height) / 2
        inside = (
            np.hypot(np.maximum(np.abs(u) - placed.width / 2 + r, 0), np.maximum(np.abs(v) - placed.height / 2 + r, 0))
            <= r
        )
    return inside.reshape(SIZE[0], fine, SIZE[1], fine).mean(axis=(1, 3))


class Shapes(TestCase):
    def test_coverage_equals_counting(self) -> None:
        for form in Form:
            found = shape_matte(form, 0.4, PLACED, Refine(), SIZE, 1.0)
            expected = covered(form, 0.4, PLACED)
            self.assertLess(np.abs(found - expected).mean(), 1 / 255)
            self.assertAlmostEqual(found.sum() / expected.sum(), 1, delta=0.002)

    def test_a_feather_ramps_along_the_distance_from_the_line(self) -> None:
        plain = covered(Form.ELLIPSE, 0, PLACED) > 0.5
        away = distance_transform_edt(~plain) - distance_transform_edt(plain)
        found = shape_matte(Form.ELLIPSE, 0, PLACED, Refine(feather_in=5, feather_out=9), SIZE, 1.0)
        np.testing.assert_array_equal(found[away < -6.5], 1)
        np.testing.assert_array_equal(found[away > 10.5], 0)
        middle = np.abs(away - 2) < 0.5
        self.assertAlmostEqual(found[middle].mean(), 0.5, delta=0.06)

    def test_grow_moves_the_line_by_parts_of_a_pixel(self) -> None:
        areas = [shape_matte(Form.ELLIPSE, 0, PLACED, Refine(grow=g), SIZE, 1.0).sum() for g in (0, 0.25, 3)]
        around = math.pi * (3 * (35 + 19) - math.sqrt((3 * 35 + 19) * (35 + 3 * 19)))  # Ramanujan's perimeter
        self.assertAlmostEqual((areas[1] - areas[0]) / 0.25 / around, 1, delta=0.03)
        self.assertAlmostEqual((areas[2] - areas[0] - math.pi * 9) / 3 / around, 1, delta=0.03)

    def test_invert_and_scale(self) -> None:
        whole = shape_matte(Form.ROUNDED_RECTANGLE, 0.3, PLACED, Refine(feather_out=6), SIZE, 1.0)
        inverted = shape_matte(Form.ROUNDED_RECTANGLE, 0.3, PLACED, Refine(feather_out=6, invert=True), SIZE, 1.0)
        np.testing.assert_allclose(whole + inverted, 1, atol=1e-6)
        half = shape_matte(Form.ROUNDED_RECTANGLE, 0.3, PLACED, Refine(feather_out=6), (45, 65), 0.5)
        np.testing.assert_allclose(half, whole.reshape(45, 2, 65, 2).mean(axis=(1, 3)), atol=0.06)


class Plates(TestCase):
    def test_fill_keeps_what_is_known_and_stays_within_it(self) -> None:
        draw = np.random.default_rng(2)
        values = draw.random((50, 70, 4)).astype(np.float32)
        known = np.ones((50, 70), np.float32)
        known[15:35, 20:50] = 0
        filled = fill(values, known)
        np.testing.assert_allclose(filled[known == 1], values[known == 1], atol=1e-6)
        self.assertTrue(
            (filled >= values[known == 1].min() - 1e-5).all() and (filled <= values[known == 1].max() + 1e-5).all()
        )

    def test_edge_colour_is_the_subjects_own(self) -> None:
        # I = a F + (1 - a) B with one F and one B: F must come back wherever the subject shows.
        matte = shape_matte(Form.ELLIPSE, 0, PLACED, Refine(feather_in=4, feather_out=4), SIZE, 1.0)
        own, behind = np.float32([0.7, 0.2, 0.1]), np.broadcast_to(np.float32([0.1, 0.3, 0.6]), (*SIZE, 3))
        picture = own * matte[..., None] + behind * (1 - matte[..., None])
        found = own_colour(picture, matte, behind)
        np.testing.assert_allclose(found[matte > 0.05], np.broadcast_to(own, found[matte > 0.05].shape), atol=0.03)

    def test_zones_mix_in_dioptres(self) -> None:
        half = np.full((2, 2), 0.5, np.float32)
        np.testing.assert_allclose(stack((2, 2), 4.0, [(half, 1.0)]), (1 / 4 + 1) / 2)
