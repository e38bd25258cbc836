"""The test bed says what is true: mattes, clean backgrounds and pictures of a lens agree, and its halves share nothing."""

from __future__ import annotations

from unittest import TestCase

import cv2
import numpy as np

from kalyptra.truth.motion import Half, MotionClip, scenarios
from kalyptra.truth.motion.clip import Scenario, Trouble, disc_kernel
from kalyptra.truth.motion.kinds import KINDS
from kalyptra.truth.motion.scene import Background, Camera
from kalyptra.truth.motion.surfaces import PATTERNS, PLACES
from training.samples import TUNE_KINDS


def clip(kind: str, *troubles: Trouble, frames: int = 12) -> MotionClip:
    made = Scenario("a check", "tune", kind, Background.FLAT, Camera.HANDHELD, frozenset(troubles), 7, frames)
    return MotionClip(made)


class Bed(TestCase):
    def test_the_halves_share_no_kind_no_surface_no_place_and_no_seed(self) -> None:
        tune, test = (scenarios(half) for half in Half)
        for of in (lambda made: made.kind, lambda made: made.seed):
            self.assertFalse({of(made) for made in tune} & {of(made) for made in test})
        for seen in ("tune", "training"):
            self.assertFalse(set(PATTERNS[seen]) & set(PATTERNS["test"]))
            self.assertFalse(set(PLACES[seen]) & set(PLACES["test"]))
        self.assertFalse(set(TUNE_KINDS) & {made.kind for made in test})
        used = {value for made in (*tune, *test) for value in (made.background, made.camera, *made.troubles)}
        for within in (Background, Camera, Trouble):
            self.assertLessEqual(set(within), used)
        self.assertGreaterEqual(len(KINDS), 10)

    def test_a_subject_over_its_clean_background_is_the_picture(self) -> None:
        for kind in KINDS:
            with self.subTest(kind):
                made = clip(kind)
                codes, seen, _ = made.instant(3 / 25)
                outside = seen == 0
                np.testing.assert_allclose(codes[outside], made.clean(3)[outside], atol=0.01)
                self.assertGreater(float(np.abs(codes - made.clean(3))[seen > 0.9].mean()), 8)
                self.assertGreater(int((seen > 0.5).sum()), 2000)

    def test_a_clip_is_the_same_each_time_it_is_made(self) -> None:
        first, again = clip("animal", Trouble.BLUR, frames=4), clip("animal", Trouble.BLUR, frames=4)
        np.testing.assert_array_equal(first.picture(3).codes, again.picture(3).codes)
        np.testing.assert_array_equal(first.truth(3), again.truth(3))

    def test_what_a_post_hides_is_not_in_the_matte(self) -> None:
        made = clip("walker", Trouble.OCCLUDER, frames=60)
        shares = [float((made.instant(f / 25)[1]).sum() / max(made.instant(f / 25)[2].sum(), 1)) for f in (0, 30, 59)]
        self.assertLess(shares[1], 0.75)
        self.assertGreater(min(shares[0], shares[2]), 0.95)

    def test_through_a_lens_the_subject_stays_and_an_even_place_too(self) -> None:
        made = clip("ball")
        sharp, soft = made.instant(0)[0], made.through_lens(0, 24.0)
        inside = made.subject(0)[1] > 0.999
        np.testing.assert_allclose(soft[inside], np.clip(sharp, 0, 255)[inside], atol=0.6)
        away = cv2.dilate((made.subject(0)[1] > 0).astype(np.uint8), np.ones((9, 9), np.uint8))[:, 1:] == 0
        detail = [float(np.abs(np.diff(picture, axis=1))[away].mean()) for picture in (soft, sharp)]
        self.assertLess(detail[0], 0.6 * detail[1])

    def test_the_lens_of_the_bed_is_a_disc_of_the_size_it_says_and_centred(self) -> None:
        # A disc's second moment along each axis is (d / 4)^2, and a pixel's own width adds 1/12 px^2.
        for diameter in (7.0, 8.0, 23.4):
            kernel = disc_kernel(diameter).astype(np.float64)
            at = np.arange(len(kernel)) - (len(kernel) - 1) / 2
            self.assertAlmostEqual(kernel.sum(), 1, places=5)
            for share in (kernel.sum(0), kernel.sum(1)):
                self.assertAlmostEqual(float(share @ at), 0, places=5)
                self.assertAlmostEqual(float(share @ at**2), (diameter / 4) ** 2 + 1 / 12, delta=0.1)
            self.assertAlmostEqual(float(kernel.max()), 4 / (np.pi * diameter**2), delta=0.004)
