"""A free outline goes to the border of its subject's region, and its points keep their order and their places on it."""

from __future__ import annotations

from unittest import TestCase

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kalyptra.core.following.track.matched_line import border_of, matched


def ring(radius: float, count: int, turn: float = 0.0) -> np.ndarray:
    t = np.linspace(0, 2 * np.pi, count, endpoint=False) + turn
    return np.stack([120 + radius * np.cos(t), 100 + radius * np.sin(t)], axis=1)


def disc(*circles: tuple[int, int, int]) -> np.ndarray:
    out = np.zeros((220, 320), np.float32)
    for x, y, radius in circles:
        cv2.circle(out, (x, y), radius, 1.0, -1)
    return out


class MatchedLine(TestCase):
    @settings(max_examples=25, deadline=None)
    @given(st.floats(30, 60), st.floats(0, 6.2), st.booleans())
    def test_a_ring_goes_to_the_larger_disc_around_it_place_by_place(self, radius, turn, backwards) -> None:
        line = ring(radius, 60, turn)[:: -1 if backwards else 1]
        there = matched(line, border_of(disc((120, 100, 70))))
        way = there - (120, 100)
        self.assertLess(np.abs(np.hypot(*way.T) - 70).max(), 1.5)
        turned = np.angle(np.exp(1j * (np.arctan2(*way.T[::-1]) - np.arctan2(*(line - (120, 100)).T[::-1]))))
        self.assertLess(np.abs(turned).max(), np.radians(6))

    def test_of_a_region_in_two_parts_of_a_kind_one_border_goes_around_both(self) -> None:
        border = border_of(disc((100, 100, 30), (180, 100, 30)))
        self.assertLess(border[:, 0].min(), 72)
        self.assertGreater(border[:, 0].max(), 208)

    def test_a_crumb_beside_a_region_is_left_out_and_nothing_has_no_border(self) -> None:
        self.assertLess(border_of(disc((100, 100, 40), (250, 100, 5)))[:, 0].max(), 145)
        self.assertEqual(len(border_of(np.zeros((40, 40), np.float32))), 0)
