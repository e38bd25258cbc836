"""Wheels turn about their hubs: their spokes stay with the subject, whatever colour lies behind."""

from __future__ import annotations

from unittest import TestCase

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from kalyptra.core import follow_mattes
from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.reader import Picture
from kalyptra.core.following.propagate.round_rims import round_rims
from kalyptra.core.following.propagate.thin_parts import is_thin
from kalyptra.core.following.propagate.wheels import Seen, Wheel, wheels_of
from kalyptra.core.tests.moving import overlap, texture

SIZE = (120, 160)
GREY = np.full((*SIZE, 3), 128, np.uint8)
FOUR = 4
"""Pixels of a drawing for each of the picture's, so that its edges are exact to a sixteenth."""


def wheel(
    hub: tuple[float, float], radius: float, angle: float = 0.0, narrow: float = 1.0, fork: bool = False,
    size: tuple[int, int] = SIZE, wide: int = 2,
) -> NDArray[np.float32]:  # fmt: skip
    """A rim, 2 px wide, with five spokes, one of them doubled, so that each angle looks different."""
    large = np.zeros((size[0] * FOUR, size[1] * FOUR), np.uint8)

    def at(far: float, turn: float) -> tuple[int, int]:
        x, y = hub[0] + narrow * far * np.cos(turn), hub[1] + far * np.sin(turn)
        return round(FOUR * (x + 0.5)), round(FOUR * (y + 0.5))

    middle = at(0, 0)
    cv2.ellipse(large, middle, (round(FOUR * narrow * radius), round(FOUR * radius)), 0, 0, 360, 255, wide * FOUR)
    for turn in (*(2 * np.pi * spoke / 5 for spoke in range(5)), 0.25):
        cv2.line(large, middle, at(radius, turn + angle), 255, FOUR + 1)
    if fork:
        cv2.line(large, middle, at(1.3 * radius, -1.2), 255, 2 * FOUR)
    return (cv2.resize(large, size[::-1], interpolation=cv2.INTER_AREA) / 255).astype(np.float32)


def seen_of(matte: NDArray[np.float32]) -> Seen:
    """A frame whose pixels tell half of what they are."""
    return Seen(matte.copy(), np.full_like(matte, 0.5), np.ones_like(matte), GREY.astype(np.float32))


class Rims(TestCase):
    def test_a_wheel_is_found_where_it_was_drawn_also_at_an_angle(self) -> None:
        for narrow in (1.0, 0.8, 0.6):
            for radius in (14.0, 30.0):
                ((place, _),) = round_rims(wheel((81, 63), radius, 0.4, narrow))
                self.assertLess(float(np.abs(place[:, 2] - (81, 63)).max()), 1.5, f"{narrow} wide, {radius} px")
                self.assertLess(abs(place[1, 1] - radius), 1.5)
                self.assertLess(abs(place[0, 0] / place[1, 1] - narrow), 0.15)

    def test_what_has_no_round_rim_has_no_wheels(self) -> None:
        disc, square, lattice = (np.zeros(SIZE, np.float32) for _ in range(3))
        cv2.circle(disc, (80, 60), 30, 1.0, -1)
        cv2.rectangle(square, (50, 30), (110, 90), 1.0, 2)
        for x in range(40, 121, 16):
            cv2.line(lattice, (x, 20), (x, 100), 1.0, 2)
            cv2.line(lattice, (40, x - 20), (120, x - 20), 1.0, 2)
        half = wheel((80, 60), 30)
        half[60:] = 0
        for matte in (disc, square, lattice, half, np.zeros(SIZE, np.float32)):
            self.assertEqual(round_rims(matte), [])


class Turning(TestCase):
    def key(self, matte: NDArray[np.float32]) -> Wheel:
        (turning,) = wheels_of(matte, GREY)
        return turning

    @settings(max_examples=25, deadline=None)
    @given(st.floats(-3.1, 3.1), st.floats(-5, 5), st.floats(-5, 5))
    def test_it_is_where_it_rolled_to_and_as_far_as_it_turned(self, angle: float, right: float, down: float) -> None:
        truth = wheel((80 + right, 60 + down), 30, angle)
        found, share = self.key(wheel((80, 60), 30)).stepped(truth / 2, seen_of(truth), truth)
        self.assertLess(abs((found.angle - angle + np.pi) % (2 * np.pi) - np.pi), np.radians(1.5))
        self.assertLess(float(np.abs(found.place[:, 2] - (80 + right, 60 + down)).max()), 0.6)
        self.assertGreater(overlap(share, truth), 0.8)

    def test_a_spoke_that_no_colour_tells_is_where_the_others_say(self) -> None:
        truth = wheel((83, 60), 30, 0.9)
        below = slice(62, SIZE[0])
        seen = seen_of(truth)
        seen.tells[below], seen.part[below] = 0, 0
        _, share = self.key(wheel((80, 60), 30)).stepped(np.zeros(SIZE, np.float32), seen, truth)
        self.assertGreater(overlap(share[below], truth[below]), 0.8)

    def test_what_is_no_wheel_any_more_is_left_as_it_was_decided(self) -> None:
        grass = texture(3, SIZE, (0.5, 0.5, 0.5))[..., 0] / np.float32(255)
        decided = np.full(SIZE, 0.25, np.float32)
        found, share = self.key(wheel((80, 60), 30)).stepped(decided, seen_of(grass), decided)
        self.assertEqual(found.believed, 0)
        self.assertTrue(bool((share == decided).all()))

    def test_what_a_post_hides_of_a_wheel_is_not_made_up(self) -> None:
        post = slice(88, 104)
        truth = wheel((82, 60), 30, 0.5)
        truth[:, post] = 0
        _, share = self.key(wheel((80, 60), 30)).stepped(truth / 2, seen_of(truth), truth)
        behind = wheel((82, 60), 30, 0.5)[:, post]
        self.assertLess(float((share[:, post] > 0.5).sum()), 0.1 * float((behind > 0.5).sum()))
        self.assertGreater(overlap(share, truth), 0.75)

    def test_a_fork_does_not_turn_with_the_wheel(self) -> None:
        turning = self.key(wheel((80, 60), 30, fork=True))
        nothing = np.zeros(SIZE, np.float32)
        for frame in range(1, 9):
            truth = wheel((80, 60), 30, 0.31 * frame, fork=True)
            turning, share = turning.stepped(truth / 2, seen_of(truth), truth)
        inside = cv2.circle(np.zeros(SIZE, np.uint8), (80, 60), 27, 1, -1) > 0
        self.assertGreater(overlap(np.where(inside, share, 0), np.where(inside, truth, 0)), 0.8)
        blind = Seen(nothing, np.zeros_like(nothing), np.ones_like(nothing), GREY.astype(np.float32))
        self.assertTrue(bool((turning.stepped(nothing, blind, nothing)[1] == nothing).all()), "nothing is made up")


class Looking(TestCase):
    """A rim of many colours rolls over a ground of the same, so that no pixel tells what it is."""

    def frame(self, hub: tuple[float, float], angle: float) -> tuple[NDArray[np.uint8], NDArray[np.float32]]:
        ground, paint = texture(3, SIZE, (0.4, 0.4, 0.4)), texture(5, SIZE, (0.4, 0.4, 0.4))
        turn = cv2.getRotationMatrix2D((80, 60), -np.degrees(angle), 1.0)
        turn[:, 2] += np.subtract(hub, (80, 60))
        rolled = cv2.warpAffine(paint, turn, SIZE[::-1], borderMode=cv2.BORDER_REFLECT)
        matte = wheel(hub, 30, angle, wide=5)
        return (ground * (1 - matte[..., None]) + rolled * matte[..., None]).astype(np.uint8), matte

    def stepped(self, codes: NDArray[np.uint8], truth: NDArray[np.float32]) -> tuple[Wheel, NDArray[np.float32]]:
        first, matte = self.frame((80, 60), 0.0)
        (turning,) = wheels_of(matte, first)
        nothing = np.zeros(SIZE, np.float32)
        return turning.stepped(nothing, Seen(nothing, nothing, np.ones_like(nothing), codes.astype(np.float32)), truth)

    @settings(max_examples=10, deadline=None)
    @given(st.floats(-3.1, 3.1), st.floats(-5, 5), st.floats(-5, 5))
    def test_its_own_picture_turned_tells_where_it_is_and_how_far_it_turned(
        self, angle: float, x: float, y: float
    ) -> None:
        codes, truth = self.frame((80 + x, 60 + y), angle)
        turned, share = self.stepped(codes, truth)
        self.assertLess(abs((turned.angle - angle + np.pi) % (2 * np.pi) - np.pi), np.radians(3))
        self.assertLess(float(np.abs(turned.place[:, 2] - (80 + x, 60 + y)).max()), 2.5)
        self.assertGreater(overlap(share, truth), 0.7)

    def test_what_a_post_hides_of_it_is_not_made_up(self) -> None:
        codes, truth = self.frame((82, 60), 0.5)
        post = slice(96, 116)
        codes[:, post], hidden = (210, 40, 40), truth[:, post].copy()
        truth[:, post] = 0
        _, share = self.stepped(codes, truth)
        self.assertLess(float((share[:, post] > 0.5).sum()), 0.25 * float((hidden > 0.5).sum()))
        self.assertGreater(overlap(share, truth), 0.6)


class Cart:
    """Two wheels under a load that go to the right, before a fence whose lower part has their very colour."""

    facts = None
    size = (270, 480)

    def __init__(self, high: int) -> None:
        self.high = high
        self.fence = texture(4, self.size, (0.55, 0.6, 0.5))
        paint = texture(8, self.size, (0.3, 0.18, 0.15))
        self.paint = paint
        self.fence[205:] = paint[205:]

    def truth(self, frame: int) -> NDArray[np.float32]:
        left = 70 + 3 * frame
        share = np.maximum(*(wheel((x, 190), 32, 3 * frame / 32, size=self.size) for x in (left, left + 80)))
        share[155 - self.high : 155, left + 10 : left + 70] = 1
        return share

    def picture(self, frame: int) -> Picture:
        share = self.truth(frame)[..., None]
        moved = np.roll(self.paint, 3 * frame, axis=1)
        return Picture((self.fence * (1 - share) + moved * share).astype(np.uint8), Transfer.SRGB)

    def close(self) -> None:
        pass


class Rolling(TestCase):
    def test_spokes_before_their_own_colour_are_kept_under_a_small_load_and_a_large_one(self) -> None:
        """Where little of a subject is thin it is followed as a solid one, and only its wheels as thin parts."""
        below = slice(206, 224)
        for high, thin in ((45, True), (140, False)):
            clip = Cart(high)
            self.assertEqual((len(wheels_of(clip.truth(0), clip.picture(0).codes)), is_thin(clip.truth(0))), (2, thin))
            shares = [
                overlap(step.matte[below].astype(np.float32) / 255, clip.truth(step.frame)[below])
                for step in follow_mattes({0: clip.truth(0)}, clip, range(9))
            ]
            self.assertGreater(float(np.mean(shares)), 0.7, f"{high} px")
