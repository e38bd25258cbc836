"""Framing: what is cut keeps its pixels, what is enlarged is what a resampling by hand makes of it."""

from __future__ import annotations

from unittest import TestCase

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy import ndimage

from kalyptra.core import ClipExtent, apply, render_frame
from kalyptra.core.edit.finish import MoveFrame
from kalyptra.core.edit.values import PutPlace
from kalyptra.core.finish.framing import framed, framed_size, window_of_frame
from kalyptra.core.frame import render_framed
from kalyptra.core.proof.views import View
from kalyptra.core.setup.resolve.finish import FramingAt, framing_at
from kalyptra.core.tests.test_finish import HEIGHT, WIDTH, quay, setup, sources, with_grain

EXTENT = ClipExtent(WIDTH, HEIGHT, 100)
ASPECTS = {"2.39:1": 2.39, "16:9": 16 / 9, "4:5": 0.8, "1:1": 1.0, "9:16": 9 / 16}


class Frames(TestCase):
    @given(
        st.sampled_from([None, *ASPECTS.values()]),
        st.floats(1, 4),
        st.one_of(st.none(), st.tuples(st.floats(-500, 2000), st.floats(-500, 2000))),
    )
    def test_it_has_its_aspect_and_never_leaves_the_picture(
        self, aspect: float | None, scale: float, place: tuple[float, float] | None
    ) -> None:
        framing = FramingAt(aspect, scale, place)
        left, top, across, down = window_of_frame(540, 960, framing, 1920)
        self.assertGreaterEqual(min(left, top), 0)
        self.assertLessEqual(left + across, 960 + 1e-6)
        self.assertLessEqual(top + down, 540 + 1e-6)
        rows, columns = framed_size(540, 960, framing)
        self.assertAlmostEqual(columns / rows, aspect or 960 / 540, delta=0.01)
        self.assertAlmostEqual(columns / across, scale, delta=0.01)

    def test_what_is_cut_keeps_its_pixels(self) -> None:
        codes = with_grain(quay(), 1)
        cut = setup(strength={"keys": [{"frame": 0, "value": 0}]}, framing={"aspect": "1:1"})
        shown = render_framed(cut, 0, sources(lambda frame: codes))
        self.assertEqual(shown.shape, (HEIGHT, HEIGHT, 3))
        left = (WIDTH - HEIGHT) // 2
        np.testing.assert_array_equal(shown, codes[:, left : left + HEIGHT])

    def test_what_is_enlarged_is_resampled_where_it_was(self) -> None:
        light = ndimage.gaussian_filter(np.random.default_rng(4).random((90, 160, 3)), (2, 2, 0)).astype(np.float32)
        framing = FramingAt(None, 1.5, (100.0, 40.0))
        left, top, across, down = window_of_frame(90, 160, framing, 160)
        y, x = np.indices((90, 160), float)
        at = [top + (y + 0.5) / 1.5 - 0.5, left + (x + 0.5) / 1.5 - 0.5]
        expected = np.dstack([ndimage.map_coordinates(light[..., c], at, order=3, mode="nearest") for c in range(3)])
        made = framed(light, framing, 160)
        self.assertLess(float(np.abs(made - expected)[4:-4, 4:-4].max()), 0.02)
        self.assertAlmostEqual(across * 1.5, 160)
        self.assertAlmostEqual(down * 1.5, 90)

    def test_a_slow_move_ends_where_it_was_pointed_and_the_page_shows_it_whole(self) -> None:
        moved = apply(
            setup(), [PutPlace(path="finish.framing.place", x=200, y=100), MoveFrame(x=300, y=150, scale=1.4)], EXTENT
        )
        start, end = (framing_at(moved.finish.framing, frame) for frame in (0, 99))
        self.assertEqual((start.scale, start.place, end.scale, end.place), (1.0, (200, 100), 1.4, (300, 150)))
        half = framing_at(moved.finish.framing, 25)
        self.assertLess(half.scale, 1.1)  # eased: it sets off slowly
        upright = setup(framing={"aspect": "9:16"})
        whole = render_frame(upright, 0, sources(lambda frame: with_grain(quay(), 1)), View.FRAMED)
        self.assertEqual(whole.shape, (HEIGHT, WIDTH, 3))
        self.assertEqual(int(whole[:, :100].max()), 0)
        self.assertGreater(int(whole[:, WIDTH // 2].min()), 0)
