"""A card in space: projections against OpenCV's, small print against many samples, and where it is sharp."""

from __future__ import annotations

import math
from itertools import pairwise
from typing import Any
from unittest import TestCase

import cv2
import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from kalyptra.core.card import laid_card
from kalyptra.core.clip.facts import ClipFacts, FootageKind, Rate, Transfer
from kalyptra.core.clip.reader import HeldPicture, Picture
from kalyptra.core.clip.transfer import to_codes, to_light
from kalyptra.core.compose import Sources
from kalyptra.core.edit import ClipExtent, apply
from kalyptra.core.edit.command import Refused
from kalyptra.core.edit.space import CameraMove, SetInSpace, UseCameraMove
from kalyptra.core.frame import covered, render_frame
from kalyptra.core.layered import CutOut, Opening, Plate, through_lens
from kalyptra.core.lens.optics import ThinLens
from kalyptra.core.proof.views import View
from kalyptra.core.reading import read_frame
from kalyptra.core.setup.document.setup import Setup
from kalyptra.core.setup.files.read import read_setup
from kalyptra.core.setup.geometry.cards import seen_card, turned_by
from kalyptra.core.setup.geometry.planes import Camera
from kalyptra.core.setup.resolve.look import lens_camera, resolve
from kalyptra.core.setup.resolve.space import SpaceAt
from kalyptra.truth.demo import DEMO
from kalyptra.truth.measures import psnr

SIZE = (960, 540)
CLIP = ClipExtent(*SIZE, 50)
ANGLES, ASIDE = st.floats(-50, 50), st.floats(-0.1, 0.1)


def at(value: float) -> dict[str, Any]:
    return {"keys": [{"frame": 0, "value": value}]}


def scene(card: dict[str, float], camera: dict[str, float] | None = None, **more: Any) -> Setup:
    width = card.pop("width", 0.3)
    return read_setup({"space": {"card": {"width": width} | {k: at(v) for k, v in card.items()}, "around": "colour",
                                 "camera": {k: at(v) for k, v in (camera or {}).items()}},
                       "footage": {"last": 49}} | more)  # fmt: skip


def space(setup: Setup, frame: int = 0) -> SpaceAt:
    found = resolve(setup, frame, SIZE).space
    assert found is not None
    return found


def axis(angle: float, *along: float) -> NDArray[np.float64]:
    return np.asarray(cv2.Rodrigues(np.radians(angle) * np.array(along, float))[0])


class Projection(TestCase):
    @given(
        ANGLES,
        ANGLES,
        ANGLES,
        ASIDE,
        st.floats(0.5, 3),
        ANGLES.map(lambda a: a / 5),
        ANGLES.map(lambda a: a / 5),
        ASIDE,
    )
    def test_corners_and_distances_are_those_of_opencv_s_pinhole(
        self, turn: float, tilt: float, roll: float, across: float, away: float, pan: float, up: float, ahead: float
    ) -> None:
        card = {"turn": turn, "tilt": tilt, "roll": roll, "across": across, "distance": away}
        made = scene(card, {"pan": pan, "tilt": up, "ahead": ahead})
        seen = space(made).card
        # OpenCV turns by the right hand about x (right), y (down), z (ahead).
        own = axis(-turn, 0, 1, 0) @ axis(-tilt, 1, 0, 0) @ axis(roll, 0, 0, 1)
        looks = axis(pan, 0, 1, 0) @ axis(up, 1, 0, 0)
        w, h = 0.15, 0.15 * SIZE[1] / SIZE[0]
        corners = np.array([[-w, -h, 0], [w, -h, 0], [w, h, 0], [-w, h, 0]]) @ own.T + [across, 0, away]
        focal = lens_camera(made, SIZE).focal
        inner = np.array([[focal, 0, SIZE[0] / 2], [0, focal, SIZE[1] / 2], [0, 0, 1.0]])
        place = -looks.T @ np.array([0, 0, ahead])
        truth, _ = cv2.projectPoints(corners, cv2.Rodrigues(looks.T)[0], place, inner, None)
        depth = (corners @ looks + place)[:, 2]
        if seen is None or (depth < 0.02).any():
            self.assertLess(depth.min(), 0.0101 if seen is None else 0.02)
            return
        # OpenCV takes the smallest turns for none.
        np.testing.assert_allclose(seen.corners, truth[:, 0], atol=0.03 + 1e-6 * np.abs(truth).max())
        for (x, y), z in zip(truth[:, 0], depth, strict=True):
            plane = seen.plane.a * x + seen.plane.b * y + seen.plane.c
            self.assertAlmostEqual(plane * z, 1, places=4)


def small_print(width: int = 1600, height: int = 900) -> NDArray[np.float32]:
    rng, page = np.random.default_rng(3), np.full((height, width, 3), 0.9, np.float32)
    for y in range(40, height - 30, 22):
        for x in range(40, width - 40, 9):
            if rng.random() < 0.75:
                page[y : y + rng.integers(6, 14), x : x + rng.integers(2, 6)] = 0.05
    return page


class Print(TestCase):
    """Beside the mean of 16 x 16 pictures, each shifted by a part of a pixel."""

    def test_small_print_under_a_slow_push_flickers_no_more_than_it_must(self) -> None:
        page = small_print()
        ours, truth, inside = [], [], np.ones((SIZE[1], SIZE[0]), bool)
        for step in range(2):
            seen = space(scene({"tilt": 55.0, "roll": 5.0, "distance": 0.55 - 0.002 * step, "width": 0.5})).card
            assert seen is not None
            matrix = np.array(seen.matrix).reshape(3, 3) @ np.diag([SIZE[0] / 1600, SIZE[1] / 900, 1])
            laid, cover = laid_card(page, matrix, np.zeros((SIZE[1], SIZE[0], 3), np.float32))
            ours.append(laid)
            truth.append(self.many_samples(page, matrix))
            inside &= cover >= 1
        self.assertGreater(inside.mean(), 0.3)
        errors = [10 * math.log10(1 / ((a - b)[inside] ** 2).mean()) for a, b in zip(ours, truth, strict=True)]
        self.assertGreater(min(errors), 38)
        flicker = [sum(((b - a)[inside] ** 2).mean() for a, b in pairwise(pictures)) for pictures in (ours, truth)]
        self.assertLess(flicker[0] / flicker[1], 1.1)

    @staticmethod
    def many_samples(page: NDArray[np.float32], matrix: NDArray[np.float64]) -> NDArray[np.float32]:
        total, half = np.zeros((SIZE[1], SIZE[0], 3), np.float32), np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
        for i in range(256):
            shift = np.array([[1, 0, 0.5 - (i % 16 + 0.5) / 16], [0, 1, 0.5 - (i // 16 + 0.5) / 16], [0, 0, 1.0]])
            whole = np.linalg.inv(half) @ shift @ matrix @ half
            total += cv2.warpPerspective(page, whole, SIZE, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        return total / 256


class BesideARayTracer(TestCase):
    """`demo/card.py`: the same card by POV-Ray, the mean of many pinholes spread over each pixel and over the lens."""

    @classmethod
    def setUpClass(cls) -> None:
        with np.load(DEMO / "table" / "card-rays.npz") as file:
            cls.rays = {name: file[name] for name in file.files}
        cls.height, cls.width = cls.rays["sharp"].shape[:2]
        still = cv2.resize(cv2.imread(str(DEMO / "table" / "still.jpg")), (1280, 720), interpolation=cv2.INTER_AREA)
        light = to_light(np.ascontiguousarray(still[..., ::-1]), Transfer.SRGB)
        camera = Camera(cls.width, cls.height, 0.05 / 0.036 * cls.width)
        seen = seen_card(camera, 0.4, turned_by(-15, 50, 5), np.array([0.02, -0.01, 0.5]), np.eye(3), np.zeros(3))
        assert seen is not None
        matrix = np.array(seen.matrix).reshape(3, 3) @ np.diag([cls.width / 1280, cls.height / 720, 1])
        cls.around = np.full((cls.height, cls.width, 3), 0.02, np.float32)
        cls.light, cls.cover = laid_card(light, matrix, cls.around)
        y, x = np.mgrid[: cls.height, : cls.width] + 0.5
        plane = seen.plane.a * x + seen.plane.b * y + seen.plane.c
        cls.away = np.asarray(1 / np.maximum(plane, 1e-5), np.float32)

    def test_it_is_where_and_as_sharp_as_the_ray_tracer_shows_it(self) -> None:
        everywhere = np.ones(self.cover.shape, bool)
        self.assertGreaterEqual(psnr(to_codes(self.light, Transfer.SRGB), self.rays["sharp"], everywhere), 38)

    def test_through_its_lens_it_is_as_soft_as_through_the_ray_tracer_s(self) -> None:
        everywhere, far = np.ones(self.cover.shape, bool), np.zeros(self.cover.shape, np.float32)
        for focus in (0.46, 0.56):
            opening = Opening(ThinLens(0.05, 1.6, focus, 0.036))
            card = [CutOut(self.cover, self.away)]
            ours = through_lens(self.light, far, card, opening, Plate(self.around, far))
            truth = self.rays[f"at{focus}"]
            self.assertGreaterEqual(psnr(to_codes(ours, Transfer.SRGB), truth, everywhere), 36)
            self.assertLess(psnr(self.rays["sharp"], truth, everywhere), 34)  # it is no small blur


class Through(TestCase):
    """The whole frame: a printed page, tilted, through the lens."""

    @classmethod
    def setUpClass(cls) -> None:
        codes = (cv2.resize(small_print(), SIZE, interpolation=cv2.INTER_AREA) * 255).astype(np.uint8)
        facts = ClipFacts(kind=FootageKind.STILL, container="still", codec="picture", width=SIZE[0], height=SIZE[1],
                          frames=50, rate=Rate(numerator=25, denominator=1), transfer=Transfer.SRGB, bits=8)  # fmt: skip
        cls.sources = Sources(HeldPicture(facts, Picture(codes, Transfer.SRGB)), SIZE[0])

    def test_the_sharp_line_is_where_the_focus_lies_on_the_card(self) -> None:
        for focus in (0.5, 0.6, 0.72):
            made = scene({"tilt": 62.0, "distance": 0.6, "width": 0.7}, focus={"distance": at(focus)},
                         lens={"f_number": at(0.9)})  # fmt: skip
            sharp, blurred = (
                render_frame(one, 0, self.sources).astype(float)
                for one in (
                    made.model_copy(
                        update={
                            "lens": made.lens.model_copy(
                                update={"held": None, "f_number": read_setup({"lens": {"f_number": 256}}).lens.f_number}
                            )
                        }
                    ),
                    made,
                )
            )
            detail = [np.abs(np.diff(picture[..., 1], axis=1)) for picture in (blurred, sharp)]
            middle = slice(SIZE[0] // 2 - 150, SIZE[0] // 2 + 150)
            kept = [cv2.blur(part[:, middle].mean(axis=1)[:, None], (1, 25))[:, 0] for part in detail]
            share = kept[0] / np.maximum(kept[1], 1.0)
            row = int(np.argmax(np.where(kept[1] > 4, share, 0)))
            card = space(made).card
            assert card is not None
            there = 1 / card.plane.dioptres(SIZE[0] / 2, row + 0.5)
            self.assertAlmostEqual(there / focus, 1, delta=0.04)

    def test_numbers_of_the_sheet_and_the_chart_are_the_card_s(self) -> None:
        lens = read_frame(scene({"turn": 40.0, "distance": 0.8}), 0, SIZE).lens
        # The right side of a card of 30 cm, turned by 40 degrees, is farther by the sine of that.
        self.assertAlmostEqual(lens.backdrop, 0.8 + 0.15 * math.sin(math.radians(40)), places=4)

    def test_without_blur_it_is_the_sharp_card_and_with_the_effect_off_the_source(self) -> None:
        made = scene({"tilt": 40.0, "distance": 0.6}, focus={"distance": at(0.3)})
        source = self.sources.footage.picture(0).codes
        off = render_frame(made.model_copy(update={"effect": False}), 0, self.sources)
        np.testing.assert_array_equal(off, source)
        weak = read_setup(made.model_dump(mode="json") | {"finish": {"strength": at(0.0)}})
        self.assertGreater(np.abs(render_frame(weak, 0, self.sources).astype(int) - source).mean(), 5)

    def test_mattes_are_made_on_the_clip_as_it_was_taken(self) -> None:
        box = [{"id": i, "x": x, "y": y} for i, (x, y) in enumerate(((100, 100), (300, 100), (300, 300), (100, 300)))]
        outline = {"id": "body1", "shape": at({"points": box}), "placement": at([1, 0, 0, 0, 1, 0, 0, 0])}  # type: ignore[arg-type]
        runner = {
            "id": "runner",
            "name": "Runner",
            "distance": at(3),
            "matte": {"kind": "outline", "outlines": [outline]},
        }
        flat = read_setup({"subjects": [runner]})
        made = flat.model_copy(update={"space": scene({"tilt": 40.0}).space})
        views = [render_frame(one, 0, self.sources, View.MATTE) for one in (flat, made)]
        np.testing.assert_array_equal(*views)
        np.testing.assert_array_equal(covered(made, 0, self.sources), covered(flat, 0, self.sources))

    def test_a_card_behind_the_camera_leaves_what_is_around_it(self) -> None:
        made = scene({"distance": 0.5}, {"ahead": 0.6})
        self.assertIsNone(space(made).card)
        picture = render_frame(made, 0, self.sources)
        self.assertLessEqual(int(np.ptp(picture.reshape(-1, 3), axis=0).max()), 1)

    def test_ready_moves_keep_the_card_in_sight_and_say_what_they_need(self) -> None:
        with self.assertRaises(Refused):
            apply(scene({}).model_copy(update={"space": None}), [UseCameraMove(move=CameraMove.ARC)], CLIP)
        still = apply(read_setup({"footage": {"last": 49}}), [SetInSpace(on=True)], CLIP)
        corners = np.array(space(still).card.corners)  # type: ignore[union-attr]
        np.testing.assert_allclose(np.ptp(corners[:, 0]), 0.8 * SIZE[0], rtol=1e-3)
        for move in CameraMove:
            made = apply(still, [UseCameraMove(move=move)], CLIP)
            ends = [space(made, frame).card for frame in (0, 25, 49)]
            assert all(ends)
            self.assertNotEqual(ends[0], ends[2])
            middles = [np.mean(card.corners, axis=0) for card in ends]  # type: ignore[union-attr]
            for middle in middles:
                self.assertTrue((np.abs(middle - np.array(SIZE) / 2) < np.array(SIZE) * 0.45).all(), move)
        arc = apply(still, [UseCameraMove(move=CameraMove.ARC)], CLIP)
        for frame in range(50):
            card = space(arc, frame).card
            assert card is not None
            middle = card.plane.dioptres(SIZE[0] / 2, SIZE[1] / 2)
            self.assertAlmostEqual(middle * still.space.card.distance.keys[0].value, 1, delta=0.01)  # type: ignore[union-attr]
