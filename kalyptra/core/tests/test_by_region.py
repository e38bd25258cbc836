"""A free outline goes along with the region that it encloses, whatever the region does and whatever shape a frame has."""

from __future__ import annotations

from unittest import TestCase

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from kalyptra.core import (
    Curve,
    Motion,
    Outline,
    Refine,
    drawn_matte,
    drawn_outline,
    fit_closed,
    follow,
    follow_range,
    keyed_by_hand,
    outline_at,
    with_steps,
)
from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.reader import Picture
from kalyptra.core.following.outlines import follow_together
from kalyptra.core.following.propagate.contest import without_crumbs, without_strays
from kalyptra.core.following.propagate.look import looked_at, smaller
from kalyptra.core.tests.moving import overlap, texture
from kalyptra.truth.motion import MotionClip
from kalyptra.truth.motion.clip import Scenario, Trouble
from kalyptra.truth.motion.scene import Background, Camera
from kalyptra.truth.tracked import traced

SIZE = (270, 480)


class Scissors:
    """Two long legs under a body that close, cross and open again while they walk to the right."""

    facts = None

    def __init__(self) -> None:
        self.ground = np.clip(texture(4, SIZE, (0.25, 0.35, 0.45)), 0, 255)
        self.cloth = np.clip(texture(8, SIZE, (0.8, 0.4, 0.2)), 0, 255)

    def truth(self, frame: int) -> NDArray[np.float32]:
        large = np.zeros((SIZE[0] * 2, SIZE[1] * 2), np.uint8)
        x = 150 + 4 * frame
        spread = 34 * np.cos(frame / 4)
        cv2.ellipse(large, (2 * x, 160), (56, 80), 0, 0, 360, 255, -1)
        for foot in (x - spread, x + spread):
            cv2.line(large, (2 * x, 200), (round(2 * foot), 420), 255, 34)
        return (cv2.resize(large, SIZE[::-1], interpolation=cv2.INTER_AREA) / 255).astype(np.float32)

    def picture(self, frame: int) -> Picture:
        share = self.truth(frame)[..., None]
        moved = np.roll(self.cloth, 4 * frame, axis=1)
        return Picture((self.ground * (1 - share) + moved * share).astype(np.uint8), Transfer.SRGB)

    def close(self) -> None:
        pass


class Ladder(Scissors):
    """A frame with three panes that goes to the right."""

    def truth(self, frame: int) -> NDArray[np.float32]:
        large = np.zeros((SIZE[0] * 2, SIZE[1] * 2), np.uint8)
        x = 200 + 8 * frame
        cv2.rectangle(large, (x, 80), (x + 200, 460), 255, -1)
        for top in (104, 224, 344):
            cv2.rectangle(large, (x + 28, top), (x + 172, top + 92), 0, -1)
        return (cv2.resize(large, SIZE[::-1], interpolation=cv2.INTER_AREA) / 255).astype(np.float32)


def _square() -> Curve:
    """Around a piece of the ground, where nobody comes."""
    truth = np.zeros(SIZE, np.float32)
    truth[60:140, 380:450] = 1
    return traced(truth)[0]


class ByRegion(TestCase):
    def test_an_outline_around_two_legs_is_whole_again_when_they_have_crossed(self) -> None:
        clip = Scissors()
        border, _ = cv2.findContours((clip.truth(0) > 0.5).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        curve = fit_closed(max(border, key=len)[:, 0] + 0.5, 0.8)
        outline = drawn_outline("line1", 0, curve, motion=Motion.FREE)
        outline = with_steps(outline, tuple(follow(outline, clip, range(26), SIZE[1])))
        self.assertLess(np.abs(np.cos(np.arange(26) / 4)).min(), 0.1, "they do cross")
        for by_line, least in ((True, 0.88), (False, 0.95)):
            at = [outline_at(outline, t, by_line) for t in range(1, 26)]
            reached = [overlap(drawn_matte([line], Refine(), SIZE, 1.0), clip.truth(t)) for t, line in enumerate(at, 1)]
            self.assertGreater(np.mean(reached), least)
            self.assertGreater(reached[-1], least)

    def test_outlines_that_touch_are_parts_of_one_subject_and_lose_each_other_less(self) -> None:
        """Trunk and legs, drawn apart as people do."""
        clip = Scissors()
        top, foot = np.zeros(SIZE, np.float32), np.zeros(SIZE, np.float32)
        top[:112], foot[100:] = 1, 1
        left = np.arange(SIZE[1]) < 150 / 2 + 75
        curves = []
        for part in (top, foot * left, foot * ~left):
            border, _ = cv2.findContours(
                (clip.truth(0) * part > 0.5).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE
            )
            curves.append(fit_closed(max(border, key=len)[:, 0] + 0.5, 0.8))
        drawn = [drawn_outline(f"line{i}", 0, curve, motion=Motion.FREE) for i, curve in enumerate(curves)]
        apart = [follow_range([outline], clip, 0, 14, SIZE[1])[0] for outline in drawn]
        together = follow_range(drawn, clip, 0, 14, SIZE[1])

        def reached(outlines: list[Outline], by_line: bool) -> float:
            at = [[outline_at(line, t, by_line) for line in outlines] for t in range(1, 15)]
            mattes = [drawn_matte(lines, Refine(), SIZE, 1.0) for lines in at]
            return float(np.mean([overlap(matte, clip.truth(t)) for t, matte in enumerate(mattes, 1)]))

        self.assertGreater(reached(together, by_line=True), 0.88)
        self.assertGreater(reached(together, by_line=True), reached(apart, by_line=True) + 0.02)
        self.assertGreater(reached(together, by_line=False), 0.95)

    def test_somebody_else_who_is_followed_as_well_changes_nothing(self) -> None:
        clip = Scissors()
        walker = drawn_outline("walker", 0, traced(clip.truth(0))[0], motion=Motion.FREE)
        other = drawn_outline("ground", 0, _square(), motion=Motion.FREE)
        together = [steps["walker"] for steps in follow_together([walker, other], clip, range(14), SIZE[1])]
        self.assertEqual(together, list(follow(walker, clip, range(14), SIZE[1])))

    def test_at_a_key_made_by_hand_what_went_wrong_before_is_forgotten(self) -> None:
        clip = Scissors()
        astray = drawn_outline("walker", 0, _square(), motion=Motion.FREE)
        mended = keyed_by_hand(astray, 12, traced(clip.truth(12))[0])
        after = [step.border for step in follow(mended, clip, range(20), SIZE[1])][12:]
        anew = [step.border for step in follow(mended, clip, range(12, 20), SIZE[1])]
        for border, other in zip(after, anew, strict=True):
            self.assertIsNotNone(border)
            self.assertEqual(border and border.rings, other and other.rings)

    def test_a_line_around_a_frame_does_not_take_along_what_is_seen_through_it(self) -> None:
        """A ladder that is carried past: three panes of it are the ground."""
        clip = Ladder()
        border, _ = cv2.findContours((clip.truth(0) > 0.5).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        outline = drawn_outline("line1", 0, fit_closed(max(border, key=len)[:, 0] + 0.5, 0.8), motion=Motion.FREE)
        outline = with_steps(outline, tuple(follow(outline, clip, range(12), SIZE[1])))

        def reached(frame: int, by_line: bool) -> float:
            matte = drawn_matte([outline_at(outline, frame, by_line)], Refine(), SIZE, 1.0)
            return overlap(matte, clip.truth(frame))

        self.assertLess(reached(11, by_line=True), 0.65, "what its line encloses")
        self.assertGreater(min(reached(frame, by_line=False) for frame in range(1, 12)), 0.8)

    def test_who_comes_back_into_the_picture_has_a_region_from_the_first_frames_on(self) -> None:
        troubles = frozenset({Trouble.LEAVES})
        made = Scenario("back", "tune", "animal", Background.LEAVES, Camera.LOCKED, troubles, 30_020, 80)
        clip = MotionClip(made, only=52)
        border = traced(clip.truth(26))[0]
        outline = drawn_outline("line1", 26, border, motion=Motion.FREE)
        steps = list(follow(outline, clip, range(26, 52), clip.width))
        self.assertEqual([step.frame for step in steps], list(range(27, 52)), "none twice, none left out")
        outline = with_steps(outline, tuple(steps))
        for frame in range(27, 52):
            if clip.seen(frame) > 0.25:
                truth = clip.truth(frame)
                matte = drawn_matte([outline_at(outline, frame)], Refine(), truth.shape, 1.0)
                self.assertGreater(overlap(matte, truth), 0.7, frame)

    def test_a_small_part_is_a_crumb_unless_the_key_had_it_apart(self) -> None:
        matte, key = np.zeros((2, 60, 60), np.float32)
        matte[5:45, 5:45], matte[50:54, 50:54], matte[50:54, 10:14] = 1, 1, 1
        key[48:56, 48:56] = 1
        self.assertEqual(float((without_crumbs(matte) > 0).sum()), 40 * 40)
        self.assertEqual(float((without_crumbs(matte, key) > 0).sum()), 40 * 40 + 4 * 4)

    def test_a_part_that_went_away_is_let_go_unless_it_has_the_subjects_colours(self) -> None:
        matte, key = np.zeros((2, 60, 120), np.float32)
        matte[10:50, 20:50] = key[8:52, 18:52] = 1
        beyond = (slice(20, 40), slice(70, 90))
        matte[beyond] = 1
        others, own = np.full((2, 60, 120), -0.5, np.float32) * np.float32([[[1]], [[-1]]])
        self.assertEqual(float(without_strays(matte, key, others).sum()), 40 * 30)
        self.assertEqual(float(without_strays(matte, key, own).sum()), 40 * 30 + 20 * 20)
        key[beyond] = 1  # as beyond a post: the key's matte has come to there
        self.assertEqual(float(without_strays(matte, key, others).sum()), 40 * 30 + 20 * 20)

    @settings(max_examples=60, deadline=None)
    @given(st.integers(120, 2200), st.integers(120, 2200))
    def test_a_frame_looked_at_twice_has_one_size_within_a_line(self, width: int, height: int) -> None:
        class One:
            facts = None

            def picture(self, frame: int) -> Picture:
                return Picture(np.zeros((height, width, 3), np.uint8), Transfer.SRGB)

            def close(self) -> None:
                pass

        small, large = looked_at(One(), 0), smaller(looked_at(One(), 0, 960))  # type: ignore[arg-type]
        self.assertLessEqual(max(small.shape), 480)
        self.assertLessEqual(np.abs(np.subtract(small.shape, large.shape)).max(), 1)
