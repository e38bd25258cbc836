"""What a line encloses and yet is background: the panes of something that is carried past, and no patch on it."""

from __future__ import annotations

from unittest import TestCase

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.seen_through import seen_through
from kalyptra.core.following.propagate.two_motions import AHEAD
from kalyptra.core.tests.moving import overlap

SIZE = (180, 320)
BARS, PATCHES, WALL = (150.0, 110.0, 60.0), (70.0, 60.0, 140.0), (96.0, 108.0, 120.0)


class Rack:
    """Bars before a wall that is darker on one side, and plain or plastered; its panes are seen through, or filled with
    a colour of the same plaster."""

    def __init__(self, pace: float, panes: tuple[float, ...] | None = None, plaster: float = 0.0) -> None:
        self.pace, self.panes = pace, panes
        across = np.linspace(90, 150, SIZE[1], dtype=np.float32)
        self.wall = np.broadcast_to(across[None, :, None] * np.float32([0.8, 0.9, 1.0]), (*SIZE, 3))
        rough = np.random.default_rng(9).normal(0, 1, SIZE).astype(np.float32)
        self.plaster = np.float32(plaster) * cv2.GaussianBlur(rough, (0, 0), 2.0)[..., None]

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
        seen = self.wall + self.plaster
        if self.panes is not None:
            along = np.float32([[1, 0, self.pace * frame], [0, 1, 0]])
            moved = cv2.warpAffine(self.plaster, along, SIZE[::-1], borderMode=cv2.BORDER_WRAP)
            seen = np.float32(self.panes) + moved[..., None]
        y, x = np.indices(SIZE, np.float32)
        wood = np.float32(BARS) + 18 * np.sin(0.9 * (x - self.pace * frame) + 0.5 * y)[..., None]
        own = wood * (1 - panes) + seen * panes
        grain = np.random.default_rng(frame).normal(0, 2, (*SIZE, 3))
        return np.clip((self.wall + self.plaster) * (1 - whole) + own * whole + grain, 0, 255).astype(np.uint8)

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

    def test_patches_of_the_walls_own_colours_that_go_with_it_are_the_subject(self) -> None:
        rack = Rack(3.0, plaster=60.0)
        self.assertGreater(overlap(rack.found().astype(np.float32), rack.shapes(0)[1]), 0.7)
        self.assertFalse(Rack(3.0, WALL, plaster=60.0).found().any())

    def test_what_does_not_move_is_seen_through_behind_thin_bars(self) -> None:
        rack = Rack(0.0)
        self.assertGreater(overlap(rack.found().astype(np.float32), rack.shapes(0)[1]), 0.9)
