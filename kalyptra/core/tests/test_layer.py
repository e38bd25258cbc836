"""What moves fast is moved on: from the pace it has, or, where it is too plain for corners, as a whole."""

from __future__ import annotations

from unittest import TestCase

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.layer import affine_of, shift_of
from kalyptra.core.tests.moving import SIZE, texture

GROUND = texture(1, SIZE, (0.4, 0.4, 0.4))
INSIDE = cv2.ellipse(np.zeros(SIZE, np.uint8), (120, 140), (20, 38), 0, 0, 360, 1, -1)


def seen(thing: NDArray[np.float32], x: int, y: int) -> NDArray[np.uint8]:
    """The ground with a thing over it, x px to the right of where it begins and y px down; with grain."""
    grain = np.random.default_rng(abs(x) + 1).normal(0, 2, GROUND.shape)
    there = np.roll(INSIDE, (y, x), axis=(0, 1))[..., None] > 0
    return np.clip(np.where(there, np.roll(thing, (y, x), axis=(0, 1)), GROUND) + grain, 0, 255).astype(np.uint8)


def grey(codes: NDArray[np.uint8]) -> NDArray[np.uint8]:
    return np.asarray(cv2.cvtColor(codes, cv2.COLOR_RGB2GRAY), np.uint8)


class Fast(TestCase):
    def test_corners_are_found_where_the_pace_takes_them(self) -> None:
        thing = texture(2, SIZE, (0.6, 0.4, 0.3))
        before, after = grey(seen(thing, 0, 0)), grey(seen(thing, 60, -15))
        self.assertEqual(affine_of(before, after, INSIDE)[1], 0)
        affine, agree, _ = affine_of(before, after, INSIDE, pace=np.array([52, -10], np.float32))
        self.assertGreater(agree, 0.2)
        np.testing.assert_allclose(affine @ (120, 140, 1), (180, 125), atol=1)

    def test_what_is_too_plain_for_corners_is_moved_by_where_it_fits_best(self) -> None:
        thing = cv2.GaussianBlur(texture(3, SIZE, (0.6, 0.4, 0.3)), (0, 0), 9) * np.float32(1.1)
        for x, y in ((17, -9), (-22, 5), (0, 20)):
            moved = shift_of(seen(thing, 0, 0), seen(thing, x, y), INSIDE, np.array([x / 2, y / 2], np.float32))
            np.testing.assert_allclose(moved[:, 2], (x, y), atol=2)
            np.testing.assert_array_equal(moved[:, :2], np.eye(2))
