"""A change of exposure is measured from what is the same in two frames, and taken back."""

from __future__ import annotations

import itertools
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kalyptra.core.following.propagate.exposure import exposed_back, exposure_ratio


class Exposure(TestCase):
    @settings(max_examples=30, deadline=None)
    @given(st.floats(0.93, 1.07), st.integers(0, 99))
    def test_it_is_measured_to_one_percent_beside_something_new_and_grain(self, ratio: float, seed: int) -> None:
        chance = np.random.default_rng(seed)
        plain = chance.integers(30, 190, (60, 80, 3)).astype(np.float32)
        grain = chance.normal(0, 2.4, (2, 60, 80, 3))
        before, after = (
            np.clip(np.round(c), 0, 255).astype(np.uint8) for c in (plain + grain[0], plain * ratio + grain[1])
        )
        after[:20, :30] = 128  # somebody came
        found = exposure_ratio(before, after, np.ones((60, 80), bool))
        self.assertAlmostEqual(found / ratio, 1, delta=0.01)

    def test_a_slow_change_is_not_rounded_away_over_many_frames(self) -> None:
        plain = np.random.default_rng(1).uniform(40, 160, (60, 80, 3))
        frames = [np.round(plain * 1.004**i).astype(np.uint8) for i in range(40)]
        total = np.prod([exposure_ratio(a, b, np.ones((60, 80), bool)) for a, b in itertools.pairwise(frames)])
        self.assertAlmostEqual(total / 1.004**39, 1, delta=0.01)
        back = exposed_back(frames[-1], float(total))
        self.assertLess(np.abs(back.astype(float) - frames[0]).mean(), 1.5)

    def test_a_frame_that_shows_something_else_says_nothing(self) -> None:
        dark, light = np.full((60, 80, 3), 40, np.uint8), np.full((60, 80, 3), 200, np.uint8)
        self.assertEqual(exposure_ratio(dark, light, np.ones((60, 80), bool)), 1.0)
