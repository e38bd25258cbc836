"""Outlines cover exactly what they enclose, ramp where they are feathered, join as said; a fill carries its surroundings."""

from __future__ import annotations

import math
from unittest import TestCase

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import distance_transform_edt

from kalyptra.core.distance.stack import with_zones
from kalyptra.core.matte.drawn import drawn_matte, outline_matte
from kalyptra.core.plate.decontaminate import own_colour
from kalyptra.core.pull_push import fill
from kalyptra.core.setup.document.outline import Joins
from kalyptra.core.setup.document.setup import Profile, Refine
from kalyptra.core.setup.geometry.curve import Curve
from kalyptra.core.setup.geometry.shapes import ellipse, rounded_rectangle
from kalyptra.core.setup.geometry.spline import on_line
from kalyptra.core.setup.resolve.outline import OutlineAt

SIZE = (90, 130)
OVAL = Curve.model_validate(ellipse(63.3, 44.2, 70, 38, 24)).rows
BOX = Curve.model_validate(rounded_rectangle(60.2, 40.6, 50, 44, 0.4, 10)).rows


def blob(points: int, size: tuple[int, int], seed: int) -> NDArray[np.float64]:
    """A smooth, bulging closed line through random places around the middle."""
    chance = np.random.default_rng(seed)
    turn = np.arange(points) / points * 2 * math.pi
    away = min(size) * (0.22 + 0.26 * chance.random(points))
    middle = np.array([size[1], size[0]]) / 2
    places = middle + away[:, None] * np.stack([np.cos(turn), np.sin(turn)], axis=1)
    handles = (np.roll(places, -1, axis=0) - np.roll(places, 1, axis=0)) / 6
    return np.concatenate([places, places - handles, places + handles, np.zeros((points, 2))], axis=1)


def counted(rows: NDArray[np.float64], size: tuple[int, int], fine: int = 16) -> NDArray[np.float64]:
    """Coverage by counting fine x fine places in a pixel, with OpenCV's polygon filler."""
    line = on_line(rows, 200).reshape(-1, 2) * fine - 0.5
    large = np.zeros((size[0] * fine, size[1] * fine), np.uint8)
    cv2.fillPoly(large, [np.round(line * 256).astype(np.int32)], 1, shift=8)
    return large.reshape(size[0], fine, size[1], fine).mean(axis=(1, 3))


class Coverage(TestCase):
    def test_coverage_equals_counting_at_every_size(self) -> None:
        for size, points in (((45, 65), 5), ((90, 130), 9), ((270, 480), 30), ((540, 960), 60)):
            for seed in range(3):
                rows = blob(points, size, seed)
                difference = np.abs(outline_matte(rows, Refine(), size) - counted(rows, size))
                self.assertLess(difference.mean(), 1 / 255)
                self.assertLess(
                    difference.max(), 0.12
                )  # 16 x 16 places count an edge to within 1/16 and the filler's rule

    def test_an_outline_that_leaves_the_picture_is_cut_by_it(self) -> None:
        rows = blob(9, (180, 260), 4)
        whole = outline_matte(rows, Refine(), (180, 260))
        moved = rows.copy()
        moved[:, :6] -= np.tile([70.0, 50.0], 3)
        np.testing.assert_allclose(outline_matte(moved, Refine(), (90, 130)), whole[50:140, 70:200], atol=1e-4)
        self.assertEqual(outline_matte(moved + 500, Refine(), SIZE).max(), 0)

    def test_area_is_that_of_the_spline(self) -> None:
        # Green's theorem over the flattened line: an area without any pixels.
        line = on_line(OVAL, 2000).reshape(-1, 2)
        after = np.roll(line, -1, axis=0)
        area = abs((line[:, 0] * after[:, 1] - after[:, 0] * line[:, 1]).sum()) / 2
        self.assertAlmostEqual(outline_matte(OVAL, Refine(), SIZE).sum() / area, 1, delta=2e-4)


class Edges(TestCase):
    def test_a_feather_ramps_along_the_distance_from_the_line(self) -> None:
        plain = counted(OVAL, SIZE) > 0.5
        away = distance_transform_edt(~plain) - distance_transform_edt(plain)
        found = outline_matte(OVAL, Refine(feather_in=5, feather_out=9), SIZE)
        np.testing.assert_array_equal(found[away < -6.5], 1)
        np.testing.assert_array_equal(found[away > 10.5], 0)
        self.assertAlmostEqual(found[np.abs(away - 2) < 0.5].mean(), 0.5, delta=0.06)

    def test_profiles_meet_at_the_ends_and_differ_between(self) -> None:
        found = {
            profile: outline_matte(OVAL, Refine(feather_in=4, feather_out=8, profile=profile), SIZE)
            for profile in Profile
        }
        for matte in found.values():
            self.assertEqual((matte.min(), matte.max()), (0, 1))
        self.assertTrue((found[Profile.LATE] <= found[Profile.EVEN] + 1e-6).all())
        self.assertGreater(np.abs(found[Profile.SMOOTH] - found[Profile.EVEN]).max(), 0.08)

    def test_a_point_has_a_feather_of_its_own(self) -> None:
        rows = OVAL.copy()
        rows[1, 7] = 12.0  # the point at the right end of the oval, outwards
        found = outline_matte(rows, Refine(feather_out=2), SIZE)
        plain = outline_matte(OVAL, Refine(feather_out=2), SIZE)
        right, left = OVAL[1, :2], OVAL[3, :2]
        outwards = (right - left) / np.linalg.norm(right - left)
        for place, softer in ((right + outwards * 5, True), (left - outwards * 5, False)):
            x, y = place.astype(int)
            self.assertEqual(bool(found[y, x] > plain[y, x] + 0.1), softer)

    def test_grow_moves_the_line_by_parts_of_a_pixel(self) -> None:
        areas = [outline_matte(OVAL, Refine(grow=g), SIZE).sum() for g in (0, 0.25, 3)]
        around = math.pi * (3 * (35 + 19) - math.sqrt((3 * 35 + 19) * (35 + 3 * 19)))  # Ramanujan's perimeter
        self.assertAlmostEqual((areas[1] - areas[0]) / 0.25 / around, 1, delta=0.04)
        self.assertAlmostEqual((areas[2] - areas[0] - math.pi * 9) / 3 / around, 1, delta=0.03)


class Joining(TestCase):
    def test_outlines_add_take_away_and_overlap(self) -> None:
        def at(rows: NDArray[np.float64], joins: Joins) -> OutlineAt:
            return OutlineAt(joins, tuple(map(tuple, rows.tolist())))

        oval, box = (counted(rows, SIZE) > 0.5 for rows in (OVAL, BOX))
        expected = {Joins.ADD: oval | box, Joins.TAKE_AWAY: oval & ~box, Joins.OVERLAP: oval & box}
        for joins, truth in expected.items():
            found = drawn_matte([at(OVAL, Joins.ADD), at(BOX, joins)], Refine(), SIZE, 1.0)
            self.assertGreater(((found > 0.5) == truth).mean(), 0.999, joins)

    def test_invert_and_scale(self) -> None:
        def made(size: tuple[int, int], scale: float, invert: bool = False) -> NDArray[np.float32]:
            outline = OutlineAt(Joins.ADD, tuple(map(tuple, BOX.tolist())))
            return drawn_matte([outline], Refine(feather_out=6, invert=invert), size, scale)

        whole = made(SIZE, 1.0)
        np.testing.assert_allclose(whole + made(SIZE, 1.0, invert=True), 1, atol=1e-6)
        np.testing.assert_allclose(made((45, 65), 0.5), whole.reshape(45, 2, 65, 2).mean(axis=(1, 3)), atol=0.06)


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
        matte = outline_matte(OVAL, Refine(feather_in=4, feather_out=4), SIZE)
        own, behind = np.float32([0.7, 0.2, 0.1]), np.broadcast_to(np.float32([0.1, 0.3, 0.6]), (*SIZE, 3))
        picture = own * matte[..., None] + behind * (1 - matte[..., None])
        found = own_colour(picture, matte, behind)
        np.testing.assert_allclose(found[matte > 0.05], np.broadcast_to(own, found[matte > 0.05].shape), atol=0.03)

    def test_zones_mix_in_dioptres(self) -> None:
        half = np.full((2, 2), 0.5, np.float32)
        zoned = np.full((2, 2), 0.25, np.float32)
        with_zones(zoned, [(half, 1.0)])
        np.testing.assert_allclose(zoned, (1 / 4 + 1) / 2)
