"""A curve over a source's distances: points are passed through, ends are held, and between it never overshoots."""

from __future__ import annotations

from itertools import pairwise
from unittest import TestCase

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kalyptra.core import Refused, apply
from kalyptra.core.compose import distance_map
from kalyptra.core.distance.toned import Toned, toned
from kalyptra.core.edit import ClipExtent
from kalyptra.core.edit.sources import BendSource
from kalyptra.core.setup.resolve.look import resolve
from kalyptra.core.tests.test_surveying import HEIGHT, PLANE, WALL, WIDTH, setup, sources

POINTS = st.lists(
    st.tuples(st.floats(0, 1), st.floats(0, 1)), min_size=2, max_size=6, unique_by=lambda p: round(p[0], 2)
)


class Curves(TestCase):
    @given(POINTS)
    def test_it_passes_through_its_points_and_stays_between_them(self, points: list[tuple[float, float]]) -> None:
        ordered = tuple(sorted(points))
        curve = Toned(ordered, 0.1, 1.1)
        at = np.array([0.1 + x for x, _ in ordered], np.float32)
        steepest = max(abs(b[1] - a[1]) / (b[0] - a[0]) for a, b in pairwise(ordered))
        np.testing.assert_allclose(toned(at, curve), [0.1 + y for _, y in ordered], atol=3e-3 + 3 * steepest / 1024)
        everywhere = toned(np.linspace(-1, 3, 500, dtype=np.float32), curve)
        heights = [0.1 + y for _, y in ordered]
        self.assertGreaterEqual(float(everywhere.min()), min(heights) - 1e-4)
        self.assertLessEqual(float(everywhere.max()), max(heights) + 1e-4)

    def test_more_of_a_plane_stays_near_and_its_ends_stay_where_they_are(self) -> None:
        extent = ClipExtent(WIDTH, HEIGHT, 10)
        even = setup(WALL, PLANE)
        bent = apply(even, [BendSource(source="plane", curve=((0, 0), (0.35, 0.62), (1, 1)))], extent)
        column = []
        for made in (even, bent):
            clip = sources()
            found = distance_map(resolve(made, 0, (WIDTH, HEIGHT)), clip.footage.picture(0), [], clip)
            column.append(found[:, WIDTH // 2])
        self.assertGreater(float((column[1] - column[0]).max()), 0.1 * float(np.ptp(column[0])))
        self.assertGreaterEqual(float((column[1] - column[0]).min()), -0.002)
        np.testing.assert_allclose(column[1][[0, -1]], column[0][[0, -1]], atol=0.01)
        self.assertEqual(apply(bent, [BendSource(source="plane")], extent), even)
        with self.assertRaises(Refused):
            apply(even, [BendSource(source="plane", curve=((0.5, 0), (0.2, 1)))], extent)
