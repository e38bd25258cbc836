"""Edges that are drawn to the picture: loose lines find them, thin parts stay, softness that is there or meant stays."""

from __future__ import annotations

from unittest import TestCase

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.reader import Picture
from kalyptra.core.matte.edge_network import FILE, edge_by_network
from kalyptra.core.matte.local_colours import edge_by_colours, px_outside
from kalyptra.core.matte.refine import edged, grown
from kalyptra.core.setup.document.outline import Joins
from kalyptra.core.setup.document.setup import Acts, Edge, Refine
from kalyptra.core.setup.geometry.curve import Curve
from kalyptra.core.setup.geometry.shapes import ellipse
from kalyptra.core.setup.resolve.look import DrawnAt, SubjectAt
from kalyptra.core.setup.resolve.outline import OutlineAt
from kalyptra.core.store import EmptyStore
from kalyptra.core.subject_matte import subject_matte
from kalyptra.core.tests.moving import overlap, texture

SIZE = (180, 260)
DRAWN = Refine(edge=Edge.FAST, edge_width=8)
Values = NDArray[np.float32]


def scene(truth: Values, seed: int) -> NDArray[np.uint8]:
    front, back = texture(seed, SIZE, (0.62, 0.4, 0.25)), texture(seed + 1, SIZE, (0.3, 0.38, 0.52))
    return np.clip(front * truth[..., None] + back * (1 - truth[..., None]), 0, 255).astype(np.uint8)


def away(matte: Values) -> Values:
    solid = (matte > 0.5).astype(np.uint8)
    return cv2.distanceTransform(1 - solid, cv2.DIST_L2, 5) - cv2.distanceTransform(solid, cv2.DIST_L2, 5)


def blob(*parts: tuple[tuple[int, int], tuple[int, int], float]) -> Values:
    out = np.zeros((4 * SIZE[0], 4 * SIZE[1]), np.uint8)
    for (x, y), (a, b), turn in parts:
        cv2.ellipse(out, (4 * x, 4 * y), (4 * a, 4 * b), turn, 0, 360, 255, -1)
    return cv2.resize(out, SIZE[::-1], interpolation=cv2.INTER_AREA).astype(np.float32) / 255


class EdgeByColours(TestCase):
    @settings(max_examples=12, deadline=None)
    @given(st.integers(0, 500), st.floats(1, 3), st.floats(3, 6), st.floats(0, 180))
    def test_a_line_that_lies_loosely_around_a_subject_goes_to_its_edge(self, seed, least, most, turn) -> None:
        truth = blob(((130, 92), (70, 40), turn), ((130, 60), (26, 30), 0))
        waves = np.random.default_rng(seed).uniform(least, most, (5, 7)).astype(np.float32)
        loose = np.clip(0.5 - away(truth) + cv2.resize(waves, SIZE[::-1]), 0, 1).astype(np.float32)
        solved = edged(loose, scene(truth, seed), DRAWN, 1.0, True, drawn=True)
        self.assertGreater(overlap(solved, truth), 0.97)
        self.assertLess(np.abs(solved - truth).sum(), 0.35 * np.abs(loose - truth).sum())

    def test_how_loosely_a_line_was_drawn_is_measured(self) -> None:
        truth = blob(((130, 92), (70, 40), 0), ((130, 60), (26, 30), 0))
        for px in (0, 2, 4, 6):
            drawn = np.clip(0.5 - away(truth) + px, 0, 1).astype(np.float32)
            closely = edge_by_colours(scene(truth, 3), drawn, 8.0, loose=True)
            self.assertAlmostEqual(px_outside(drawn, closely, 8.0), px, delta=1)

    def test_a_strap_thinner_than_the_band_stays(self) -> None:
        truth = blob(((90, 100), (40, 44), 0))
        cv2.line(truth, (110, 80), (210, 40), 1.0, 3, cv2.LINE_AA)
        loose = np.clip(0.5 - away(truth) + 2, 0, 1).astype(np.float32)
        solved = edged(loose, scene(truth, 3), DRAWN, 1.0, True, drawn=True)
        along = [solved[round(80 - 40 * t), round(110 + 100 * t)] for t in np.linspace(0.35, 0.95, 30)]
        self.assertGreater(np.mean(along), 0.75)
        self.assertGreater(np.min(along), 0.4)

    def test_far_from_its_line_and_without_a_picture_to_go_by_a_matte_stays_what_it_is(self) -> None:
        matte = blob(((130, 92), (70, 40), 20))
        solved = edged(matte, scene(matte, 8), DRAWN, 1.0, True)
        far = np.abs(away(matte)) > 12
        np.testing.assert_array_equal(solved[far], matte[far])
        even = edged(matte, np.full((*SIZE, 3), 90, np.uint8), DRAWN, 1.0, True)
        self.assertGreater(overlap(even, matte), 0.99)


class EdgeByNetwork(TestCase):
    """What it was fitted on is made with other shapes, surfaces and motion (`training/edge_samples.py`)."""

    def rough(self, truth: Values, seed: int) -> Values:
        """A matte as it is followed at half the size: off by up to two px, here to this side and there to that."""
        waves = np.random.default_rng(seed).uniform(-2, 2, (9, 13)).astype(np.float32)
        moved = np.clip(0.5 - away(truth) + cv2.resize(waves, SIZE[::-1], interpolation=cv2.INTER_CUBIC), 0, 1)
        small = cv2.resize(moved.astype(np.float32), (SIZE[1] // 2, SIZE[0] // 2), interpolation=cv2.INTER_AREA)
        return np.asarray(cv2.resize(small, SIZE[::-1], interpolation=cv2.INTER_LINEAR), np.float32)

    @settings(max_examples=12, deadline=None)
    @given(st.integers(0, 500), st.floats(0, 180), st.floats(0, 8))
    def test_a_line_that_is_off_here_and_there_goes_to_the_edge(self, seed: int, turn: float, grain: float) -> None:
        truth = blob(((130, 92), (70, 40), turn), ((130, 60), (26, 30), 0))
        noise = np.random.default_rng(seed).normal(0, grain, (*SIZE, 3))
        codes = np.clip(scene(truth, seed) + noise, 0, 255).astype(np.uint8)
        rough = self.rough(truth, seed)
        told = edge_by_network(codes, rough, 4.0)
        self.assertGreater(overlap(told, truth), 0.98)
        # Of 400 draws the middle one leaves a third of it, the worst 0.56.
        self.assertLess(np.abs(told - truth).sum(), 0.7 * np.abs(rough - truth).sum())

    def test_far_from_its_line_a_matte_stays_and_where_it_has_none_all_of_it(self) -> None:
        matte = blob(((130, 92), (70, 40), 20))
        codes = scene(matte, 8)
        far = np.abs(away(matte)) > 7
        np.testing.assert_array_equal(edge_by_network(codes, matte, 4.0)[far], matte[far])
        for even in (np.zeros(SIZE, np.float32), np.ones(SIZE, np.float32)):
            np.testing.assert_array_equal(edge_by_network(codes, even, 4.0), even)

    def test_it_is_the_same_on_every_run_and_at_twice_the_size_nearly_the_same(self) -> None:
        truth = blob(((130, 92), (70, 40), 20))
        codes, rough = scene(truth, 5), self.rough(truth, 5)
        told = edge_by_network(codes, rough, 4.0)
        self.assertEqual(told.tobytes(), edge_by_network(codes, rough, 4.0).tobytes())
        large = (2 * SIZE[1], 2 * SIZE[0])
        twice = edge_by_network(cv2.resize(codes, large), cv2.resize(rough, large), 8.0)
        self.assertGreater(overlap(cv2.resize(twice, SIZE[::-1], interpolation=cv2.INTER_AREA), told), 0.975)
        self.assertLess(FILE.stat().st_size, 4_000_000)


class Feather(TestCase):
    def test_a_feather_leaves_hair_as_it_is_and_softens_a_hard_edge(self) -> None:
        hair = blob(((130, 92), (60, 40), 0))
        wide = (away(hair) > 0) & (away(hair) < 14)
        hair = np.where(wide, np.float32(0.3), hair)
        soft = grown(hair, Refine(feather_in=3, feather_out=3), 1.0)
        middle = (away(blob(((130, 92), (60, 40), 0))) > 6) & (away(blob(((130, 92), (60, 40), 0))) < 8)
        self.assertAlmostEqual(float(soft[middle].mean()), 0.3, delta=0.06)
        hard = blob(((130, 92), (60, 40), 0))
        ramp = grown(hard, Refine(feather_in=4, feather_out=4), 1.0)
        self.assertAlmostEqual(float(ramp[np.abs(away(hard) + 2) < 0.5].mean()), 0.84, delta=0.06)

    def test_a_feather_of_a_soft_edge_leaves_the_inside_whole_and_all_around_empty(self) -> None:
        signed = away(blob(((130, 92), (60, 40), 0)))
        for softness, feather in ((3, 0.6), (3, 3), (6, 1.5), (8, 4)):
            with self.subTest(softness=softness, feather=feather):
                matte = np.clip(0.5 - signed / softness, 0, 1).astype(np.float32)
                soft = grown(matte, Refine(feather_in=feather, feather_out=feather), 1.0)
                reach = softness / 2 + feather + 1
                self.assertAlmostEqual(float(soft[signed < -reach].min()), 1.0, places=5)
                self.assertAlmostEqual(float(soft[signed > reach].max()), 0.0, places=5)
                self.assertAlmostEqual(float(soft.sum() / matte.sum()), 1, delta=0.01)

    def test_a_slight_feather_goes_from_all_to_nothing_by_its_profile(self) -> None:
        y, x = np.indices((200, 300), np.float32)
        away_from_line = np.hypot(x - 150, y - 100) - 60.3
        hard = np.clip(0.5 - away_from_line, 0, 1).astype(np.float32)
        for feather in (0.6, 1.2, 1.9):
            slight = grown(hard, Refine(feather_in=feather, feather_out=feather), 1.0)
            t = np.clip(0.5 - away_from_line / (2 * feather), 0, 1)
            np.testing.assert_allclose(slight, t * t * (3 - 2 * t), atol=0.16 if feather < 1 else 0.08)
            self.assertAlmostEqual(float(slight.sum() / hard.sum()), 1, places=3)

    def test_where_points_have_a_feather_of_their_own_it_holds_and_not_the_picture(self) -> None:
        rows = Curve.model_validate(ellipse(130, 92, 120, 80)).rows
        truth = blob(((130, 92), (54, 34), 0))
        picture = Picture(scene(truth, 5), Transfer.SRGB)

        def matte(feather: float, refine: Refine) -> Values:
            own = rows.copy()
            own[:, 6:8] = feather
            at = DrawnAt((OutlineAt(Joins.ADD, tuple(map(tuple, own.tolist()))),))
            subject = SubjectAt("a", Acts.CUT_OUT, at, (), refine, 2.0)
            return subject_matte(subject, picture, 1.0, EmptyStore())

        self.assertGreater(overlap(matte(0.0, DRAWN), truth), 0.96)
        self.assertLess(np.abs(matte(10.0, DRAWN) - matte(10.0, Refine())).max(), 0.1)
