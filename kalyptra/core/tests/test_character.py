"""Kinds of blur, and what sets one lens apart from another."""

from __future__ import annotations

import math
from unittest import TestCase

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage
from skimage.metrics import peak_signal_noise_ratio

from kalyptra.core.layered import Opening, Plate, Quality, through_lens
from kalyptra.core.lens.by_place import CUTS
from kalyptra.core.lens.character import fall_off, glowing
from kalyptra.core.lens.optics import ThinLens
from kalyptra.core.lens.shape import Shape, shape_ends, shape_kernel
from kalyptra.core.setup.document.blur import BlurKind
from kalyptra.core.setup.document.setup import Iris
from kalyptra.core.setup.resolve.blur import BlurAt, CharacterAt

Values = NDArray[np.float32]
HEIGHT, WIDTH = 120, 200
DISC = 14.0


def planks() -> Values:
    """A picture with detail of all sizes, linear light."""
    noise = np.random.default_rng(5).standard_normal((HEIGHT, WIDTH, 3))
    soft = sum(ndimage.gaussian_filter(noise, (size, size, 0)) * size for size in (1, 3, 8))
    return np.asarray(np.clip(0.4 + 0.12 * soft, 0, 1), np.float32)


def seen(
    light: Values, blur: BlurAt | None = None, character: CharacterAt | None = None, disc: float = -DISC
) -> Values:
    """A flat picture through a lens that opens all of it to one disc; nearer than the focus where that is positive."""
    focal, focus, sensor = 0.05, 2.0, 0.036
    away = 1 / focus + (0.3 if disc > 0 else -0.3)
    number = ThinLens(focal, 1.0, focus, sensor).coc_slope(WIDTH) * 0.3 / abs(disc)
    dioptres = np.full(light.shape[:2], away, np.float32)
    opening = Opening(
        ThinLens(focal, number, focus, sensor), blur=blur or BlurAt(), character=character or CharacterAt(),
        full_width=WIDTH,
    )  # fmt: skip
    return through_lens(light, dioptres, [], opening, Plate(light, dioptres), Quality.FINAL)


def point(x: int, y: int) -> Values:
    light = np.zeros((HEIGHT, WIDTH, 3), np.float32)
    light[y, x] = 100
    return light


def apart(one: NDArray[np.floating], other: NDArray[np.floating]) -> float:
    """PSNR in dB away from the picture's rim."""
    return float(peak_signal_noise_ratio(inner(other).astype(float), inner(one).astype(float), data_range=1.0))


def inner(picture: NDArray[np.floating]) -> NDArray[np.floating]:
    return picture[16:-16, 16:-16]


class Kinds(TestCase):
    def test_an_even_soft_blur_is_scipys_gaussian_with_the_variance_of_the_disc(self) -> None:
        # Reference library: scipy.ndimage.gaussian_filter. A disc of diameter c has the variance c^2 / 16 along each axis.
        light = planks()
        expected = ndimage.gaussian_filter(light, (DISC / 4, DISC / 4, 0), mode="nearest", truncate=3)
        self.assertGreater(apart(seen(light, BlurAt(BlurKind.GAUSSIAN)), expected), 48)

    def test_lines_along_a_direction_are_scipys_mean_of_moved_pictures(self) -> None:
        light, steps = planks(), np.linspace(-DISC / 2, DISC / 2, 57)
        for degrees in (0.0, 35.0, 90.0, 140.0):
            with self.subTest(degrees=degrees):
                x, y = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
                moved = [ndimage.shift(light, (y * step, x * step, 0), order=1, mode="nearest") for step in steps]
                shown = seen(light, BlurAt(BlurKind.ALONG, direction=degrees))
                self.assertGreater(apart(shown, np.mean(moved, axis=0)), 38)

    def test_lines_outwards_and_around_are_the_mean_of_larger_and_of_turned_pictures(self) -> None:
        light = planks()
        centre = (130.0, 50.0)
        corner = math.hypot(HEIGHT, WIDTH) / 2
        y, x = np.indices((HEIGHT, WIDTH)) + 0.5
        dx, dy = x - centre[0], y - centre[1]
        steps = np.linspace(-DISC / 2, DISC / 2, 57) / corner  # as a share of the way from the centre, or radians
        for kind in (BlurKind.OUTWARDS, BlurKind.AROUND):
            with self.subTest(kind):
                pictures = []
                for step in steps:
                    if kind is BlurKind.OUTWARDS:
                        sx, sy = dx * (1 + step), dy * (1 + step)
                    else:
                        sx = dx * math.cos(step) - dy * math.sin(step)
                        sy = dx * math.sin(step) + dy * math.cos(step)
                    at = np.array([sy + centre[1] - 0.5, sx + centre[0] - 0.5])
                    pictures.append(np.dstack([ndimage.map_coordinates(light[..., c], at, order=1, mode="nearest") for c in range(3)]))  # fmt: skip
                shown = seen(light, BlurAt(kind, centre=centre))
                self.assertGreater(apart(shown, np.mean(pictures, axis=0)), 33)

    def test_every_shape_hands_on_all_the_light(self) -> None:
        for shape in (Shape(Iris(), BlurKind.GAUSSIAN), Shape(Iris(), BlurKind.ALONG, 30.0), Shape(Iris(), cut=0.6, angle=75),
                      Shape(Iris(blades=6), rim=0.8), Shape(Iris(), cut=1.0, rim=-1.0)):  # fmt: skip
            for radius in (0.3, 2.0, 7.0):
                with self.subTest(shape=shape, radius=radius):
                    rows, columns, weights = shape_ends(shape, radius)
                    self.assertAlmostEqual(float(-(weights * columns).sum()), 1, places=3)
                    self.assertAlmostEqual(float(weights.sum()), 0, places=6)
                    self.assertLessEqual(float(np.abs(rows).max()), 3 * radius + 2)


class Eyes(TestCase):
    def test_the_ends_of_a_cats_eye_make_its_kernel_again(self) -> None:
        # The kernel follows the exact coverage of each pixel, the ends the mean of each row: they differ along the rim.
        for iris in (Iris(), Iris(blades=6, turn=13)):
            for cut, radius in ((0.2, 3.2), (0.6, 7.0), (1.0, 12.0)):
                with self.subTest(blades=iris.blades, cut=cut, radius=radius):
                    shape = Shape(iris, cut=cut, angle=75.0, rim=0.4)
                    kernel = np.pad(shape_kernel(shape, radius), 1)
                    rows, columns, weights = shape_ends(shape, radius)
                    made, middle = np.zeros_like(kernel), len(kernel) // 2
                    np.add.at(made, (rows + middle, columns + middle), weights)
                    self.assertLess(float(np.abs(made.cumsum(axis=1) - kernel).sum()), 0.1)

    def test_a_cats_eye_is_the_overlap_of_two_discs(self) -> None:
        for cut in CUTS[1:]:
            kernel = shape_kernel(Shape(Iris(), cut=cut, angle=40.0), 20.0)
            area = kernel.sum() / kernel.max()
            # Two unit circles whose centres are d apart overlap by 2 acos(d/2) - d/2 sqrt(4 - d^2).
            overlap = 2 * math.acos(cut / 2) - cut / 2 * math.sqrt(4 - cut**2)
            self.assertAlmostEqual(area / (overlap * 400), 1, delta=0.02)

    def test_it_is_cut_as_rays_through_two_stops_are(self) -> None:
        # Rays from points behind and before the focus, through a pupil and a rim of the same size in front of it.
        focal, focus, pupil, rim_at = 0.05, 2.0, 0.02, 0.03
        sensor_at = focal * focus / (focus - focal)
        side = np.linspace(-1, 1, 401) * pupil
        px, py = (grid[np.hypot(*np.meshgrid(side, side)) <= pupil] for grid in np.meshgrid(side, side))
        for distance, disc in ((8.0, -DISC), (1.2, DISC)):
            tangent = 0.35  # of the angle at which the point is seen, to the right in the picture
            point_x = -distance * tangent  # the picture is upside down behind a lens
            at_rim = px + (point_x - px) * (rim_at / distance)
            through = np.hypot(at_rim, py * (1 - rim_at / distance)) <= pupil
            image_at = 1 / (1 / focal - 1 / distance)
            image_x = -point_x * image_at / distance
            on_sensor = px + (image_x - px) * sensor_at / image_at
            whole, cut = on_sensor.mean(), on_sensor[through].mean()
            shown = seen(point(170, 60), character=CharacterAt(cats_eye=0.9), disc=disc)[..., 1]
            plain = seen(point(170, 60), disc=disc)[..., 1]
            columns = np.arange(WIDTH)
            ours = (shown.sum(axis=0) @ columns) / shown.sum() - (plain.sum(axis=0) @ columns) / plain.sum()
            self.assertGreater(abs(ours), 0.3)
            self.assertEqual(np.sign(ours), np.sign(cut - whole), distance)

    def test_a_rim_is_bright_behind_the_focus_and_soft_before_it(self) -> None:
        rims = []
        for disc in (-40.0, 40.0):
            shown = seen(point(100, 60), character=CharacterAt(spherical=1.0), disc=disc)[60, :, 1]
            rims.append(float(shown[84:87].mean() / shown[95:106].mean()))
        self.assertGreater(rims[0], 1.15)
        self.assertLess(rims[1], 0.7)

    def test_red_and_blue_are_spread_more_before_the_focus_and_less_behind_it(self) -> None:
        # A lens that is longer for them by e focuses them e v / N px off, v being its image distance.
        for disc in (-DISC, DISC):
            shown = seen(point(100, 60), character=CharacterAt(colour_shift=2.0), disc=disc)
            plain = seen(point(100, 60), disc=disc)
            y, x = np.indices((HEIGHT, WIDTH))
            away = (x - 100) ** 2 + (y - 60) ** 2
            wide = [math.sqrt(8 * float((shown[..., c] * away).sum() / shown[..., c].sum())) for c in range(3)]
            own = math.sqrt(8 * float((plain[..., 1] * away).sum() / plain[..., 1].sum()))
            number = ThinLens(0.05, 1.0, 2.0, 0.036).coc_slope(WIDTH) * 0.3 / DISC
            shift = 0.002 * (0.05 * 2 / 1.95) / number * WIDTH / 0.036
            np.testing.assert_allclose(
                wide, (own + math.copysign(shift, disc), own, own + math.copysign(shift, disc)), atol=0.45
            )


class Adds(TestCase):
    def test_corners_get_less_light_by_the_cosine_fourth_law(self) -> None:
        share = fall_off(HEIGHT, WIDTH, 2.0)
        self.assertAlmostEqual(float(share[HEIGHT // 2, WIDTH // 2]), 1, places=3)
        self.assertAlmostEqual(float(share[0, 0]), 0.25, delta=0.01)
        tangent = math.sqrt(1 / 0.25**0.5 - 1)
        half_way = math.cos(math.atan(tangent / 2)) ** 4
        self.assertAlmostEqual(float(share[HEIGHT // 4, WIDTH // 4]), half_way, delta=0.01)

    def test_a_glow_is_a_soft_picture_projected_over_the_sharp_one(self) -> None:
        light = planks()
        soft = ndimage.gaussian_filter(light, (6, 6, 0), mode="nearest")
        np.testing.assert_allclose(glowing(light, 0.7, 6.0), 1 - (1 - light) * (1 - 0.7 * soft), atol=0.004)
