"""Recovered plates: what was seen is right, what was not is said, and they serve the edge."""

from __future__ import annotations

from unittest import TestCase

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.reader import Picture
from kalyptra.core.clip.transfer import to_light
from kalyptra.core.compose import Sources
from kalyptra.core.following.plates import recover
from kalyptra.core.following.register.median import median_of
from kalyptra.core.frame import render_frame
from kalyptra.core.plate.clean_plate import clean_plate
from kalyptra.core.plate.detail import fill_detailed
from kalyptra.core.plate.difference_matte import difference_matte
from kalyptra.core.proof.views import View
from kalyptra.core.pull_push import fill
from kalyptra.core.setup.files.read import read_setup
from kalyptra.core.store import FolderStore
from kalyptra.truth.measures import psnr
from kalyptra.truth.passing import Passing, recovered_psnr


class Recovering(TestCase):
    def test_a_locked_camera_gives_what_was_seen_to_40_db(self) -> None:
        self.assertGreater(recovered_psnr(Passing(0.0), (24,)), 40)

    def test_a_drifting_camera_gives_32_db(self) -> None:
        self.assertGreater(recovered_psnr(Passing(1.5), (24,)), 32)

    def test_what_no_frame_shows_is_marked_and_filled(self) -> None:
        clip = Passing(0.0)
        still = clip.truth(20)
        frames = [Picture(clip.picture(20).codes, Transfer.SRGB)] * 6

        class Standing(Passing):
            def picture(self, frame: int) -> Picture:
                return frames[frame]

        ((_, patch),) = recover(Standing(0.0, 6), lambda frame: still, 0, 5, wanted=[3])
        assert patch is not None
        self.assertEqual(set(np.unique(patch.picture[..., 3])), {0, 255})
        hole = patch.picture[..., 3] == 0
        self.assertGreater(patch.picture[..., :3][hole].mean(), 5)  # filled, not left black

    def test_a_change_of_exposure_is_matched(self) -> None:
        class Dimming(Passing):
            def picture(self, frame: int) -> Picture:
                light = to_light(super().picture(frame).codes, Transfer.SRGB) * (1 - 0.012 * frame)
                codes = np.where(light <= 0.0031308, light * 12.92, 1.055 * np.maximum(light, 0) ** (1 / 2.4) - 0.055)
                return Picture(np.round(codes * 255).astype(np.uint8), Transfer.SRGB)

        clip = Dimming(0.0)
        ((_, patch),) = recover(clip, clip.truth, 0, 47, wanted=[24])
        assert patch is not None
        bare = Dimming(0.0)
        bare.truth = lambda frame: np.zeros(bare.size, np.float32)  # type: ignore[method-assign]
        height, width = patch.picture.shape[:2]
        true = bare.picture(24).codes[patch.top : patch.top + height, patch.left : patch.left + width]
        self.assertGreater(psnr(patch.picture[..., :3], true, patch.picture[..., 3] < 255), 34)

    def test_where_nothing_hides_there_is_no_patch(self) -> None:
        clip = Passing(0.0, 3)
        nothing = np.zeros(clip.size, np.float32)
        self.assertEqual([patch for _, patch in recover(clip, lambda frame: nothing, 0, 2)], [None] * 3)

    def test_the_median_leaves_out_what_only_one_shows(self) -> None:
        # Reference: NumPy's masked median.
        chance = np.random.default_rng(3)
        pictures = chance.random((7, 9, 11, 3)).astype(np.float32)
        valid = chance.random((7, 9, 11)) > 0.4
        found, seen = median_of(pictures, valid, 7)
        masked = np.ma.masked_array(pictures, np.repeat(~valid[..., None], 3, axis=3))
        np.testing.assert_allclose(found, np.ma.median(masked, axis=0).filled(0), atol=1e-6)
        np.testing.assert_array_equal(seen, valid.sum(axis=0))


class Using(TestCase):
    def setUp(self) -> None:
        self.clip = Passing(0.0)
        self.plate = to_light(self.clip.plate(20), Transfer.SRGB)
        self.truth = cv2.GaussianBlur(self.clip.truth(20), (0, 0), 1.5)
        front = np.float32([0.55, 0.05, 0.03])
        self.light = (front * self.truth[..., None] + self.plate * (1 - self.truth[..., None])).astype(np.float32)

    def test_a_wrong_matte_is_mended_by_its_difference_from_the_plate(self) -> None:
        off = np.roll(self.truth, 2, axis=1)
        seen = np.ones(off.shape, bool)
        mended = difference_matte(self.light, off, self.plate, seen)
        self.assertLess(np.abs(mended - self.truth).sum(), 0.35 * np.abs(off - self.truth).sum())
        np.testing.assert_array_equal(difference_matte(self.light, off, self.plate, ~seen), off)

    def test_a_thin_thing_is_filled_along_the_lines_that_run_into_it(self) -> None:
        stripes = np.repeat((np.arange(80) // 10 % 2)[:, None], 120, axis=1)
        picture = np.repeat(0.1 + 0.5 * stripes[..., None], 3, axis=2).astype(np.float32)
        known = np.ones((80, 120), np.float32)
        known[:, 57:63] = 0
        errors = [
            np.abs(method(picture * known[..., None], known) - picture).mean() for method in (fill_detailed, fill)
        ]
        self.assertLess(errors[0], 0.6 * errors[1])

    def test_what_stands_in_front_of_a_subject_does_not_fill_the_hole_behind_it(self) -> None:
        light = np.full((60, 90, 3), 0.2, np.float32)
        light[:, 50:] = (0.9, 0.1, 0.1)  # a post, nearer than the subject
        dioptres = np.full((60, 90), 0.05, np.float32)
        dioptres[:, 50:] = 1.0
        matte = np.zeros((60, 90), np.float32)
        matte[20:40, 30:50] = 1
        light[20:40, 30:50] = 0.6
        behind, distances = clean_plate(light, dioptres, [matte], 0.0, nearest=[0.4])
        np.testing.assert_allclose(behind[20:40, 30:50], 0.2, atol=1e-3)
        np.testing.assert_allclose(distances[20:40, 30:50], 0.05, atol=1e-3)
        np.testing.assert_array_equal(behind[:, 50:], light[:, 50:])
        blind, _ = clean_plate(light, dioptres, [matte], 0.0)
        self.assertGreater(float(blind[30, 48, 0]), 0.5)

    def test_a_frame_is_made_with_the_patch_and_shows_where_it_was_seen(self) -> None:
        import tempfile

        with tempfile.TemporaryDirectory() as held:
            store = FolderStore(__import__("pathlib").Path(held))
            matte = store.keep(np.round(self.clip.truth(20) * 255).astype(np.uint8))
            ((_, patch),) = recover(self.clip, self.clip.truth, 0, 47, wanted=[20])
            assert patch is not None
            named = [20, store.keep(patch.picture), patch.left, patch.top]
            look = read_setup({
                "footage": {"first": 0, "last": 47},
                "subjects": [{"id": "ball", "name": "Ball", "matte": {"kind": "found", "frames": [[20, matte, 1, "followed"]]},
                              "distance": {"keys": [{"frame": 0, "value": 2}]}}],
                "plate": {"source": "recovered", "patches": [named]},
            })  # fmt: skip
            sources = Sources(self.clip, 960, store)
            made = render_frame(look, 20, sources, View.PLATE)
            hole = self.clip.truth(20) > 0.02
            filled = render_frame(look.model_copy(update={"plate": read_setup({}).plate}), 20, sources, View.PLATE)
            better = psnr(made, self.clip.plate(20), hole) - psnr(filled, self.clip.plate(20), hole)
            self.assertGreater(better, 12)
            seen: NDArray[np.uint8] = render_frame(look, 20, sources, View.SEEN)
            self.assertGreater(seen[hole][:, 1].mean(), seen[hole][:, 0].mean())  # teal, not amber
