"""The numbers beside the picture are those of the picture: limits, held ranges, blur size."""

from __future__ import annotations

from unittest import TestCase

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kalyptra.core.edit import ClipExtent
from kalyptra.core.edit.shot import HoldEnd, RideRange
from kalyptra.core.edit.values import SetAt
from kalyptra.core.lens.optics import ThinLens
from kalyptra.core.proof.blur_size import FAR, NEAR, SHARP, blur_view
from kalyptra.core.reading import iris_outline, read_frame
from kalyptra.core.setup.document.distance import backdrop_at
from kalyptra.core.setup.document.focus import Focus, still_focus
from kalyptra.core.setup.document.setup import HeldRange, Iris, Lens, Setup

DISTANCES = st.floats(0.3, 200)


def setup(**lens: object) -> Setup:
    return Setup(
        lens=Lens.model_validate({"f_number": 1.2} | lens),
        focus=Focus(distance=still_focus(2.0)),
        distance=backdrop_at(6.0),
    )


class Readings(TestCase):
    def test_a_lens_reads_as_the_handbook_says(self) -> None:
        # 50 mm, f/1.2, focused at 2 m: a thing at 6 m opens to 37.99 px of a picture 1920 px wide on 36 mm (CoC formula).
        lens = read_frame(setup(), 0, (1920, 1080)).lens
        self.assertAlmostEqual(lens.softness, 37.99, delta=0.01)
        self.assertTrue(lens.near < 2.0 < (lens.far or 0))

    def test_softness_is_turned_into_an_f_number(self) -> None:
        lens = read_frame(setup(aperture="softness", softness=37.99), 0, (1920, 1080)).lens
        self.assertAlmostEqual(lens.f_number, 1.2, delta=0.001)

    @given(DISTANCES, DISTANCES, DISTANCES, st.floats(0, 1))
    def test_a_held_range_is_sharp_and_blur_grows_from_its_ends(
        self, a: float, b: float, z: float, roll: float
    ) -> None:
        near, far = min(a, b), max(a, b)
        optics = ThinLens(0.05, 2.0, 2.0, 0.036)

        def disc(distance: float) -> float:
            return float(optics.held_coc(np.array([1 / distance], np.float32), 1920, near, far, roll)[0])

        if near <= z <= far:
            self.assertAlmostEqual(disc(z), 0, delta=1e-3)
        else:
            # Single precision cannot tell a thing from the end that it all but lies at.
            if min(abs(1 / z - 1 / near), abs(1 / z - 1 / far)) > 1e-6 / near:
                self.assertEqual(disc(z) > 0, z < near)
            beyond = z / 1.5 if z < near else z * 1.5
            self.assertGreaterEqual(abs(disc(beyond)), abs(disc(z)))
            self.assertLessEqual(abs(disc(z)), optics.coc_slope(1920) * max(1 / z - 1 / near, 1 / far - 1 / z) + 1e-3)

    def test_held_limits_are_shown_as_the_limits(self) -> None:
        lens = read_frame(setup(held=HeldRange(near=1.5, far=4.0).model_dump()), 0, (1920, 1080)).lens
        self.assertEqual((lens.near, lens.far), (1.5, 4.0))

    def test_a_held_range_moves_by_keys_and_reaches_infinity(self) -> None:
        near = {"keys": [{"frame": 0, "value": 1.0, "ease": "linear"}, {"frame": 10, "value": 3.0}]}
        moving = setup(held={"near": near, "far": 100_000})
        ends = [read_frame(moving, frame, (1920, 1080)).lens for frame in (0, 5, 10)]
        self.assertEqual([lens.far for lens in ends], [None] * 3)
        np.testing.assert_allclose([lens.near for lens in ends], [1.0, 1.5, 3.0])  # half way in dioptres

    @given(st.floats(0.3, 1.9), st.floats(2.1, 40), st.floats(0.6, 30))
    def test_a_range_that_goes_with_the_focus_is_the_same_until_focus_moves(
        self, near: float, far: float, to: float
    ) -> None:
        clip = ClipExtent(1920, 1080, 50)
        stays = setup(held={"near": near, "far": far})
        rides = RideRange(on=True).apply(stays, clip)
        before, after = (read_frame(one, 0, clip.size).lens for one in (stays, rides))
        np.testing.assert_allclose([after.near, after.far], [before.near, before.far], rtol=1e-4)
        pulled = read_frame(SetAt(path="focus.distance", frame=0, value=to).apply(rides, clip), 0, clip.size).lens
        np.testing.assert_allclose(pulled.near, max(0.02, to - (2.0 - near)), rtol=1e-4)
        np.testing.assert_allclose(pulled.far, to + far - 2.0, rtol=1e-4)
        dragged = HoldEnd(end="near", frame=0, distance=1.0).apply(rides, clip)
        self.assertAlmostEqual(read_frame(dragged, 0, clip.size).lens.near, 1.0, places=4)
        back = read_frame(RideRange(on=False).apply(rides, clip), 0, clip.size).lens
        np.testing.assert_allclose([back.near, back.far], [before.near, before.far], rtol=1e-4)

    def test_the_picture_of_the_iris_has_as_many_corners_as_blades(self) -> None:
        points = np.array(iris_outline(setup(iris=Iris(blades=6, roundness=0).model_dump())))
        radius = np.hypot(*points.T)
        corners = (radius > np.roll(radius, 1)) & (radius >= np.roll(radius, -1))
        self.assertEqual(corners.sum(), 6)

    def test_blur_size_is_dark_where_sharp_and_tells_near_from_far(self) -> None:
        colours = blur_view(np.array([[0, 40, -40, 9999]], np.float32), 40)[0]
        np.testing.assert_array_equal(colours, [SHARP, NEAR[1], FAR[1], NEAR[1]])
