"""What lies behind a subject is known from the frames around, before it was uncovered."""

from __future__ import annotations

from unittest import TestCase

import cv2
import numpy as np

from kalyptra.core.following.propagate.background import Surroundings
from kalyptra.core.tests.moving import texture

SIZE = (150, 240)


class Background(TestCase):
    def setUp(self) -> None:
        self.world = np.clip(texture(3, (190, 420), (0.4, 0.4, 0.3)), 0, 255).astype(np.uint8)
        self.looked_at: list[int] = []

    def clean(self, frame: int) -> np.ndarray:
        """The camera pans 2 px a frame."""
        return np.ascontiguousarray(self.world[20:170, 20 + 2 * frame : 260 + 2 * frame])

    def matte(self, frame: int, moves: float) -> np.ndarray:
        out = np.zeros(SIZE, np.float32)
        cv2.circle(out, (int(60 + moves * frame), 75), 26, 1.0, -1, cv2.LINE_AA)
        return out

    def pictures(self, moves: float):
        def look(frame: int) -> np.ndarray:
            self.looked_at.append(frame)
            codes = self.clean(frame).copy()
            codes[self.matte(frame, moves) > 0.5] = (220, 60, 40)
            return codes

        return look

    def behind(self, moves: float, until: int):
        look = self.pictures(moves)
        around = Surroundings(look, range(60))
        for frame in range(until):
            around.note(frame, self.matte(frame, moves))
        return around.behind(until, look(until))

    def test_behind_one_who_moves_on_lies_what_other_frames_show(self) -> None:
        behind = self.behind(2.5, 30)
        inside = cv2.erode(self.matte(30, 2.5), np.ones((5, 5))) > 0.5
        self.assertGreater(behind.known[inside].min(), 0.3)
        error = np.abs(behind.codes - self.clean(30)).mean(axis=2)
        self.assertLess(np.median(error[inside]), 8)
        self.assertLess(max(self.looked_at), 30 + 6 * 7, "no more than 36 frames ahead and a step are looked at")

    def test_beside_one_who_begins_to_move_it_is_known_from_the_first_frame_on(self) -> None:
        face = np.clip(texture(4, SIZE, (0.7, 0.3, 0.2)), 0, 255).astype(np.uint8)

        def look(frame: int) -> np.ndarray:
            codes, shift = self.clean(frame).copy(), np.array([[1, 0, 2.5 * frame], [0, 1, 0]])
            moved = cv2.warpAffine(face, shift, SIZE[::-1], borderMode=cv2.BORDER_WRAP)
            here = self.matte(frame, 2.5) > 0.5
            codes[here] = moved[here]
            return codes

        around = Surroundings(look, range(60))
        around.note(0, self.matte(0, 2.5))
        behind = around.behind(1, look(1))
        trailing = cv2.dilate(self.matte(1, 2.5), np.ones((21, 21))) > 0.5
        trailing &= cv2.dilate(self.matte(1, 2.5), np.ones((9, 9))) < 0.1
        trailing[:, 60:] = False
        self.assertGreater(np.median(behind.known[trailing]), 0.9)

    def test_of_one_who_stands_still_it_is_said_that_the_frames_to_come_may_show_the_subject(self) -> None:
        behind = self.behind(-2.0, 30)  # against the pan: still in the world
        inside = cv2.erode(self.matte(30, -2.0), np.ones((9, 9))) > 0.5
        clean, held = behind.rest[..., 1], behind.rest[..., 3]
        self.assertLess(clean[inside].mean(), 0.05)
        self.assertGreater(held[inside].mean(), 0.9)

    def test_a_cut_ends_it(self) -> None:
        look = self.pictures(2.5)
        other = np.clip(texture(9, SIZE, (0.2, 0.5, 0.6)), 0, 255).astype(np.uint8)
        around = Surroundings(lambda frame: look(frame) if frame < 30 else other, range(60))
        for frame in range(30):
            around.note(frame, self.matte(frame, 2.5))
        behind = around.behind(30, other)
        self.assertLess(np.abs(behind.codes - other)[4:-4, 4:-4].mean(), 1.0)
