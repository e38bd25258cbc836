"""Spokes and rims, thinner than what two motions can tell apart, stay with the subject."""

from __future__ import annotations

from unittest import TestCase

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core import follow_mattes
from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.reader import Picture
from kalyptra.core.following.propagate.background import BackgroundPicture
from kalyptra.core.following.propagate.thin_parts import ThinParts, is_thin
from kalyptra.core.tests.moving import overlap, texture

SIZE = (270, 480)
WHOLE = slice(0, SIZE[0]), slice(0, SIZE[1])


class Barrow:
    """A box on two wheels of six spokes that roll to the right, each spoke about 1 px wide."""

    facts = None

    def __init__(self) -> None:
        self.ground = np.clip(texture(4, SIZE, (0.55, 0.6, 0.5)), 0, 255)
        self.paint = np.clip(texture(8, SIZE, (0.35, 0.15, 0.12)), 0, 255)

    def truth(self, frame: int) -> NDArray[np.float32]:
        large = np.zeros((SIZE[0] * 4, SIZE[1] * 4), np.uint8)
        for x in (70 + 3 * frame, 150 + 3 * frame):
            cv2.circle(large, (4 * x, 4 * 190), 4 * 32, 255, 9)
            for spoke in range(6):
                angle = 3 * frame / 32 + spoke * np.pi / 3
                end = (round(4 * (x + 32 * np.cos(angle))), round(4 * (190 + 32 * np.sin(angle))))
                cv2.line(large, (4 * x, 4 * 190), end, 255, 5)
        cv2.rectangle(large, (4 * (80 + 3 * frame), 4 * 110), (4 * (140 + 3 * frame), 4 * 155), 255, -1)
        return (cv2.resize(large, SIZE[::-1], interpolation=cv2.INTER_AREA) / 255).astype(np.float32)

    def picture(self, frame: int) -> Picture:
        share = self.truth(frame)[..., None]
        moved = np.roll(self.paint, 3 * frame, axis=1)
        return Picture((self.ground * (1 - share) + moved * share).astype(np.uint8), Transfer.SRGB)

    def close(self) -> None:
        pass


class Thin(TestCase):
    def test_a_pixel_among_spokes_says_how_much_of_it_is_the_subjects(self) -> None:
        """By the compositing equation: Porter and Duff, Compositing digital images, SIGGRAPH 1984."""
        clip = Barrow()
        known = np.zeros((*SIZE, 4), np.float32)
        known[..., 1] = 1
        behind = BackgroundPicture(clip.ground.astype(np.float32), known)
        parts = ThinParts.of(clip.picture(0).codes, clip.truth(0), behind)
        assert parts is not None
        truth, nothing = clip.truth(9), np.zeros(SIZE, np.float32)
        wheel = np.zeros(SIZE, bool)
        wheel[155:226, 60:132] = True
        share, _ = parts.mixed(nothing, wheel, clip.picture(9).codes, behind, WHOLE, 1.0)
        self.assertLess(
            float(np.abs(share - truth)[wheel].mean()), 0.05, f"{truth[wheel].mean():.2f} of it is the wheel's"
        )
        self.assertEqual(float(share[~wheel].max()), 0)

    def test_the_limbs_of_somebody_far_away_are_no_spokes(self) -> None:
        for height in (24, 40, 90, 180):
            figure = np.zeros((200, 200), np.float32)
            cv2.ellipse(figure, (100, 10 + height // 3), (height // 7, height // 3), 0, 0, 360, 1, -1)
            for foot in (-height // 6, height // 6):
                cv2.line(figure, (100, 10 + height // 2), (100 + foot, 10 + height), 1, max(2, height // 16))
            self.assertFalse(is_thin(cv2.GaussianBlur(figure, (0, 0), 0.6)), f"{height} px tall")

    def test_wheels_keep_their_spokes_while_they_roll(self) -> None:
        clip = Barrow()
        self.assertTrue(is_thin(clip.truth(0)))
        steps = list(follow_mattes({0: clip.truth(0)}, clip, range(19)))
        below = slice(158, 224)
        wheels = [overlap(step.matte[below].astype(np.float32) / 255, clip.truth(step.frame)[below]) for step in steps]
        self.assertGreater(float(np.mean(wheels)), 0.92)
        self.assertGreater(min(step.sure for step in steps), 0.5, "no frame is flagged for being thin")
