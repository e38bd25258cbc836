"""What an answer, a recipe or a default leaves on the screen: sharp where it should be, soft elsewhere, and why not."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

import cv2
import numpy as np
from pydantic import TypeAdapter

from kalyptra.core.edit import ByHand, ClipExtent, Command, apply
from kalyptra.core.frame import render_frame
from kalyptra.core.proof.tint import TINTS, tint_apart
from kalyptra.core.proof.views import View
from kalyptra.core.reading import read_frame
from kalyptra.core.setup.document.distance import Ground
from kalyptra.core.setup.document.setup import Setup
from kalyptra.core.setup.resolve.look import camera_of
from kalyptra.core.setup.resolve.source import plane_at
from kalyptra.core.tests.test_surveying import (
    HEIGHT,
    MAP,
    PLANE,
    WALL,
    WIDTH,
    hold,
    kinds,
    look,
    setup,
    sources,
    subject,
)

CLIP = ClipExtent(WIDTH, HEIGHT, 10)
ANY: TypeAdapter[Command] = TypeAdapter(ByHand)


def done(of: Setup, *commands: dict[str, Any]) -> Setup:
    return apply(of, [ANY.validate_python(command) for command in commands], CLIP)


def oval(width: float, height: float) -> dict[str, Any]:
    places = ((100, 100), (100 + width, 100), (100 + width, 100 + height), (100, 100 + height))
    return {"id": "line1", "curve": {"points": [{"id": i, "x": x, "y": y} for i, (x, y) in enumerate(places)]}}


class Sharp(TestCase):
    def test_a_street_is_in_focus_where_somebody_would_stand_or_on_the_subject(self) -> None:
        recipe = {"do": "use-recipe", "recipe": "street", "frame": 0}
        made = done(setup(WALL), recipe)
        numbers = read_frame(made, 0, (WIDTH, HEIGHT))
        ground = made.distance.source("ground")
        assert isinstance(ground, Ground)
        stood = 1 / plane_at(ground, 0, camera_of(made, (WIDTH, HEIGHT))).dioptres(WIDTH / 2, HEIGHT * 0.78)
        self.assertTrue(numbers.lens.near < stood < (numbers.lens.far or np.inf))
        on_runner = read_frame(done(setup(WALL, subjects=[subject(3.5)]), recipe), 0, (WIDTH, HEIGHT))
        self.assertAlmostEqual(on_runner.lens.focus, 3.5, places=2)

    def test_focus_on_a_subject_stays_on_it_when_it_is_stood_on_a_ground(self) -> None:
        feet = {"feet": [[0, 240, 230], [9, 240, 190]], "on": "ground"}
        ground = {"kind": "ground", "id": "ground", "horizon": hold(110.0), "height": hold(1.5), "joins": "nearer"}
        before = setup(WALL, ground, focus=3.0, subjects=[subject(3.0)])
        stood = done(before, {"do": "stand-on", "subject": "runner", "source": "ground"})
        walked = stood.model_dump(mode="json")
        walked["subjects"][0]["standing"] |= feet
        for frame in (0, 9):
            numbers = read_frame(Setup.model_validate(walked), frame, (WIDTH, HEIGHT))
            self.assertAlmostEqual(numbers.lens.focus, numbers.subjects["runner"].distance, places=3)
        elsewhere = done(
            setup(WALL, ground, focus=5.0, subjects=[subject(3.0)]),
            {"do": "stand-on", "subject": "runner", "source": "ground"},
        )
        self.assertIsNone(elsewhere.focus.distance.keys[0].mark)  # it was not on it

    def test_a_fresh_round_source_has_a_plateau_that_is_sharp(self) -> None:
        made = done(setup(WALL, focus=2.0), {"do": "add-source", "id": "round0", "kind": "round", "frame": 0})
        stops = made.distance.sources[-1].stops  # type: ignore[union-attr]
        at_focus = [stop.at.keys[0].value for stop in stops if abs(stop.distance.keys[0].value - 2.0) < 1e-6]
        self.assertGreaterEqual(max(at_focus) - min(at_focus), 0.3)

    def test_the_effect_off_is_the_source_pixel_for_pixel(self) -> None:
        made = setup(PLANE, lens={"f_number": 0.5})
        off = done(made, {"do": "put", "path": "effect", "value": False})
        source = render_frame(made, 0, sources(), View.SOURCE)
        np.testing.assert_array_equal(render_frame(off, 0, sources()), source)


class Soft(TestCase):
    """Feathers by how a matte came about: about 30 px at 1080 lines for a rough shape, 30 to 60 % of its smaller side
    for a region (common practice, no source)."""

    def test_a_feather_goes_with_how_it_was_drawn_and_with_the_size(self) -> None:
        def refine(drawn_as: str, size: tuple[float, float]) -> Any:
            command = {"do": "add-subject", "id": "new1", "frame": 0, "drawn": oval(*size), "drawn_as": drawn_as}
            return done(setup(WALL), command).subjects[-1]

        rough, close = refine("roughly", (80, 60)).refine, refine("closely", (80, 60)).refine
        self.assertAlmostEqual(rough.feather_in + rough.feather_out, 30 * HEIGHT / 1080, delta=0.2)
        self.assertEqual(close.edge.value, "fast")
        self.assertAlmostEqual(close.feather_in + close.feather_out, 2.4 * HEIGHT / 1080, delta=0.2)
        small, large = refine("soft-region", (40, 60)), refine("soft-region", (200, 150))
        self.assertEqual((small.acts.value, large.acts.value), ("zone", "zone"))
        self.assertAlmostEqual(large.refine.feather_out / small.refine.feather_out, 150 / 40, places=1)

    def test_white_is_most_blurred_in_a_map_of_blur(self) -> None:
        as_blur = done(setup(MAP), {"do": "read-map-as", "source": "depth", "reads": "blur"})
        seen = look(as_blur.distance.sources[0].model_dump(mode="json"), lens={"f_number": 0.5})
        self.assertGreater(seen.foremost[0].mean(), seen.foremost[-1].mean())  # white lies below, and is far
        back = done(as_blur, {"do": "read-map-as", "source": "depth", "reads": "dioptres"})
        self.assertEqual(back, setup(MAP))

    def test_softness_is_meant_for_the_backdrop_that_is_seen(self) -> None:
        lens = {"aperture": "softness", "softness": hold(20.0)}
        covered = read_frame(setup(WALL, {**PLANE}, lens=lens), 0, (WIDTH, HEIGHT)).lens
        self.assertAlmostEqual(covered.backdrop, covered.farthest or 0, delta=0.5)
        seen = read_frame(setup({**PLANE}, {**WALL, "joins": "farther"}, lens=lens), 0, (WIDTH, HEIGHT)).lens
        self.assertEqual(seen.backdrop, 12.0)


class Why(TestCase):
    def test_no_blur_is_told_with_its_reason(self) -> None:
        self.assertIn("no-effect", kinds(look(PLANE, effect=False)))
        self.assertIn("all-at-focus", kinds(look(WALL, focus=12.0, lens={"f_number": 1.0})))
        held = {"f_number": 1.0, "held": {"near": 0.5, "far": 50.0}}
        self.assertIn("held-all", kinds(look(PLANE, lens=held)))
        self.assertIn("nothing-soft", kinds(look(PLANE, lens={"f_number": 256})))

    def test_the_default_backdrop_under_a_full_source_is_missed_by_nobody(self) -> None:
        self.assertNotIn("hidden", kinds(look(WALL, PLANE)))

    def test_somebody_who_floats_before_a_flat_backdrop_is_told_of_the_ground(self) -> None:
        tall = subject(2.0)
        tall["matte"]["outlines"][0]["placement"] = hold([0.6, 0, 0, 0, 1, 0, 0, 0])
        self.assertIn("floating", kinds(look(WALL, subjects=[tall])))
        self.assertNotIn("floating", kinds(look(PLANE, subjects=[tall])))

    def test_a_hard_line_is_told_until_it_is_feathered_or_drawn_to_the_picture(self) -> None:
        self.assertIn("hard-line", kinds(look(WALL, subjects=[subject(2.0)])))
        for refine in ({"feather_out": 6.0}, {"edge": "fast"}):
            self.assertNotIn("hard-line", kinds(look(WALL, subjects=[subject(2.0, refine=refine)])))

    def test_a_matte_is_shown_in_a_colour_that_is_not_under_it(self) -> None:
        matte = np.ones((40, 40), np.float32)
        for hue in range(0, 180, 20):
            under = cv2.cvtColor(np.full((40, 40, 3), (hue, 200, 200), np.uint8), cv2.COLOR_HSV2RGB)
            tint = cv2.cvtColor(tint_apart(under, matte), cv2.COLOR_RGB2HSV)[0, 0, 0]
            apart = abs(int(tint) - hue)
            self.assertGreater(min(apart, 180 - apart), 30, hue)
        self.assertEqual(len(np.unique(TINTS, axis=0)), len(TINTS))
