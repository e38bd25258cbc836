"""Who passes behind a post is seen again on its other side while the rest is still hidden, and not squeezed by it."""

from __future__ import annotations

from unittest import TestCase

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core import (
    Motion,
    Outline,
    Refine,
    drawn_matte,
    drawn_outline,
    follow,
    follow_range,
    keyed_by_hand,
    outline_at,
    with_steps,
)
from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.reader import Picture
from kalyptra.core.following.propagate.background import Surroundings
from kalyptra.core.following.propagate.evidence import PLANES
from kalyptra.core.following.propagate.hidden import beside_hidden
from kalyptra.core.following.propagate.key_match import matched_to_key
from kalyptra.core.following.propagate.layer import dense_search
from kalyptra.core.following.propagate.state import SubjectState
from kalyptra.core.following.propagate.step import propagate
from kalyptra.core.following.propagate.subject import FollowedSubject
from kalyptra.core.following.propagate.trail import KeyTrail
from kalyptra.core.tests.moving import overlap, texture
from kalyptra.truth.tracked import traced

SIZE = (180, 320)
POST = slice(104, 124)
PACE, FRAMES = 2, 50
Matte = NDArray[np.float32]


class BehindAPost:
    """A coat that goes along a wall, behind a post a third as wide as the coat."""

    def __init__(self) -> None:
        self.wall = np.clip(texture(3, SIZE, (0.42, 0.4, 0.36)), 0, 255)
        self.coat = np.clip(texture(4, SIZE, (0.5, 0.4, 0.3)), 0, 255)
        self.post = np.clip(texture(9, SIZE, (0.15, 0.16, 0.2)), 0, 255)

    def whole(self, frame: int) -> Matte:
        out = np.zeros(SIZE, np.float32)
        cv2.ellipse(out, (60 + PACE * frame, 90), (30, 52), 0, 0, 360, 1.0, -1, cv2.LINE_AA)
        return out

    def truth(self, frame: int) -> Matte:
        out = self.whole(frame)
        out[:, POST] = 0
        return out

    def look(self, frame: int) -> NDArray[np.uint8]:
        shift = np.array([[1, 0, PACE * frame], [0, 1, 0]], np.float32)
        coat = cv2.warpAffine(self.coat, shift, SIZE[::-1], borderMode=cv2.BORDER_WRAP)
        codes = self.wall + (coat - self.wall) * self.whole(frame)[..., None]
        codes[:, POST] = self.post[:, POST]
        codes += np.random.default_rng(frame).normal(0, 1.5, codes.shape)
        return np.clip(codes, 0, 255).astype(np.uint8)


class GoingAway(BehindAPost):
    """The same coat, which becomes smaller where it is; nothing is before it."""

    def whole(self, frame: int) -> Matte:
        out, smaller = np.zeros(SIZE, np.float32), 0.98**frame
        cv2.ellipse(out, ((160.0, 90.0), (90 * smaller, 120 * smaller), 0.0), 1.0, -1, cv2.LINE_AA)
        return out

    def truth(self, frame: int) -> Matte:
        return self.whole(frame)

    def look(self, frame: int) -> NDArray[np.uint8]:
        turn = cv2.getRotationMatrix2D((160, 90), 0, 0.98**frame)
        coat = cv2.warpAffine(self.coat, turn, SIZE[::-1], borderMode=cv2.BORDER_WRAP)
        return (self.wall + (coat - self.wall) * self.whole(frame)[..., None]).astype(np.uint8)


class Hidden(TestCase):
    def test_a_key_shows_a_part_where_something_is_before_it_and_all_of_who_goes_away(self) -> None:
        for clip, part in ((BehindAPost(), True), (GoingAway(), False)):
            subject = FollowedSubject(Surroundings(clip.look, range(FRAMES + 1)), clip.look(0), clip.truth(0))
            for frame in range(1, 23):
                subject.step(clip.look(frame))
            self.assertLess(clip.truth(22).sum(), 0.8 * clip.truth(0).sum())
            self.assertEqual(subject.knows_more_than(clip.truth(22)), part)

    def test_the_second_key_of_a_part_is_one_as_well(self) -> None:
        """Also where it had been lost, so that the first one is all that tells its parts."""
        clip = BehindAPost()
        subject = FollowedSubject(Surroundings(clip.look, range(FRAMES + 1)), clip.look(0), clip.truth(0))
        for frame in range(1, 24):
            subject.step(clip.look(frame))
            if frame == 22:
                subject._state = subject._state.elsewhere()
                subject.go_on(clip.truth(frame))
        self.assertTrue(subject.knows_more_than(clip.truth(23)))

    def test_a_subject_keeps_its_size_behind_a_post_and_its_other_side_is_taken_up(self) -> None:
        clip = BehindAPost()
        subject = FollowedSubject(Surroundings(clip.look, range(FRAMES + 1)), clip.look(0), clip.truth(0))
        reached = []
        for frame in range(1, FRAMES + 1):
            subject.step(clip.look(frame))
            reached.append(overlap(subject.matte, clip.truth(frame)))
        self.assertGreater(min(reached), 0.75)
        self.assertGreater(float(np.mean(reached)), 0.95)

    def test_what_is_hidden_is_where_the_key_has_come_to_and_nothing_is_seen(self) -> None:
        clip = BehindAPost()
        beside = beside_hidden(clip.whole(22), clip.truth(22))
        assert beside is not None
        self.assertTrue(beside[90, POST.start - 4])
        self.assertFalse(beside[90, POST.start - 12])

    def test_limbs_that_swing_hide_nothing(self) -> None:
        key, seen = np.zeros(SIZE, np.float32), np.zeros(SIZE, np.float32)
        for matte, legs in ((key, (60, 68)), (seen, (48, 80))):
            matte[40:100, 50:86] = 1
            for leg in legs:
                matte[100:140, leg : leg + 8] = 1
        self.assertIsNone(beside_hidden(key, seen))


class FoundInTheKey(TestCase):
    """What is seen of somebody beyond a post says where the rest is."""

    def test_a_third_of_a_coat_tells_where_all_of_it_is_also_when_it_came_nearer(self) -> None:
        clip = BehindAPost()
        trail = KeyTrail.at(clip.look(0), clip.truth(0)).broken()
        for nearer in (0.9, 1.0, 1.2):
            moved = np.array([[nearer, 0, 60], [0, nearer, -9]], np.float32)
            codes, whole = (cv2.warpAffine(picture, moved, SIZE[::-1]) for picture in (clip.look(0), clip.truth(0)))
            seen = whole.copy()
            seen[:, : 60 + round(nearer * 70)] = 0  # of the coat, that is 60 px wide from x = 30 at the key
            self.assertLess(seen.sum(), 0.4 * whole.sum())
            again = matched_to_key(trail, codes, seen)
            assert again is not None
            self.assertGreater(overlap(again.matte_in((slice(None), slice(None))), whole), 0.9)

    def test_of_who_was_lost_the_key_s_picture_says_nothing_until_they_are_in_it_again(self) -> None:
        clip = BehindAPost()
        seen: list[NDArray[np.float32]] = []

        def noting(planes: NDArray[np.float32]) -> NDArray[np.float32]:
            seen.append(planes)
            return planes[PLANES.index("matte of the contest")]

        behind = Surroundings(clip.look, [0, 1]).behind(1, clip.look(1))
        here = SubjectState.at(clip.look(0), clip.truth(0))
        for state in (here, here.elsewhere()):
            propagate(state, clip.look(1), behind, dense_search(), noting)
        told = [PLANES.index(name) for name in ("key's matte carried along", "difference from the key's picture")]
        self.assertTrue(all(seen[0][plane].any() for plane in told))
        self.assertFalse(any(seen[1][plane].any() for plane in told))

    def test_what_looks_like_nothing_of_it_says_nothing(self) -> None:
        clip = BehindAPost()
        wall, seen = np.clip(clip.wall, 0, 255).astype(np.uint8), np.roll(clip.truth(0), 100, axis=1)
        self.assertIsNone(matched_to_key(KeyTrail.at(clip.look(0), clip.truth(0)), wall, seen))


class Shown(BehindAPost):
    """The same as footage."""

    def picture(self, frame: int) -> Picture:
        return Picture(self.look(frame), Transfer.SRGB)

    def close(self) -> None:
        pass


class FollowedBothWays(TestCase):
    def test_of_an_outline_behind_a_post_each_key_gives_its_own_side(self) -> None:
        """Both keys are drawn while a part of it is hidden, on either side of the post."""
        clip, (first, last) = Shown(), (14, 38)
        drawn = drawn_outline("line1", first, traced(clip.truth(first))[0], motion=Motion.FREE)
        drawn = keyed_by_hand(drawn, last, traced(clip.truth(last))[0])
        ahead = with_steps(drawn, tuple(follow(drawn, clip, range(first, last + 1), SIZE[1])))
        [both] = follow_range([drawn], clip, first, last, SIZE[1])

        def reached(outline: Outline) -> list[float]:
            mattes = [drawn_matte([outline_at(outline, t)], Refine(), SIZE, 1.0) for t in range(first + 1, last)]
            return [overlap(matte, clip.truth(t)) for t, matte in enumerate(mattes, first + 1)]

        self.assertGreater(np.mean(reached(both)), np.mean(reached(ahead)) + 0.08)
        self.assertGreater(min(reached(both)), min(reached(ahead)) + 0.15)
