"""Two in the same clothes who meet: each comes out as whoever went in."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core import follow_mattes
from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.reader import Picture
from kalyptra.core.following.propagate.meeting import Pair
from kalyptra.core.following.propagate.state import SubjectState
from kalyptra.core.following.propagate.step import LOST, Step
from kalyptra.core.following.propagate.two_shapes import Expected, order_after, registered
from kalyptra.core.matte.stored import coverage_of
from kalyptra.core.tests.moving import overlap, texture

SIZE = (200, 420)
FRAMES = 36


def figure(x: float, stride: float) -> NDArray[np.float32]:
    """(height, width) somebody 120 px tall with two legs that swing."""
    large = np.zeros((SIZE[0] * 4, SIZE[1] * 4), np.uint8)

    def at(right: float, down: float) -> tuple[int, int]:
        return round(4 * (x + right)), round(4 * (40 + down))

    cv2.circle(large, at(0, 12), 4 * 10, 255, -1)
    cv2.rectangle(large, at(-15, 24), at(15, 76), 255, -1)
    for way in (-1, 1):
        cv2.line(large, at(4 * way, 70), at(4 * way + 20 * way * np.sin(stride), 118), 255, 4 * 11)
    return (cv2.resize(large, SIZE[::-1], interpolation=cv2.INTER_AREA) / 255).astype(np.float32)


class Two:
    """Two with the same face, one mirrored, before a wall: by where each stands in a frame.

    Columns of `post` are hidden by something before both.
    """

    facts = None

    def __init__(self, places: list[tuple[float, float]], in_front: int, post: slice = slice(0)) -> None:
        self.places, self.in_front, self.post = places, in_front, post
        self.wall = np.clip(texture(1, SIZE, (0.3, 0.4, 0.55)), 0, 255)
        self.face = np.clip(texture(2, SIZE, (0.7, 0.35, 0.25)), 0, 255)

    def mattes(self, frame: int) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """What is seen of either."""
        own, other = (figure(x, 0.4 * frame + i) for i, x in enumerate(self.places[frame]))
        for matte in (own, other):
            matte[:, self.post] = 0
        return (own, other * (1 - own)) if self.in_front == 0 else (own * (1 - other), other)

    def picture(self, frame: int) -> Picture:
        codes = self.wall.copy()
        for face, x, matte in zip((self.face, self.face[:, ::-1]), self.places[frame], self.mattes(frame), strict=True):
            shift = np.array([[1, 0, x], [0, 1, 0]], np.float32)
            moved = cv2.warpAffine(face, shift, SIZE[::-1], borderMode=cv2.BORDER_WRAP)
            codes += (moved - codes) * matte[..., None]
        codes[:, self.post] = (70, 80, 60)
        codes += np.random.default_rng(frame).normal(0, 2, codes.shape)
        return Picture(np.clip(codes, 0, 255).astype(np.uint8), Transfer.SRGB)

    def close(self) -> None:
        pass

    def followed(self) -> dict[int, tuple[float, float]]:
        """By frame, the overlap with who was the subject at the first frame, and with the other."""
        states = follow_mattes({0: self.mattes(0)[0]}, self, range(len(self.places)))
        return {s.frame: tuple(overlap(coverage_of(s.matte), true) for true in self.mattes(s.frame)) for s in states}


class Meeting(TestCase):
    def test_who_passes_another_is_the_same_on_the_other_side(self) -> None:
        for in_front in (0, 1):
            with self.subTest(in_front=in_front):
                places = [(130 + 4.4 * frame, 270 - 3.6 * frame) for frame in range(FRAMES)]
                followed = Two(places, in_front).followed()
                for frame in range(30, FRAMES):
                    own, other = followed[frame]
                    self.assertGreater(own, 0.8, frame)
                    self.assertLess(other, 0.1, frame)

    def test_who_meets_another_and_turns_back_is_the_same(self) -> None:
        going = [min(frame, 32 - frame) for frame in range(FRAMES)]
        followed = Two([(130 + 3.4 * gone, 270 - 2.8 * gone) for gone in going], 0).followed()
        own, other = followed[FRAMES - 1]
        self.assertGreater(own, 0.8)
        self.assertLess(other, 0.1)

    def test_who_goes_behind_a_post_is_not_taken_for_another_who_is_far_away(self) -> None:
        # Well before the post, or so near that nobody had a look around yet.
        for start, pace, post, frames in ((60, 3.6, slice(128, 152), FRAMES), (105, 4.0, slice(128, 150), 12)):
            places = [(start + pace * frame, 380 - 2.4 * frame) for frame in range(frames)]
            followed = Two(places, 0, post).followed()
            self.assertLess(max(other for _, other in followed.values()), 0.1)
            for frame, (own, _) in followed.items():
                self.assertGreater(own, 0.6, (start, frame))

    def test_who_is_behind_a_wide_post_is_not_seen_in_another_who_comes_near(self) -> None:
        places = [(60 + 4.0 * frame, 330 - 3.0 * frame) for frame in range(FRAMES)]
        followed = Two(places, 0, slice(128, 190)).followed()
        self.assertLess(max(other for _, other in followed.values()), 0.1)

    def test_who_is_half_behind_something_is_not_expected_whole(self) -> None:
        wall = np.clip(texture(1, SIZE, (0.3, 0.4, 0.55)), 0, 255).astype(np.uint8)

        def seen(x: float) -> Step:
            return Step(SubjectState.at(wall, figure(x, 0.4)), LOST)

        def half(step: Step) -> Step:
            matte = step.state.matte.copy()
            matte[:120] = 0  # its legs are left
            return step._replace(state=replace(step.state, matte=matte))

        for hidden in (False, True):
            with self.subTest(hidden=hidden):
                pair = Pair()
                for frame in range(8):
                    pair, together = pair.after(seen(100 + 4 * frame), seen(230))
                    self.assertIsNone(together)
                first = seen(190)
                pair, together = pair.after(half(first) if hidden else first, seen(230))
                self.assertEqual(together is None, hidden)


class TwoShapes(TestCase):
    """What is seen of two who overlap: the first is at x 180, the second at 190, and the first in front."""

    def setUp(self) -> None:
        self.face = np.clip(texture(2, SIZE, (0.7, 0.35, 0.25)), 0, 255).astype(np.uint8)
        self.mattes = figure(180, 0.5), figure(190, 1.2)
        self.codes = np.where(self.mattes[0][..., None] > 0.5, self.worn(180), self.worn(190))
        self.silhouette = np.maximum(*self.mattes) > 0.5

    def worn(self, x: int) -> NDArray[np.uint8]:
        return np.asarray(np.roll(self.face, x, axis=1), np.uint8)

    def expected(self, first: int, second: int) -> list[Expected]:
        """The two as they would be expected, so many px beside where they are."""
        return [
            Expected(matte, self.worn(x)).shifted(np.array([off, 0.0]))
            for matte, x, off in zip(self.mattes, (180, 190), (first, second), strict=True)
        ]

    def test_each_is_registered_to_where_it_is(self) -> None:
        for first, second in ((1, 1), (-2, 1), (2, -1), (0, -2)):
            moves = registered(self.expected(first, second), self.silhouette, self.codes)
            np.testing.assert_allclose(moves[:, 0], (-first, -second), atol=0.5)

    def test_who_is_seen_where_both_are_expected_is_in_front(self) -> None:
        both = self.expected(0, 0)
        self.assertGreater(order_after(0.0, both, self.codes), 2)
        self.assertLess(order_after(0.0, both[::-1], self.codes), -2)
