"""What the network is trained on: samples come from their numbers alone, and are wrong as following is, not otherwise."""

from __future__ import annotations

from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kalyptra.core.following.propagate.evidence import PLANES
from kalyptra.core.matte.overlap import overlap
from kalyptra.truth.motion.clip import MotionClip, Scenario, Trouble
from kalyptra.truth.motion.kinds import KINDS
from kalyptra.truth.motion.scene import Background, Camera
from training.confidence import FLAGGED, fitted
from training.edge_samples import samples_of as edge_samples
from training.kinds import PARCEL, carrying, made_up
from training.samples import SEED, damage, light_of, loose, packed, samples_of, scenario_of, unpacked


class Samples(TestCase):
    def test_a_clip_comes_from_its_number_and_all_troubles_places_and_cameras_come(self) -> None:
        many = [scenario_of(number)[0] for number in range(300)]
        self.assertEqual(many[7], scenario_of(7)[0])
        self.assertEqual({trouble for made in many for trouble in made.troubles}, set(Trouble))
        self.assertEqual({made.background for made in many}, set(Background))
        self.assertEqual({made.camera for made in many}, set(Camera))
        self.assertGreaterEqual(min(made.seed for made in many), SEED)

    def test_subjects_that_never_were_can_be_seen_and_no_two_are_alike(self) -> None:
        areas = []
        for seed in range(12):
            made = Scenario("a check", "training", "walker", Background.FLAT, Camera.LOCKED, frozenset(), seed, 2)
            areas.append(float(MotionClip(made, made_up(seed)).subject(0.0)[1].sum()))
        self.assertGreater(min(areas), 200)
        self.assertEqual(len({round(area) for area in areas}), 12)

    def test_who_carries_a_parcel_looks_as_before_but_for_that(self) -> None:
        traits = np.linspace(0, 1, 12)
        for kind in (KINDS["walker"], made_up(3)):
            loaded = carrying(kind, 5)
            *rest, parcel = loaded.parts(0.4, traits)
            self.assertEqual(parcel.surface, PARCEL)
            before = [kind.colours[part.surface] for part in kind.parts(0.4, traits)]
            self.assertEqual([loaded.colours[part.surface] for part in rest], before)

    def test_an_edge_is_learnt_from_where_the_matte_and_the_larger_picture_lie_over_each_other(self) -> None:
        sample = next(edge_samples(500_002))
        height, width = sample.matte.shape
        self.assertEqual(
            (sample.codes.shape, sample.truth.shape), ((2 * height, 2 * width, 3), (2 * height, 2 * width))
        )
        rough, truth = np.kron(sample.matte, np.ones((2, 2), np.uint8)) > 127, sample.truth > 127
        shares = {across: overlap(np.roll(rough, across, 1), truth) for across in (-6, 0, 6)}
        self.assertGreater(shares[0], max(shares[-6], shares[6]))

    def test_planes_and_mattes_of_a_sample_belong_together(self) -> None:
        number = next(n for n in range(50) if scenario_of(n)[0].frames == 16 and not scenario_of(n)[0].troubles)
        both = list(samples_of(number, None))
        self.assertGreater(len(both), 3)
        for planes, truth in both:
            self.assertEqual(planes.shape, (len(PLANES), *truth.shape))
            self.assertLess(np.abs(unpacked(packed(planes)) - planes).max(), 1 / 90)
            self.assertTrue((planes[PLANES.index("odds by rule")] != 0).mean() > 0.5, "what the rules say is a plane")

    def test_about_half_of_the_clips_are_seen_in_another_light_in_which_what_is_lighter_is_so_still(self) -> None:
        lights = [light_of(number)[:, 0].astype(int) for number in range(200)]
        same = [np.array_equal(light, np.arange(256)[:, None] * np.ones(3)) for light in lights]
        self.assertTrue(70 < sum(same) < 130)
        self.assertTrue(all((np.diff(light, axis=0) >= 0).all() for light in lights))
        self.assertLess(min(light.max() for light in lights), 90, "some are dim")

    @settings(max_examples=30, deadline=None)
    @given(st.integers(0, 10**6))
    def test_a_damaged_matte_is_still_a_matte_of_about_the_same_thing(self, seed: int) -> None:
        truth = np.zeros((120, 160), np.float32)
        truth[30:90, 50:110] = 1
        wrong = damage(np.random.default_rng(seed), truth, np.full((120, 160, 3), 90, np.uint8))
        self.assertTrue(wrong.min() >= 0 and wrong.max() <= 1 and wrong.shape == truth.shape)
        self.assertGreater(np.minimum(wrong, truth).sum() / np.maximum(wrong, truth).sum(), 0.15)

    @settings(max_examples=30, deadline=None)
    @given(st.integers(0, 10**6))
    def test_a_loose_matte_holds_the_whole_subject_and_little_around_it(self, seed: int) -> None:
        truth = np.zeros((270, 480), np.float32)
        truth[60:220, 180:280] = 1
        line = loose(np.random.default_rng(seed), truth)
        self.assertTrue(line.min() >= 0 and line.max() <= 1 and line.shape == truth.shape)
        self.assertGreater(float((line > 0.5)[truth > 0.5].mean()), 0.97)
        self.assertLess(float(line.sum()), 1.15 * float(truth.sum()))


class Confidence(TestCase):
    def test_the_fit_finds_what_parts_bad_from_good(self) -> None:
        chance = np.random.default_rng(2)
        known = np.c_[np.ones(600), chance.uniform(0, 1, 600), chance.normal(0, 5, 600)]
        bad = known[:, 1] < 0.3
        weights = fitted(known, bad)
        flagged = known @ weights > 0
        self.assertGreater(flagged[bad].mean(), 0.99)
        self.assertAlmostEqual(flagged[~bad].mean(), FLAGGED, delta=0.01)
        self.assertLess(weights[1], 0)
        self.assertLess(abs(weights[2]) * 5, abs(weights[1]) * 0.05)
