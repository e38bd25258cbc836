"""The lens by the handbook, its irises by area, its blur by direct convolution, and pictures beside a true lens."""

from __future__ import annotations

import math
from itertools import pairwise
from pathlib import Path
from unittest import TestCase

import cv2
import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray
from scipy.signal import fftconvolve
from skimage.metrics import peak_signal_noise_ratio as psnr

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.transfer import code_of
from kalyptra.core.layered import CutOut, Opening, Quality, through_lens
from kalyptra.core.lens.blur import FINAL, PREVIEW, Setting, blur
from kalyptra.core.lens.iris import kernel
from kalyptra.core.lens.optics import ThinLens, f_number_for
from kalyptra.core.lens.scatter import Flat
from kalyptra.core.setup.document.setup import Iris

REFERENCE = Path(__file__).resolve().parents[4] / "shared" / "reference"
distances = st.floats(0.3, 300)


def iris_of(
    blades: int = 0, roundness: float = 0.0, turn: float = 0.0, squeeze: float = 1.0, rim: str = "even"
) -> Iris:
    return Iris.model_validate(locals())


def lens(f: float, n: float, s: float, sensor: float = 36) -> ThinLens:
    return ThinLens(f / 1000, n, s, sensor / 1000)


class Handbook(TestCase):
    def test_depth_of_field(self) -> None:
        # Thin-lens equations as in S. F. Ray, Applied Photographic Optics (cited from memory); mm.
        for f, n, c, s, hyperfocal, near, far in (
            (50, 8, 0.030, 5000, 10466.7, 3389.4, 9527.4),
            (50, 1.4, 0.030, 2000, 59573.8, 1936.6, 2067.7),
            (35, 2.8, 0.030, 3000, 14618.3, 2493.1, 3765.6),
            (85, 1.2, 0.030, 1500, 200779.4, 1489.5, 1510.7),
            (25, 2.8, 0.0146, 2000, 15313.6, 1771.2, 2296.7),
            (4.25, 1.8, 0.002, 500, 5021.6, 455.0, 554.8),
        ):
            optics = lens(f, n, s / 1000)
            found = (optics.hyperfocal(c / 1000), *optics.limits(c / 1000))
            np.testing.assert_allclose(np.array(found) * 1000, (hyperfocal, near, far), atol=0.06)

    def test_circle_of_confusion(self) -> None:
        # The same source; the last column is px.
        for f, n, s, z, sensor, width, px in (
            (50, 1.2, 2, 6, 36, 1920, 37.99),
            (50, 1.2, 2, math.inf, 36, 1920, 56.98),
            (85, 1.2, 1.5, 5.2, 36, 640, 53.82),
            (24, 2.8, 1, 0.5, 36, 1920, 11.24),
        ):
            coc = lens(f, n, s, sensor).signed_coc(np.array([1 / z], np.float32), width)[0]
            self.assertAlmostEqual(abs(float(coc)), px, delta=0.006)
            self.assertEqual(coc > 0, z < s)

    @given(distances, distances, st.floats(1, 20))
    def test_softness_and_f_number_are_two_ways_to_say_the_same(self, s: float, z: float, softness: float) -> None:
        n = f_number_for(softness, z, 0.05, s, 0.036, 1920)
        if 0.1 < n < 256:
            disc = abs(lens(50, n, s).coc_slope(1920) * (1 / z - 1 / s))
            self.assertAlmostEqual(disc, softness, delta=1e-6 * softness)

    @given(st.floats(20, 100), st.floats(1, 16))
    def test_focused_at_the_hyperfocal_distance_all_is_sharp_from_half_of_it(self, f: float, n: float) -> None:
        h = lens(f, n, 5).hyperfocal(3e-5)
        near, far = lens(f, n, h).limits(3e-5)
        self.assertTrue(math.isinf(far) or far > 1e6)
        self.assertAlmostEqual(near / h, 0.5, delta=2 * f / 1000 / h)


def harbour_light(size: tuple[int, int], seed: int = 3) -> NDArray[np.float32]:
    """Invented: soft shapes, fine noise and small lights brighter than white, with coverage 1."""
    draw = np.random.default_rng(seed)
    picture = cv2.GaussianBlur(draw.random((*size, 3)), (0, 0), 5) * 0.5 + draw.random((*size, 3)) * 0.06
    for _ in range(14):
        y, x = draw.integers(0, size[0]), draw.integers(0, size[1])
        picture[y : y + 2, x : x + 2] = draw.random(3) * 4
    return np.dstack([picture, np.ones(size)]).astype(np.float32)


def spread(
    layer: NDArray[np.float32], radius: NDArray[np.float32] | float, iris: Iris, setting: Setting
) -> NDArray[np.float32]:
    radii = np.array(np.broadcast_to(np.float32(radius), layer.shape[:2]))
    return blur(Flat(layer[..., :3], layer[..., 3], True, radii), iris, setting)


AT_ONE_SIZE = Setting(full=100, half=101)


def seen(layer: NDArray[np.float32]) -> NDArray[np.float64]:
    return code_of(layer[..., :3].astype(np.float64) / np.maximum(layer[..., 3:], 1e-6), Transfer.SRGB)


class Blur(TestCase):
    def test_even_blur_equals_convolution_with_the_iris_area(self) -> None:
        # scipy.signal.fftconvolve with an area-sampled kernel; away from the frame's edge, where both go on differently.
        layer = harbour_light((290, 300))
        for iris in (iris_of(), iris_of(5), iris_of(6, 0.2, 15), iris_of(9, turn=7), iris_of(squeeze=1.5)):
            for radius in (1.0, 3.3, 7.0, 11.5, 16.4, 40.0, 64.0):
                shares = kernel(iris, radius)
                expected = np.dstack([fftconvolve(layer[..., c], shares, mode="same") for c in range(4)])
                margin = max(shares.shape) // 2 + 16
                inner = (slice(margin, -margin), slice(margin, -margin))
                found = spread(layer, radius, iris, FINAL)
                with self.subTest(iris=iris, radius=radius):
                    self.assertGreater(psnr(seen(expected)[inner], seen(found)[inner], data_range=1), 65)

    def test_scatter_of_one_size_equals_even_blur(self) -> None:
        layer = harbour_light((90, 140))
        for iris in (iris_of(), iris_of(5), iris_of(6, 0.2, 15), iris_of(squeeze=1.5)):
            for radius in (1.0, 3.3, 7.0):
                nearly = np.full(layer.shape[:2], radius, np.float32)
                nearly[0, 0] += 0.01
                even, scattered = (spread(layer, r, iris, AT_ONE_SIZE) for r in (radius, nearly))
                with self.subTest(iris=iris, radius=radius):
                    self.assertGreater(psnr(seen(even), seen(scattered), data_range=1), 65)

    def test_an_iris_keeps_all_light_and_has_the_area_of_its_disc(self) -> None:
        for iris in (
            iris_of(),
            iris_of(3),
            iris_of(7, 0.4, 33),
            iris_of(5, squeeze=1.8),
            iris_of(rim="soft"),
            iris_of(6, rim="bright"),
        ):
            shares = kernel(iris, 20.0)
            self.assertAlmostEqual(shares.sum(), 1, 9)
            if iris.rim == "even":
                self.assertAlmostEqual(1 / shares.max() / (math.pi * 400), 1, delta=0.005)

    def test_mixed_radii_equal_brute_force_scatter(self) -> None:
        size = (150, 220)
        layer = cv2.GaussianBlur(harbour_light(size), (0, 0), 1.0)
        radius = np.tile(np.linspace(0, 24, size[1], dtype=np.float32), (size[0], 1))
        expected = np.zeros((size[0] + 80, size[1] + 80, 4))
        for x in range(size[1]):
            shares = kernel(iris_of(), float(radius[0, x]))
            r = shares.shape[0] // 2
            for y in range(size[0]):
                expected[y + 40 - r : y + 41 + r, x + 40 - r : x + 41 + r] += shares[..., None] * layer[y, x]
        inner = (slice(26, -26), slice(4, -30))
        truth = seen(expected[40:-40, 40:-40])[inner]
        for setting, least in ((FINAL, 60), (PREVIEW, 48)):
            found = seen(spread(layer, radius, iris_of(), setting))[inner]
            self.assertGreater(psnr(truth, found, data_range=1), least)

    def test_an_even_picture_stays_even_to_the_edge(self) -> None:
        layer = np.full((60, 80, 4), 0.5, np.float32)
        radius = np.tile(np.linspace(0, 15, 80, dtype=np.float32), (60, 1))
        np.testing.assert_allclose(
            seen(spread(layer, radius, iris_of(6), FINAL)), code_of(np.array(1.0), Transfer.SRGB), atol=2e-3
        )
        constant = spread(layer, 11, iris_of(6), FINAL)
        np.testing.assert_allclose(constant, 0.5, atol=1e-4)

    def test_a_slow_pull_changes_the_picture_without_steps(self) -> None:
        layer = harbour_light((80, 120))
        frames = [seen(spread(layer, r, iris_of(), PREVIEW)) for r in np.arange(3, 6, 0.05)]
        moves = np.array([np.abs(b - a).mean() for a, b in pairwise(frames)])
        self.assertLess(moves.max(), 4 * np.median(moves))


class Layers(TestCase):
    def test_a_sharp_subject_does_not_bleed_into_the_blur_behind_it(self) -> None:
        light = np.full((100, 160, 3), 0.1, np.float32)
        matte = np.zeros((100, 160), np.float32)
        matte[30:70, 60:100] = 1
        light[matte > 0] = (0.9, 0.1, 0.1)
        dioptres = np.full((100, 160), 1 / 12, np.float32)
        result = through_lens(light, dioptres, [CutOut(matte, 2.0)], Opening(lens(50, 0.5, 2.0)))
        np.testing.assert_allclose(result[matte == 0], 0.1, atol=2e-3)
        np.testing.assert_allclose(result[matte == 1], light[matte == 1], atol=1e-5)

    def test_a_near_thing_out_of_focus_spreads_over_what_is_sharp_behind_it(self) -> None:
        light = np.full((100, 160, 3), 0.1, np.float32)
        matte = np.zeros((100, 160), np.float32)
        matte[:, 70:90] = 1
        light[matte > 0] = 0.8
        result = through_lens(
            light, np.full((100, 160), 0.1, np.float32), [CutOut(matte, 1.0)], Opening(lens(50, 1, 10.0))
        )
        self.assertGreater(result[50, 68, 0], 0.2)
        self.assertLess(result[50, 71, 0], 0.7)

    def test_preview_and_final_look_the_same(self) -> None:
        light = cv2.GaussianBlur(harbour_light((216, 384))[..., :3], (0, 0), 1.2)
        matte = np.zeros((216, 384), np.float32)
        cv2.circle(matte, (190, 110), 50, 1.0, -1, cv2.LINE_AA)
        dioptres = np.tile(np.linspace(0.05, 0.5, 384, dtype=np.float32), (216, 1))
        final = through_lens(light, dioptres, [CutOut(matte, 3.0)], Opening(lens(50, 1.0, 3.0)))
        small = [cv2.resize(a, (192, 108), interpolation=cv2.INTER_AREA) for a in (light, matte, dioptres, final)]
        preview = through_lens(
            small[0], small[2], [CutOut(small[1], 3.0)], Opening(lens(50, 1.0, 3.0)), quality=Quality.PREVIEW
        )
        a, b = (code_of(picture.astype(np.float64), Transfer.SRGB) for picture in (small[3], preview))
        self.assertGreater(psnr(a, b, data_range=1), 35)
