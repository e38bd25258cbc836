"""What a line encloses and yet is background: the panes of something that is carried past, and no patch on it."""

from __future__ import annotations

from unittest import TestCase

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.seen_through import AHEAD, seen_through
from kalyptra.core.tests.moving import overlap

SIZE = (180, 320)
BARS, PATCHES = (150.0, 110.0, 60.0), (70.0, 60.0, 140.0)


class Rack:
    """Bars before a plain wall that is darker on one side; its panes are seen through, or filled with a colour."""

    def __init__(self, pace: float, panes: tuple[float, ...] | None = None) -> None:
        self.pace, self.panes = pace, panes
        across = np.linspace(90, 150, SIZE[1], dtype=np.float32)
        self.wall = np.broadcast_to(across[None, :, None] * np.float32([0.8, 0.9, 1.0]), (*SIZE, 3))

    def shapes(self, frame: int) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """What its line encloses, and its panes."""
        whole, panes = np.zeros((2, SIZE[0] * 4, SIZE[1] * 4), np.uint8)
        x, y = round(4 * (70 + self.pace * frame)), 120
        cv2.rectangle(whole, (x, y), (x + 400, y + 480), 255, cv2.FILLED)
        for i in range(3):
            for k in range(4):
                corner = (x + 28 + 122 * i, y + 24 + 112 * k)
                cv2.rectangle(panes, corner, (corner[0] + 98, corner[1] + 92), 255, cv2.FILLED)
        large = (cv2.resize(shape, SIZE[::-1], interpolation=cv2.INTER_AREA) for shape in (whole, panes))
        first, second = (np.asarray(shape / 255, np.float32) for shape in large)
        return first, second

    def codes(self, frame: int) -> NDArray[np.uint8]:
        whole, panes = (shape[..., None] for shape in self.shapes(frame))
        seen = self.wall if self.panes is None else np.broadcast_to(np.float32(self.panes), self.wall.shape)
        y, x = np.indices(SIZE, np.float32)
        wood = np.float32(BARS) + 18 * np.sin(0.9 * (x - self.pace * frame) + 0.5 * y)[..., None]
        own = wood * (1 - panes) + seen * panes
        grain = np.random.default_rng(frame).normal(0, 2, (*SIZE, 3))
        return np.clip(self.wall * (1 - whole) + own * whole + grain, 0, 255).astype(np.uint8)

    def found(self) -> NDArray[np.bool_]:
        ahead = (self.codes(frame) for frame in AHEAD)
        return seen_through(self.codes(0), ahead, self.shapes(0)[0])


class SeenThrough(TestCase):
    def test_panes_are_found_before_a_wall_that_has_nothing_on_it(self) -> None:
        for pace in (4.0, 0.3):  # px a frame: the second has not gone apart before six frames have passed
            with self.subTest(pace=pace):
                rack = Rack(pace)
                self.assertGreater(overlap(rack.found().astype(np.float32), rack.shapes(0)[1]), 0.9)

    def test_patches_of_another_colour_are_the_subject(self) -> None:
        self.assertFalse(Rack(4.0, PATCHES).found().any())

    def test_nothing_is_seen_through_what_does_not_move(self) -> None:
        self.assertFalse(Rack(0.0).found().any())
