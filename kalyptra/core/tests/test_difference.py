"""What differs from the background, beside a subject of which a part was dropped, is that part; and not somebody else."""

from __future__ import annotations

from unittest import TestCase

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.background import Surroundings
from kalyptra.core.following.propagate.layer import affine_of
from kalyptra.core.following.propagate.subject import FollowedSubject
from kalyptra.core.tests.moving import overlap, texture

SIZE = (180, 320)
WALL, COAT, BLUE = (0.42, 0.4, 0.36), (0.3, 0.35, 0.7), (40, 70, 230)
Matte = NDArray[np.float32]


class Walk:
    """A coat and a leg before a wall; the leg is of the wall's colours, if a little darker."""

    def __init__(self, beside: tuple[int, int, int] | None = None) -> None:
        self.wall = np.clip(texture(3, SIZE, WALL), 0, 255)
        self.coat = np.clip(texture(4, SIZE, COAT), 0, 255)
        self.beside = beside

    def coat_of(self, frame: int) -> Matte:
        out = np.zeros(SIZE, np.float32)
        cv2.ellipse(out, (70 + 2 * frame, 70), (22, 34), 0, 0, 360, 1.0, -1, cv2.LINE_AA)
        return out

    def leg_of(self, frame: int) -> Matte:
        out = np.zeros(SIZE, np.float32)
        out[98:140, 62 + 2 * frame : 78 + 2 * frame] = 1
        return out

    def truth(self, frame: int) -> Matte:
        return np.maximum(self.coat_of(frame), self.leg_of(frame))

    def look(self, frame: int) -> NDArray[np.uint8]:
        codes = self.wall.copy()
        leg = np.roll(self.wall, 37, axis=1) - 24
        codes += (leg - codes) * self.leg_of(frame)[..., None]
        shift = np.array([[1, 0, 2.0 * frame], [0, 1, 0]], np.float32)
        coat = cv2.warpAffine(self.coat, shift, SIZE[::-1], borderMode=cv2.BORDER_WRAP)
        codes += (coat - codes) * self.coat_of(frame)[..., None]
        if self.beside:
            codes[60:120, 94 + 2 * frame : 112 + 2 * frame] = self.beside
        codes += np.random.default_rng(frame).normal(0, 1, codes.shape)
        return np.clip(codes, 0, 255).astype(np.uint8)

    def followed(self, corrected: int, frames: int) -> Matte:
        """The matte after all frames, if the leg was dropped in one of them."""
        subject = FollowedSubject(Surroundings(self.look, range(frames + 1)), self.look(0), self.truth(0))
        for frame in range(1, frames + 1):
            subject.step(self.look(frame))
            if frame == corrected:
                subject.correct(self.coat_of(frame))
        return subject.matte


class Difference(TestCase):
    def test_a_part_that_was_dropped_comes_back_where_it_differs_from_the_background(self) -> None:
        walk = Walk()
        self.assertGreater(overlap(walk.followed(30, 36), walk.truth(36)), 0.95)

    def test_what_is_of_another_colour_and_walks_beside_is_not_taken(self) -> None:
        walk = Walk(BLUE)
        taken = walk.followed(30, 36)[60:120, 94 + 72 : 112 + 72]
        self.assertLess(taken[:, 3:].mean(), 0.05)


class Corners(TestCase):
    def test_corners_along_a_pole_say_nothing_of_what_lies_beside_it(self) -> None:
        rng = np.random.default_rng(1)
        for seed in range(8):
            pole = np.full(SIZE, 120, np.uint8)
            pole[:, 40:44] = rng.integers(30, 220, (SIZE[0] // 6, 1)).repeat(6, axis=0).astype(np.uint8)
            there = np.clip(np.roll(pole, 2, axis=1) + rng.normal(0, 4, SIZE), 0, 255).astype(np.uint8)
            motion, _, _ = affine_of(pole, there, np.ones(SIZE, np.uint8))
            far = motion @ np.array([300.0, 90.0, 1.0])
            self.assertLess(np.hypot(far[0] - 302, far[1] - 90), 1, seed)
