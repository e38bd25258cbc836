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
    """Both in a frame in which they are apart.

    Attributes:
        index: the frame's place in the order.
        world: the background's motion up to it.
        codes: (height, width, 3) its picture; exposures: of the two, beside their keys.
        mattes: (height, width) of the two.
    """

    index: int
    world: Affine
    codes: NDArray[np.uint8]
    exposures: tuple[float, float]
    mattes: tuple[Values, Values]


@dataclass(frozen=True)
class Encounter:
    """Two who are together now.

    Attributes:
        paces: (2, 2) px a frame that each moves against the background.
        offsets: (2, 2) px by which each was found to be elsewhere.
        poses: which of the remembered poses each of them has.
        order: codes by which the second fails more where both are expected: the first is in front where it is positive.
    """

    paces: Affine
    offsets: Affine
    poses: tuple[int, int]
    order: float = 0.0


@dataclass(frozen=True)
class Pair:
    """Two who are followed together.

    Attributes:
        index: frames since they were first.
        world: the background's motion since then.
        apart: their latest poses while they were apart.
        encounter: what is known of where they meet; None while they are apart.
    """

    index: int = 0
    world: Affine = field(default_factory=lambda: np.eye(3))
    apart: tuple[Poses, ...] = ()
    encounter: Encounter | None = None

    def after(self, step: Step, other: Step) -> Pair:
        """One frame on: whether they are together now, and where each is."""
        contest = step.contest or other.contest
        world = self.world if contest is None else _background_motion(contest) @ self.world
        now = replace(self, index=self.index + 1, world=world)
        mattes = step.state.matte, other.state.matte
        if now.encounter is None:
            if not _touch(*mattes, TUNING.touch):
                exposures = step.state.exposure, other.state.exposure
                poses = Poses(now.index, world, step.state.codes, exposures, mattes)
                return replace(now, apart=(*now.apart[1 - TUNING.most :], poses))
            now = now._met()
        return now if now.encounter is None else now._placed(now.encounter, step.state.codes, np.maximum(*mattes))

    def shared(self, step: Step, other: Step) -> tuple[SubjectState, SubjectState]:
        """Both states, with what is seen of the two given to either, and carried along as it is expected to be."""
        assert self.encounter
        size = step.state.matte.shape
        whole = slice(0, size[0]), slice(0, size[1])
        expected = [self._expected(i, whole).matte for i in (0, 1)]
        deep = [px_inside(matte > 0.5) for matte in expected]
        evidence = np.float32(TUNING.place) * np.clip(deep[0] - deep[1], -TUNING.deep, TUNING.deep)
        if step.contest and other.contest:
            better = other.contest.in_picture(size)[0] - step.contest.in_picture(size)[0]
            evidence += np.clip(better / np.float32(TUNING.match), -TUNING.most_match, TUNING.most_match)
        evidence += ((deep[0] > 1) & (deep[1] > 1)) * np.clip(self.encounter.order, -TUNING.front, TUNING.front)
        share = cv2.GaussianBlur(expit(evidence).astype(np.float32), (0, 0), 1.0)
        seen = np.maximum(step.state.matte, other.state.matte)
        mattes = seen * share * (deep[0] > -TUNING.around), seen * (1 - share) * (deep[1] > -TUNING.around)
        states = [
            replace(each.state, matte=matte.astype(np.float32), trail=self._trail(i))
            for i, (each, matte) in enumerate(zip((step, other), mattes, strict=True))
        ]
        return states[0], states[1]

    def parted(self) -> Pair:
        """The two apart again, where they are."""
        assert self.encounter
        size = self.apart[-1].codes.shape
        whole = slice(0, size[0]), slice(0, size[1])
        first, second = (self._expected(i, whole).matte for i in (0, 1))
        return self if _touch(first, second, TUNING.part) else replace(self, encounter=None)

    def _met(self) -> Pair:
        """The two as they meet; apart still where nobody knows how they move."""
        ways = [self._way(i) for i in (0, 1)]
        if min(len(times) for times, _ in ways) < TUNING.least:
            return self
        paces = np.stack([np.polyfit(times, places, 1)[0] for times, places in ways])
        last = len(self.apart) - 1
        return replace(self, encounter=Encounter(paces, np.zeros((2, 2)), (last, last)))

    def _way(self, i: int) -> tuple[list[int], list[NDArray[np.float64]]]:
        """When and where the middle of one was while they were apart, in the background of the first frame."""
        times, places = [], []
        for poses in self.apart:
            middle = middle_of(poses.mattes[i])
            if middle is not None:
                times.append(poses.index)
                places.append((np.linalg.inv(poses.world) @ np.append(middle, 1.0))[:2])
        return times, places

    def _placed(self, encounter: Encounter, codes: NDArray[np.uint8], seen: Values) -> Pair:
        """The poses that fit what is seen of both, where they fit it best, and who is in front."""
        now = replace(self, encounter=encounter)
        whole = slice(0, seen.shape[0]), slice(0, seen.shape[1])
        masks = [now._expected(i, whole).matte > 0.5 for i in (0, 1)]
        window = window_of((masks[0] | masks[1] | (seen > 0.5)).astype(np.uint8), AROUND)
        if window is None:
            return now
        silhouette = seen[window] > 0.5
        masks = [mask[window] for mask in masks]
        chosen = list(encounter.poses)
        for i in (0, 1):
            best = float("inf")
            for k in range(len(self.apart)):
                mask = now._expected(i, window, k, picture=False).matte > 0.5
                cost = float(np.count_nonzero((mask | masks[1 - i]) ^ silhouette))
                cost += TUNING.same_pose * (k != encounter.poses[i])
                if cost < best:
                    best, chosen[i], masks[i] = cost, k, mask
        encounter = replace(encounter, poses=(chosen[0], chosen[1]))
        now = replace(self, encounter=encounter)
        both = [now._expected(i, window) for i in (0, 1)]
        moves = registered(both, silhouette, codes[window])
        shifted = [each.shifted(move) for each, move in zip(both, moves, strict=True)]
        order = order_after(encounter.order, shifted, codes[window])
        return replace(self, encounter=replace(encounter, offsets=encounter.offsets + moves, order=order))

    def _motion(self, i: int, pose: int) -> Affine:
        """From a remembered frame to this one, for one of the two."""
        assert self.encounter
        then = self.apart[pose]
        gone, moved = np.eye(3), np.eye(3)
        gone[:2, 2] = self.encounter.paces[i] * (self.index - then.index)
        moved[:2, 2] = self.encounter.offsets[i]
        return np.asarray(moved @ self.world @ gone @ np.linalg.inv(then.world))

    def _expected(self, i: int, window: Window, pose: int | None = None, picture: bool = True) -> Expected:
        """One of the two as it is expected in a window, in the pose that it has or another."""
        assert self.encounter
        pose = self.encounter.poses[i] if pose is None else pose
        motion = self._motion(i, pose)[:2].copy()
        motion[:, 2] -= window[1].start, window[0].start
        size = window[1].stop - window[1].start, window[0].stop - window[0].start
        codes = self.apart[pose].codes
        shown = cv2.warpAffine(codes, motion, size, borderMode=cv2.BORDER_REPLICATE) if picture else codes[:0]
        return Expected(cv2.warpAffine(self.apart[pose].mattes[i], motion, size), np.asarray(shown, np.uint8))

    def _trail(self, i: int) -> KeyTrail:
        """Picture and matte of the pose that one has, carried to where it is."""
        assert self.encounter
        pose = self.encounter.poses[i]
        then, back = self.apart[pose], np.linalg.inv(self._motion(i, pose))
        trail = KeyTrail.at(exposed_back(then.codes, then.exposures[i]), then.mattes[i])
        return replace(trail, place=cv2.transform(trail.place, back[:2].astype(np.float32)))


def _touch(first: Values, second: Values, px: int) -> bool:
    """Whether two mattes lie no farther than so many px apart."""
    wide = cv2.dilate((first > 0.3).astype(np.uint8), np.ones((2 * px + 1, 2 * px + 1), np.uint8))
    return bool((wide & (second > 0.3)).any())


def _background_motion(contest: Contest) -> Affine:
    """From the frame before, in px of the whole picture."""
    place = np.eye(3)
    place[:2, 2] = contest.window[1].start, contest.window[0].start
    motion = np.vstack([contest.behind.affine.astype(np.float64), [0, 0, 1]])
    return np.asarray(place @ motion @ np.linalg.inv(place))
