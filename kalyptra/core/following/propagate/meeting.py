"""Two who look alike and meet: each goes on as it went, and what is seen of the two is shared out by that.

While they are apart, their poses are remembered, and how each moves against the background. Once they touch, each is
expected where that takes it, in the pose that fits best; both are registered to what is seen of the two together; and
whose picture is seen where both are expected tells who is in front. So each comes out as whoever went in.

Sources: constant velocity as in Bar-Shalom and Fortmann, Tracking and Data Association, 1988; poses by example as in
Toyama and Blake, Probabilistic tracking in a metric space, ICCV 2001.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.contest import Contest, px_inside
from kalyptra.core.following.propagate.exposure import exposed_back
from kalyptra.core.following.propagate.nearby import wider
from kalyptra.core.following.propagate.state import SubjectState
from kalyptra.core.following.propagate.step import Step
from kalyptra.core.following.propagate.trail import KeyTrail
from kalyptra.core.following.propagate.two_shapes import Expected, order_after, registered
from kalyptra.core.log_odds import expit
from kalyptra.core.window import Window, middle_of, window_of

Affine = NDArray[np.float64]
"""(3, 3)."""
Values = NDArray[np.float32]


class Tuning(NamedTuple):
    """What can be tuned. Chosen on clips of the tune half's kinds and surfaces, with seeds of their own."""

    touch: int = 6
    part: int = 14
    """Px between the two below which they meet, and beyond which they have parted."""
    least: int = 5
    most: int = 24
    """Frames apart from which on it is known how each moves, and so many that are remembered."""
    half: float = 0.5
    """The share of its size at the key below which one is still half behind something, and is not expected whole."""
    hides: float = 0.02
    """The share of the smaller one that may be hidden while their poses are still remembered."""
    same_pose: float = 20.0
    """Px by which another pose must fit better."""
    around: int = 12
    """Px around where one is expected in which it may lie."""
    place: float = 0.35
    deep: float = 10.0
    """Evidence of a px that a pixel lies deeper within what is expected of the one than of the other, and the most."""
    match: float = 4.0
    most_match: float = 2.0
    """Codes of error by which the one predicts it better that are worth one unit of evidence, and the most."""
    front: float = 4.0
    """The most evidence of a pixel where both are expected that one of them is in front."""


TUNING = Tuning()
AROUND = 8
"""Px around both that are looked at."""


@dataclass(frozen=True)
class Poses:
    """Both in a frame in which neither hides the other.

    Attributes:
        index: the frame's place in the order.
        world: the background's motion up to it.
        offsets: (2, 2) px by which each was found to be elsewhere until then.
        codes: (height, width, 3) its picture; exposures: of the two, beside their keys.
        mattes: (height, width) of the two.
    """

    index: int
    world: Affine
    offsets: Affine
    codes: NDArray[np.uint8]
    exposures: tuple[float, float]
    mattes: tuple[Values, Values]


@dataclass(frozen=True)
class Encounter:
    """Two who are together now.

    Attributes:
        paces: (2, 2) px a frame that each moves against the background.
        offsets: (2, 2) px by which each was found to be elsewhere.
        poses: those of the remembered poses that each of them has.
        order: codes by which the second fails more where both are expected: the first is in front where it is positive.
    """

    paces: Affine
    offsets: Affine
    poses: tuple[Poses, Poses]
    order: float = 0.0


@dataclass(frozen=True)
class Pair:
    """Two who are followed together.

    Attributes:
        index: frames since they were first.
        world: the background's motion since then.
        poses: their latest poses while neither hid the other.
        encounter: what is known of where they meet; None while they are apart.
    """

    index: int = 0
    world: Affine = field(default_factory=lambda: np.eye(3))
    poses: tuple[Poses, ...] = ()
    encounter: Encounter | None = None

    def after(self, step: Step, other: Step) -> tuple[Pair, tuple[SubjectState, SubjectState] | None]:
        """One frame on, by a step of each.

        Returns:
            The pair; and, where the two are together, their states with what is seen of both shared out.
        """
        contest = step.contest or other.contest
        world = self.world if contest is None else _background_motion(contest) @ self.world
        now = replace(self, index=self.index + 1, world=world)
        mattes = step.state.matte, other.state.matte
        if now.encounter is None:
            if _half_hidden(step.state, other.state) or not _touch(*mattes, TUNING.touch):
                return now._with_poses(step.state, other.state, np.zeros((2, 2))), None
            now = now._met()
        if now.encounter is None:
            return now, None
        encounter = now._placed(now.encounter, step.state.codes, np.maximum(*mattes))
        whole = slice(0, mattes[0].shape[0]), slice(0, mattes[0].shape[1])
        expected = [now._expected(encounter, i, whole).matte for i in (0, 1)]
        states = now._shared(encounter, expected, step, other)
        if not _touch(expected[0], expected[1], TUNING.part):
            return replace(now, encounter=None), states
        now = replace(now, encounter=encounter)
        hidden = np.count_nonzero(np.minimum(*expected) > 0.5) / max(min(float(each.sum()) for each in expected), 1.0)
        return now._with_poses(*states, encounter.offsets) if hidden < TUNING.hides else now, states

    def _with_poses(self, first: SubjectState, second: SubjectState, offsets: Affine) -> Pair:
        """The same, with the poses of this frame remembered."""
        exposures, mattes = (first.exposure, second.exposure), (first.matte, second.matte)
        poses = Poses(self.index, self.world, offsets, first.codes, exposures, mattes)
        return replace(self, poses=(*self.poses[1 - TUNING.most :], poses))

    def _met(self) -> Pair:
        """The two as they meet; apart still where nobody knows how they move."""
        ways = [self._way(i) for i in (0, 1)]
        if min(len(times) for times, _ in ways) < TUNING.least:
            return self
        paces = np.stack([np.polyfit(times, places, 1)[0] for times, places in ways])
        # How each moves is known anew, from where it was in all of them.
        poses = tuple(replace(each, offsets=np.zeros((2, 2))) for each in self.poses)
        encounter = Encounter(paces, np.zeros((2, 2)), (poses[-1], poses[-1]))
        return replace(self, poses=poses, encounter=encounter)

    def _way(self, i: int) -> tuple[list[int], list[NDArray[np.float64]]]:
        """When and where the middle of one was, in the background of the first frame."""
        times, places = [], []
        for poses in self.poses:
            middle = middle_of(poses.mattes[i])
            if middle is not None:
                times.append(poses.index)
                places.append((np.linalg.inv(poses.world) @ np.append(middle, 1.0))[:2])
        return times, places

    def _placed(self, encounter: Encounter, codes: NDArray[np.uint8], seen: Values) -> Encounter:
        """The poses that fit what is seen of both, where they fit it best, and who is in front."""
        whole = slice(0, seen.shape[0]), slice(0, seen.shape[1])
        masks = [self._expected(encounter, i, whole).matte > 0.5 for i in (0, 1)]
        window = window_of((masks[0] | masks[1] | (seen > 0.5)).astype(np.uint8), AROUND)
        if window is None:
            return encounter
        silhouette = seen[window] > 0.5
        masks = [mask[window] for mask in masks]
        chosen = list(encounter.poses)
        for i in (0, 1):
            best = float("inf")
            for poses in self.poses:
                mask = self._expected(encounter, i, window, poses, picture=False).matte > 0.5
                cost = float(np.count_nonzero((mask | masks[1 - i]) ^ silhouette))
                cost += TUNING.same_pose * (poses is not encounter.poses[i])
                if cost < best:
                    best, chosen[i], masks[i] = cost, poses, mask
        encounter = replace(encounter, poses=(chosen[0], chosen[1]))
        both = [self._expected(encounter, i, window) for i in (0, 1)]
        moves = registered(both, silhouette, codes[window])
        shifted = [each.shifted(move) for each, move in zip(both, moves, strict=True)]
        order = order_after(encounter.order, shifted, codes[window])
        return replace(encounter, offsets=encounter.offsets + moves, order=order)

    def _shared(
        self, encounter: Encounter, expected: list[Values], step: Step, other: Step
    ) -> tuple[SubjectState, SubjectState]:
        """Both states, with what is seen of the two given to either, and carried along as it is expected to be."""
        size = step.state.matte.shape
        deep = [px_inside(matte > 0.5) for matte in expected]
        evidence = np.float32(TUNING.place) * np.clip(deep[0] - deep[1], -TUNING.deep, TUNING.deep)
        if step.contest and other.contest:
            better = other.contest.in_picture(size)[0] - step.contest.in_picture(size)[0]
            evidence += np.clip(better / np.float32(TUNING.match), -TUNING.most_match, TUNING.most_match)
        evidence += ((deep[0] > 1) & (deep[1] > 1)) * np.clip(encounter.order, -TUNING.front, TUNING.front)
        share = cv2.GaussianBlur(expit(evidence).astype(np.float32), (0, 0), 1.0)
        seen = np.maximum(step.state.matte, other.state.matte)
        mattes = seen * share * (deep[0] > -TUNING.around), seen * (1 - share) * (deep[1] > -TUNING.around)
        states = [
            replace(each.state, matte=matte.astype(np.float32), trail=self._trail(encounter, i))
            for i, (each, matte) in enumerate(zip((step, other), mattes, strict=True))
        ]
        return states[0], states[1]

    def _motion(self, encounter: Encounter, i: int, poses: Poses) -> Affine:
        """From a remembered frame to this one, for one of the two."""
        gone, moved = np.eye(3), np.eye(3)
        gone[:2, 2] = encounter.paces[i] * (self.index - poses.index)
        moved[:2, 2] = encounter.offsets[i] - poses.offsets[i]
        return np.asarray(moved @ self.world @ gone @ np.linalg.inv(poses.world))

    def _expected(
        self, encounter: Encounter, i: int, window: Window, poses: Poses | None = None, picture: bool = True
    ) -> Expected:
        """One of the two as it is expected in a window, in the pose that it has or another."""
        poses = poses or encounter.poses[i]
        motion = self._motion(encounter, i, poses)[:2].copy()
        motion[:, 2] -= window[1].start, window[0].start
        size = window[1].stop - window[1].start, window[0].stop - window[0].start
        codes = poses.codes
        shown = cv2.warpAffine(codes, motion, size, borderMode=cv2.BORDER_REPLICATE) if picture else codes[:0]
        return Expected(cv2.warpAffine(poses.mattes[i], motion, size), np.asarray(shown, np.uint8))

    def _trail(self, encounter: Encounter, i: int) -> KeyTrail:
        """Picture and matte of the pose that one has, carried to where it is."""
        poses = encounter.poses[i]
        back = np.linalg.inv(self._motion(encounter, i, poses))
        trail = KeyTrail.at(exposed_back(poses.codes, poses.exposures[i]), poses.mattes[i])
        return replace(trail, place=cv2.transform(trail.place, back[:2].astype(np.float32)))


def _half_hidden(*states: SubjectState) -> bool:
    """Whether less than half of either is seen."""
    return any(float(state.matte.sum()) < TUNING.half * state.lasting.area for state in states)


def _touch(first: Values, second: Values, px: int) -> bool:
    """Whether two mattes lie no farther than so many px apart."""
    return bool((wider(first > 0.3, px) & (second > 0.3)).any())


def _background_motion(contest: Contest) -> Affine:
    """From the frame before, in px of the whole picture."""
    place = np.eye(3)
    place[:2, 2] = contest.window[1].start, contest.window[0].start
    motion = np.vstack([contest.behind.affine.astype(np.float64), [0, 0, 1]])
    return np.asarray(place @ motion @ np.linalg.inv(place))
