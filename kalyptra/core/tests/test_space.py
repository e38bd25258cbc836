"""A card in space: projections against OpenCV's, small print against many samples, and where it is sharp."""

from __future__ import annotations

import math
import tempfile
from itertools import pairwise
from pathlib import Path
from typing import Any
from unittest import TestCase

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from kalyptra.core.card import LaidCard, back_to_front, laid_card
from kalyptra.core.clip.facts import ClipFacts, FootageKind, Rate, Transfer
from kalyptra.core.clip.reader import HeldPicture, Picture
from kalyptra.core.clip.transfer import to_codes, to_light
from kalyptra.core.compose import Sources
from kalyptra.core.edit import ClipExtent, apply
from kalyptra.core.edit.command import Refused
from kalyptra.core.edit.findings import TakeCard
from kalyptra.core.edit.space import AddCutOut, CameraMove, PlaceCard, RemoveCard, SetInSpace, UseCameraMove
from kalyptra.core.edit.subjects import RemoveSubject
from kalyptra.core.frame import covered, render_frame
from kalyptra.core.layered import CutOut, Opening, Plate, through_lens
from kalyptra.core.lens.layers import lay_sharp
from kalyptra.core.lens.optics import ThinLens
from kalyptra.core.proof.views import View
from kalyptra.core.reading import read_frame
from kalyptra.core.setup.document.distance import INFINITELY_FAR
from kalyptra.core.setup.document.setup import Setup
from kalyptra.core.setup.files.read import read_setup
from kalyptra.core.setup.geometry.cards import CardSeen, Placed, seen_card, turned_by
from kalyptra.core.setup.geometry.planes import Camera
from kalyptra.core.setup.resolve.look import lens_camera, resolve
from kalyptra.core.setup.resolve.space import SpaceAt
from kalyptra.core.store import FolderStore
from kalyptra.core.surveying import survey
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


def own_card(setup: Setup, frame: int = 0) -> CardSeen | None:
    """Where the card with the shot's own picture is seen."""
    return next((card.seen for card in space(setup, frame).cards if card.id == "card"), None)


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
        seen = own_card(made)
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
    """Beside the mean of 8 x 8 pictures, each shifted by a part of a pixel."""

    def test_small_print_under_a_slow_push_flickers_no_more_than_it_must(self) -> None:
        page = small_print()
        ours, truth, inside = [], [], np.ones((SIZE[1], SIZE[0]), bool)
        for step in range(2):
            seen = own_card(scene({"tilt": 55.0, "roll": 5.0, "distance": 0.55 - 0.002 * step, "width": 0.5}))
            assert seen is not None
            matrix = np.array(seen.matrix).reshape(3, 3) @ np.diag([SIZE[0] / 1600, SIZE[1] / 900, 1])
            laid, cover = laid_card(page, None, matrix, (SIZE[1], SIZE[0]))
            ours.append(laid[..., 0])  # it is grey
            truth.append(self.many_samples(page[..., 0], matrix))
            inside &= cover >= 1
        self.assertGreater(inside.mean(), 0.3)
        errors = [10 * math.log10(1 / ((a - b)[inside] ** 2).mean()) for a, b in zip(ours, truth, strict=True)]
        self.assertGreater(min(errors), 38)
        flicker = [sum(((b - a)[inside] ** 2).mean() for a, b in pairwise(pictures)) for pictures in (ours, truth)]
        self.assertLess(flicker[0] / flicker[1], 1.1)

    @settings(max_examples=80, deadline=None)
    @given(st.floats(-89.9, 89.9), st.floats(-89.9, 89.9), st.floats(0.02, 3), st.floats(0.02, 10))
    def test_however_a_card_stands_all_that_is_laid_is_light_also_where_it_passes_by_the_camera(
        self, tilt: float, turn: float, distance: float, width: float
    ) -> None:
        page = np.full((45, 80, 3), 0.5, np.float32)
        seen = own_card(scene({"tilt": tilt, "turn": turn, "distance": distance, "width": width}))
        if seen is not None:
            matrix = np.array(seen.matrix).reshape(3, 3) @ np.diag([SIZE[0] / 80, SIZE[1] / 45, 1])
            laid, cover = laid_card(page, None, matrix, (SIZE[1], SIZE[0]))
            self.assertTrue(((cover >= 0) & (cover <= 1)).all())
            np.testing.assert_allclose(laid[cover > 0], 0.5, atol=1e-4)
            self.assertFalse(laid[cover == 0].any())

    @staticmethod
    def many_samples(page: NDArray[np.float32], matrix: NDArray[np.float64]) -> NDArray[np.float32]:
        total, half = np.zeros((SIZE[1], SIZE[0]), np.float32), np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
        for i in range(64):
            shift = np.array([[1, 0, 0.5 - (i % 8 + 0.5) / 8], [0, 1, 0.5 - (i // 8 + 0.5) / 8], [0, 0, 1.0]])
            whole = np.linalg.inv(half) @ shift @ matrix @ half
            total += cv2.warpPerspective(page, whole, SIZE, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        return total / 64


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
        card, own = Placed(turned_by(-15, 50, 5), np.array([0.02, -0.01, 0.5])), Placed(np.eye(3), np.zeros(3))
        seen = seen_card(camera, 0.4, (cls.width, cls.height), card, own)
        assert seen is not None
        matrix = np.array(seen.matrix).reshape(3, 3) @ np.diag([cls.width / 1280, cls.height / 720, 1])
        cls.around = np.full((cls.height, cls.width, 3), 0.02, np.float32)
        cls.colour, cls.cover = laid_card(light, None, matrix, (cls.height, cls.width))
        cls.light = cls.around.copy()
        lay_sharp(cls.colour, cls.cover, cls.light)
        y, x = np.mgrid[: cls.height, : cls.width] + 0.5
        plane = seen.plane.a * x + seen.plane.b * y + seen.plane.c
        cls.relief = np.maximum(plane, 1e-5).astype(np.float32)

    def test_it_is_where_and_as_sharp_as_the_ray_tracer_shows_it(self) -> None:
        everywhere = np.ones(self.cover.shape, bool)
        self.assertGreaterEqual(psnr(to_codes(self.light, Transfer.SRGB), self.rays["sharp"], everywhere), 38)

    def test_through_its_lens_it_is_as_soft_as_through_the_ray_tracer_s(self) -> None:
        everywhere, far = np.ones(self.cover.shape, bool), np.zeros(self.cover.shape, np.float32)
        for focus in (0.46, 0.56):
            opening = Opening(ThinLens(0.05, 1.6, focus, 0.036))
            card = [CutOut.with_relief(self.cover, self.relief, self.colour)]
            ours = through_lens(self.light, far, card, opening, Plate(self.around, far))
            truth = self.rays[f"at{focus}"]
            self.assertGreaterEqual(psnr(to_codes(ours, Transfer.SRGB), truth, everywhere), 36)
            self.assertLess(psnr(self.rays["sharp"], truth, everywhere), 34)  # it is no small blur


def rays(
    cards: list[tuple[Placed, float, NDArray[np.float32]]], camera: Camera, fine: int
) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    """Cards of one colour each by rays, `fine` x `fine` a pixel: of all that a ray meets, the nearest is seen; and the
    pixels all of whose rays, and their neighbours', meet the same card, clearly before any other."""
    x, y = (np.mgrid[: camera.height * fine, : camera.width * fine][::-1] + 0.5) / fine
    ahead = np.stack(
        [(x - camera.middle[0]) / camera.focal, (y - camera.middle[1]) / camera.focal, np.ones_like(x)], -1
    )
    depths = np.full((len(cards) + 1, *x.shape), np.inf)
    depths[-1] = 1e3
    for i, (card, width, _) in enumerate(cards):
        depth = (card.turn[:, 2] @ card.at) / (ahead @ card.turn[:, 2])
        own = (ahead * depth[..., None] - card.at) @ card.turn
        high = width * camera.height / camera.width
        hit = (np.abs(own[..., 0]) < width / 2) & (np.abs(own[..., 1]) < high / 2) & (depth > 0)
        depths[i] = np.where(hit, depth, np.inf)
    first, ordered = depths.argmin(axis=0), np.sort(depths, axis=0)
    shape = (camera.height, fine, camera.width, fine)
    blocks = first.reshape(shape)
    clear = (ordered[1] > 1.005 * ordered[0]).reshape(shape).all(axis=(1, 3))
    ends = [end(blocks, axis=(1, 3)).astype(np.uint8) for end in (np.min, np.max)]
    around = np.ones((3, 3), np.uint8)
    sure = clear & (cv2.erode(ends[0], around) == cv2.dilate(ends[1], around))
    colours = np.array([colour for *_, colour in cards] + [np.zeros(3)])
    return np.asarray(colours[first].reshape(*shape, 3).mean(axis=(1, 3)), np.float32), sure


class Hiding(TestCase):
    """Several cards beside rays that meet them."""

    def laid(self, cards: list[tuple[Placed, float, NDArray[np.float32]]], camera: Camera) -> NDArray[np.float32]:
        size, own = (camera.height, camera.width), Placed(np.eye(3), np.zeros(3))
        laid = []
        for card, width, colour in cards:
            seen = seen_card(camera, width, (camera.width, camera.height), card, own)
            assert seen is not None
            picture = np.full((*size, 3), colour, np.float32)
            laid.append(LaidCard(*laid_card(picture, None, np.array(seen.matrix).reshape(3, 3), size), seen.plane))
        out = np.zeros((*size, 3), np.float32)
        for piece in back_to_front(laid, 1.0):
            lay_sharp(piece.light, piece.cover, out)
        return out

    @given(st.lists(st.tuples(ANGLES, ANGLES, ANGLES, ASIDE, ASIDE, st.floats(0.6, 1.2)), min_size=2, max_size=4))
    def test_of_cards_that_stand_beside_before_and_through_each_other_the_nearest_is_seen(
        self, poses: list[tuple[float, ...]]
    ) -> None:
        camera, rng = Camera(96, 54, 133.0), np.random.default_rng(1)
        cards = [
            (Placed(turned_by(turn, tilt, roll), np.array([across, up, away])), 0.3, rng.uniform(0.2, 1, 3))
            for turn, tilt, roll, across, up, away in poses
        ]
        truth, sure = rays(cards, camera, 4)
        off = np.abs(self.laid(cards, camera) - truth).max(axis=-1)
        # Four rays a side leave an eighth of a pixel beside them.
        self.assertLess(float(off[1:-1, 1:-1][sure[1:-1, 1:-1]].max(initial=0)), 0.13)

    def test_a_card_that_lies_and_one_that_stands_on_it(self) -> None:
        """By their nearest points the lying one would hide the standing one."""
        camera = Camera(320, 180, 400.0)
        lying = (Placed(turned_by(0, 75, 0), np.array([0.0, 0.06, 0.7])), 0.5, np.array([0.9, 0.2, 0.2]))
        standing = (Placed(turned_by(0, 0, 0), np.array([0.0, 0.02, 0.72])), 0.14, np.array([0.2, 0.9, 0.2]))
        for cards in ([lying, standing], [standing, lying]):
            ours, (truth, _) = self.laid(cards, camera), rays(cards, camera, 8)
            self.assertGreater(10 * math.log10(1 / ((ours - truth) ** 2).mean()), 38)
            self.assertGreater(float((truth[..., 1] > 0.8).mean()), 0.05)


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
            card = own_card(made)
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
        self.assertIsNone(own_card(made))
        picture = render_frame(made, 0, self.sources)
        self.assertLessEqual(int(np.ptp(picture.reshape(-1, 3), axis=0).max()), 1)

    def test_a_shot_that_is_set_in_space_is_as_sharp_as_it_was_and_takes_most_of_the_picture(self) -> None:
        for focus in (0.3, 4.0, 25.0):
            flat = read_setup({"footage": {"first": 3, "last": 9}, "focus": {"distance": at(focus)}})
            numbers = resolve(apply(flat, [SetInSpace(on=True)], CLIP), 3, SIZE)
            assert numbers.space is not None
            [card] = numbers.space.cards
            away = 1 / card.seen.plane.dioptres(SIZE[0] / 2, SIZE[1] / 2)
            self.assertAlmostEqual(away / numbers.focus, 1, delta=1e-3)
            np.testing.assert_allclose(np.ptp(np.array(card.seen.corners)[:, 0]), 0.8 * SIZE[0], rtol=1e-3)
        far = apply(read_setup({"focus": {"distance": at(INFINITELY_FAR)}}), [SetInSpace(on=True)], CLIP)
        self.assertEqual(far.space.card.width, 0.3)  # type: ignore[union-attr]

    def test_ready_moves_keep_the_card_in_sight_and_say_what_they_need(self) -> None:
        with self.assertRaises(Refused):
            apply(scene({}).model_copy(update={"space": None}), [UseCameraMove(move=CameraMove.ARC)], CLIP)
        still = apply(read_setup({"footage": {"last": 49}}), [SetInSpace(on=True)], CLIP)
        corners = np.array(own_card(still).corners)  # type: ignore[union-attr]
        np.testing.assert_allclose(np.ptp(corners[:, 0]), 0.8 * SIZE[0], rtol=1e-3)
        for move in CameraMove:
            made = apply(still, [UseCameraMove(move=move)], CLIP)
            ends = [own_card(made, frame) for frame in (0, 25, 49)]
            assert all(ends)
            self.assertNotEqual(ends[0], ends[2])
            middles = [np.mean(card.corners, axis=0) for card in ends]  # type: ignore[union-attr]
            for middle in middles:
                self.assertTrue((np.abs(middle - np.array(SIZE) / 2) < np.array(SIZE) * 0.45).all(), move)
        arc = apply(still, [UseCameraMove(move=CameraMove.ARC)], CLIP)
        for frame in range(50):
            card = own_card(arc, frame)
            assert card is not None
            middle = card.plane.dioptres(SIZE[0] / 2, SIZE[1] / 2)
            self.assertAlmostEqual(middle * still.space.card.distance.keys[0].value, 1, delta=0.01)  # type: ignore[union-attr]


class Cards(TestCase):
    """What is set in space beside the shot's own picture."""

    @classmethod
    def setUpClass(cls) -> None:
        codes = np.full((SIZE[1], SIZE[0], 3), 60, np.uint8)
        codes[200:400, 400:560] = (200, 40, 40)
        facts = ClipFacts(kind=FootageKind.STILL, container="still", codec="picture", width=SIZE[0], height=SIZE[1],
                          frames=50, rate=Rate(numerator=25, denominator=1), transfer=Transfer.SRGB, bits=8)  # fmt: skip
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        store = FolderStore(Path(folder.name))
        title = np.zeros((200, 400, 4), np.uint8)
        title[50:150, 50:350] = (240, 240, 240, 255)
        cls.title = store.keep(title)
        cls.sources = Sources(HeldPicture(facts, Picture(codes, Transfer.SRGB)), SIZE[0], store)
        corners = ((400, 200), (560, 200), (560, 400), (400, 400))
        outline = {"id": "body1", "shape": at({"points": [{"id": i, "x": x, "y": y} for i, (x, y) in enumerate(corners)]}),
                   "placement": at([1, 0, 0, 0, 1, 0, 0, 0])}  # type: ignore[arg-type]  # fmt: skip
        cls.parcel = {"id": "parcel", "name": "Parcel", "distance": at(3),
                      "matte": {"kind": "outline", "outlines": [outline]}}  # fmt: skip
        cls.flat = read_setup({"subjects": [cls.parcel], "footage": {"last": 49}, "lens": {"f_number": at(64)},
                               "focus": {"distance": at(0.6)}})  # fmt: skip
        cls.set = apply(cls.flat, [SetInSpace(on=True)], CLIP)

    def test_corners_that_a_card_can_have_are_met_and_others_as_near_as_it_can(self) -> None:
        wanted = own_card(scene({"turn": 25.0, "tilt": -15.0, "roll": 8.0, "across": 0.05, "distance": 0.8}))
        assert wanted is not None
        placed = apply(self.set, [PlaceCard(card="card", frame=0, corners=wanted.corners)], CLIP)  # type: ignore[arg-type]
        reached = own_card(placed)
        assert reached is not None
        np.testing.assert_allclose(reached.corners, wanted.corners, atol=0.5)
        pulled = [(x + (120 if i == 1 else 0), y - (60 if i == 1 else 0)) for i, (x, y) in enumerate(reached.corners)]
        held = own_card(apply(placed, [PlaceCard(card="card", frame=0, corners=tuple(pulled), held=1)], CLIP))  # type: ignore[arg-type]
        assert held is not None
        self.assertLess(math.dist(held.corners[1], pulled[1]), 12)
        with self.assertRaisesRegex(Refused, "cross"):
            bow = (pulled[0], pulled[2], pulled[1], pulled[3])
            apply(placed, [PlaceCard(card="card", frame=0, corners=bow)], CLIP)

    def test_a_picture_that_is_brought_lies_before_the_shot_s_own_and_shows_it_where_it_has_holes(self) -> None:
        made = apply(self.set, [TakeCard(card="title", picture=self.title, size=(400, 200))], CLIP)
        picture = render_frame(made, 0, self.sources)
        self.assertGreater(int(picture[270, 480].min()), 230)
        seen = next(card.seen for card in space(made).cards if card.id == "title")
        corner = np.array(seen.corners).mean(axis=0) * 0.1 + np.array(seen.corners[0]) * 0.9
        self.assertLess(int(picture[round(corner[1]), round(corner[0])].min()), 100)
        # The chart and pointing know it: there its distance is seen.
        near = 1 / survey(made, 0, self.sources).foremost[67, 120]
        own = self.set.space.card.distance.keys[0].value  # type: ignore[union-attr]
        self.assertAlmostEqual(near / own, 0.9, delta=0.02)
        back = apply(made, [RemoveCard(id="title")], CLIP)
        self.assertEqual(back.space, self.set.space)

    def test_a_subject_on_a_card_of_its_own_leaves_what_is_behind_it_on_the_shot_s(self) -> None:
        made = apply(self.set, [AddCutOut(id="cut", subject="parcel")], CLIP)
        first = [render_frame(one, 0, self.sources).astype(int) for one in (self.set, made)]
        # Seen from the first place of the camera the two are alike.
        self.assertLess(float(np.abs(first[0] - first[1]).mean()), 1.0)
        aside = [
            render_frame(apply(one, [UseCameraMove(move=CameraMove.DRIFT)], CLIP), 49, self.sources).astype(int)
            for one in (self.set, made)
        ]
        red = [np.nonzero((picture[..., 0] > 150) & (picture[..., 1] < 90)) for picture in aside]
        self.assertGreater(red[0][1].mean() - red[1][1].mean(), 3)  # what is nearer goes farther to the left
        self.assertAlmostEqual(len(red[1][0]) / len(red[0][0]), 1, delta=0.1)  # and is there once
        gone = apply(made, [RemoveSubject(id="parcel")], CLIP)
        self.assertEqual(gone.space.cards, ())  # type: ignore[union-attr]

    def test_the_camera_s_focal_length_is_keyed_and_the_lens_goes_with_it(self) -> None:
        camera = {"focal_length_mm": {"keys": [{"frame": 0, "value": 35}, {"frame": 49, "value": 70}]}}
        made = self.set.model_copy(update={"space": read_setup({"space": {"camera": camera}}).space})
        wide, close = (np.ptp(np.array(own_card(made, frame).corners)[:, 0]) for frame in (0, 49))  # type: ignore[union-attr]
        self.assertAlmostEqual(close / wide, 2, places=4)
        # The hyperfocal distance goes with the square of the focal length, but for one focal length (handbooks of optics).
        far = [read_frame(made, frame, SIZE).lens.hyperfocal for frame in (0, 49)]
        self.assertAlmostEqual((far[1] - 0.07) / (far[0] - 0.035), 4, delta=0.001)

    def test_out_of_space_and_in_again_all_is_as_it_was(self) -> None:
        moved = apply(self.set, [UseCameraMove(move=CameraMove.PUSH), SetInSpace(on=False)], CLIP)
        np.testing.assert_array_equal(render_frame(moved, 30, self.sources), render_frame(self.flat, 30, self.sources))
        again = apply(moved, [SetInSpace(on=True)], CLIP)
        self.assertEqual(len(again.space.camera.ahead.keys), 2)  # type: ignore[union-attr]
