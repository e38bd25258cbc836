"""A small move through a flat shot: beside a ray-traced second viewpoint, and where nothing may change."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.transfer import to_codes, to_light
from kalyptra.core.frame import render_frame
from kalyptra.core.parallax import Beside, moved_ground, moved_layer
from kalyptra.core.plate.clean_plate import clean_plate
from kalyptra.core.plate.decontaminate import own_colour
from kalyptra.core.proof.views import View
from kalyptra.core.setup.document.setup import Setup
from kalyptra.core.setup.resolve.move import MoveAt
from kalyptra.core.tests.test_surveying import HEIGHT, WALL, WIDTH, kinds, look, setup, sources, subject
from kalyptra.truth.demo import DEMO
from kalyptra.truth.measures import psnr


def moving(of: Setup, **ways: float) -> Setup:
    move = {name: {"keys": [{"frame": 0, "value": value}]} for name, value in ways.items()}
    return Setup.model_validate(of.model_dump(mode="json") | {"move": move | {"aims": False}})


class BesideTheRunner(TestCase):
    """Frame 24 of the runner, ray-traced as it was taken and from 10 cm to the right and 15 cm ahead (`docs/demo.md`)."""

    def test_what_was_seen_is_where_a_ray_tracer_shows_it(self) -> None:
        with np.load(DEMO / "runner" / "move-024.npz") as file:
            seen = {name: file[name] for name in file.files}
        across, ahead = (float(value) for value in seen["way"])
        taken, truth = (np.ascontiguousarray(seen[f"{name}-picture"]) for name in ("taken", "beside"))
        height, width = taken.shape[:2]
        dioptres = (seen["taken-distance"] / 65535).astype(np.float32)
        matte = (seen["taken-matte"] / np.iinfo(seen["taken-matte"].dtype).max).astype(np.float32)
        light = to_light(taken, Transfer.SRGB)
        behind, ground = clean_plate(light, dioptres, [matte], 1.0)
        beside = Beside.of(MoveAt(across, 0.0, ahead, 0.0, 0.035 / 0.036 * width), (height, width), 1.0)
        moved = moved_ground(behind, ground, beside)
        colour, covers, _ = moved_layer(
            own_colour(light, matte, behind), matte, 1 / float(np.median(dioptres[matte > 0.9])), beside
        )
        out = to_codes(moved.light + (colour - moved.light) * covers[..., None], Transfer.SRGB)
        known = self.seen_before(dioptres, (seen["beside-distance"] / 65535).astype(np.float32), beside)
        self.assertGreater(known.mean(), 0.8)
        self.assertGreaterEqual(psnr(out, truth, known), 30.0)
        self.assertLess(psnr(taken, truth, known), 24.0)  # and it is no small thing that was moved
        # What it takes for made up is what could not be seen before, and little else.
        self.assertLess((moved.made_up & known).mean(), 0.02)

    @staticmethod
    def seen_before(taken: NDArray[Any], now: NDArray[Any], beside: Beside) -> NDArray[np.bool_]:
        """Where what is seen now was seen before, by the ray tracer's own distances."""
        height, width = now.shape
        y, x = np.mgrid[:height, :width].astype(np.float32) + np.float32(0.5)
        before = now / (1 + np.float32(beside.ahead) * now)  # z then is z now and the way ahead
        u, v = beside.source_of(x, y, before)
        there = cv2.remap(taken, u - 0.5, v - 0.5, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        inside = (u > 0) & (u < width) & (v > 0) & (v < height)
        same = inside & (np.abs(there - before) < 0.03 * before + 0.002)
        return cv2.erode(same.astype(np.uint8), np.ones((3, 3))) > 0


class Moving(TestCase):
    def test_without_a_way_nothing_changes_and_a_way_moves_near_things_farther(self) -> None:
        before = setup(WALL, focus=3.0, subjects=[subject(3.0)])
        still = render_frame(before, 0, sources())
        np.testing.assert_array_equal(render_frame(moving(before, across=0.0), 0, sources()), still)
        # 5 cm to the right of somebody at 3 m, through 50 mm on 36 mm: to the left by 5 cm / 3 m of the focal length.
        columns = []
        for shown in (before, moving(before, across=0.05)):
            away = render_frame(shown, 0, sources(), View.DISTANCE)[150].astype(int)
            columns.append(np.flatnonzero(np.abs(away - away[0]).sum(axis=1) > 60).mean())
        self.assertAlmostEqual(columns[1] - columns[0], -0.05 / 3 * 50 / 36 * WIDTH, delta=0.6)

    def test_a_plain_wall_moves_as_the_pinhole_says(self) -> None:
        picture = np.random.default_rng(5).uniform(0, 1, (60, 90, 3)).astype(np.float32)
        picture = cv2.GaussianBlur(picture, (0, 0), 2)
        # 0.2 m to the right of a wall at 4 m, with 100 px of focal length: 5 px to the left.
        out = moved_ground(
            picture, np.full((60, 90), 0.25, np.float32), Beside.of(MoveAt(0.2, 0, 0, 0, 100), (60, 90), 1)
        )
        np.testing.assert_allclose(out.light[:, :80], picture[:, 5:85], atol=1e-4)
        self.assertEqual(out.made_up[:, :84].any(), False)
        self.assertTrue(out.made_up[:, 86:].all())
        # Looked at all the while, it stays where it is.
        held = moved_ground(
            picture, np.full((60, 90), 0.25, np.float32), Beside.of(MoveAt(0.2, 0, 0, 0.25, 100), (60, 90), 1)
        )
        np.testing.assert_allclose(held.light, picture, atol=1e-4)

    def test_matte_views_stay_on_the_clip_and_the_rest_is_marked_and_told(self) -> None:
        before = setup(WALL, focus=3.0, subjects=[subject(1.0)])
        moved = moving(before, across=0.3)
        np.testing.assert_array_equal(
            render_frame(moved, 0, sources(), View.MATTE), render_frame(before, 0, sources(), View.MATTE)
        )
        self.assertFalse(
            np.array_equal(render_frame(moved, 0, sources(), View.SEEN), render_frame(before, 0, sources(), View.SEEN))
        )
        self.assertIn(
            "made-up",
            kinds(look(WALL, subjects=[subject(1.0)], move={"across": {"keys": [{"frame": 0, "value": 0.3}]}})),
        )
        self.assertNotIn("made-up", kinds(look(WALL, subjects=[subject(1.0)])))
        self.assertEqual((HEIGHT, WIDTH), render_frame(moved, 0, sources()).shape[:2])
