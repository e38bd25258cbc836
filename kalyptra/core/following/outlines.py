"""Following an outline over the frames of a clip."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from enum import StrEnum
from functools import partial
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.reader import PictureSource
from kalyptra.core.following.propagate.background import Surroundings
from kalyptra.core.following.propagate.look import looked_at, smaller
from kalyptra.core.following.propagate.subject import FollowedSubject
from kalyptra.core.following.track.by_region import find_by_region
from kalyptra.core.following.track.step import SubjectModel, TrackedStep, find_step
from kalyptra.core.matte.drawn import outline_matte
from kalyptra.core.setup.document.followed import Motion
from kalyptra.core.setup.document.outline import Outline
from kalyptra.core.setup.document.setup import Refine
from kalyptra.core.setup.geometry.spline import Rows
from kalyptra.core.setup.geometry.warp import Matrix, inverse, mapped, numbers_of
from kalyptra.core.setup.resolve.outline import carried, held_for, placed_at
from kalyptra.core.setup.time.track import Step, doubt_of

LINES_WIDTH = 960
"""Px on the long side of the pictures that lines are followed in."""
MOST_UNSEEN = 48
"""Frames after which a subject that cannot be seen is given up."""
BLIND = 0.3
"""What a step that only carries on counts for, as if this share of the corners had been found."""
MISSES, FITS = 0.75, 0.9
"""Overlap of an outline with its region: with the first it is not sure at all, with the second as sure as that."""


class OnLoss(StrEnum):
    """What to do when the subject cannot be seen."""

    STOP = "stop"
    CARRY_ON = "carry-on"


def follow(
    outline: Outline, footage: PictureSource, frames: Sequence[int], full_width: int, on_loss: OnLoss = OnLoss.CARRY_ON
) -> Iterator[Step]:
    """Follow an outline from frame to frame.

    At frames with a key made by hand it goes on from that key. When the subject cannot be seen, it stops, or carries on
    as it moved before and looks for what was last seen of it.

    Args:
        frames: frame numbers one apart, ahead or back; the first is where the outline is known.
        full_width: width in px of the clip at full size.

    Yields:
        A step as each frame is found. It belongs to the later of the two frames, also going back.

    Raises:
        FrameUnreadable: the clip has no such frame.
    """
    placed = placed_at(outline, frames[0])
    before = looked_at(footage, frames[0], LINES_WIDTH)
    scale = before.shape[1] / full_width
    ids, rows, placement = placed.ids, placed.rows * scale, placed.matrix
    around = Surroundings(lambda frame: smaller(looked_at(footage, frame, LINES_WIDTH)), frames)
    way: _Way = partial(_ByRegion, around) if outline.motion is Motion.FREE else partial(_ByCorners, outline.motion)
    finder, seen = way(before, rows, 0), _Seen(before, rows)
    guess = np.eye(3)
    for index, (last, frame) in enumerate(pairwise(frames), 1):
        after = looked_at(footage, frame, LINES_WIDTH)
        since = seen.since(guess)
        tracked = finder.find(seen, after, since)
        if not tracked.seen and on_loss is OnLoss.STOP:
            return
        matrix = tracked.matrix @ inverse(seen.motion) if tracked.seen else guess
        matrix = matrix / matrix[2, 2]
        rows = carried(matrix, rows) if not tracked.seen else _moved_on(seen.rows, tracked)
        step, placement = _step(last, frame, matrix, ids, rows, placement, scale, tracked)
        yield step
        if tracked.seen:
            guess = _drift(matrix, rows)
            seen = _Seen(after, rows)
        else:
            seen.unseen(matrix)
            if seen.steps > MOST_UNSEEN:
                return
        if frame in outline.hand_frames:
            placed = placed_at(outline, frame)
            ids, rows, placement = placed.ids, placed.rows * scale, placed.matrix
            finder, seen = way(after, rows, index), _Seen(after, rows)


def follow_range(
    outline: Outline, footage: PictureSource, first: int, last: int, full_width: int, on_loss: OnLoss = OnLoss.CARRY_ON
) -> Iterator[Step]:
    """Follow an outline from its hand-made keys over all frames from first to last.

    Between two keys it goes ahead from the earlier one; where that came to be in doubt, back from the later one, too.

    Yields, raises: as `follow`. A later step replaces an earlier one of the same frame.
    """
    keys = [frame for frame in outline.hand_frames if first <= frame <= last]
    if not keys:
        return
    yield from follow(outline, footage, range(keys[0], first - 1, -1), full_width, on_loss)
    for a, b in pairwise(keys):
        doubts = [0.0]
        for step in follow(outline, footage, range(a, b + 1), full_width, on_loss):
            doubts.append(doubts[-1] + doubt_of(step))
            yield step
        if len(doubts) <= b - a or doubts[-1] > 1:
            # Back from the later key, to where both ways are as doubtful.
            back = 0.0
            for step in follow(outline, footage, range(b, a, -1), full_width, on_loss):
                back += doubt_of(step)
                yield step
                if step.frame - 1 - a < len(doubts) and back >= doubts[step.frame - 1 - a]:
                    break
    yield from follow(outline, footage, range(keys[-1], last + 1), full_width, on_loss)


class _ByCorners:
    """An outline that keeps its shape is found by corners inside it."""

    def __init__(self, kind: Motion, codes: NDArray[np.uint8], rows: Rows, index: int) -> None:
        self._kind, self._known = kind, SubjectModel.at(codes, rows)

    def find(self, seen: _Seen, codes: NDArray[np.uint8], since: Matrix) -> TrackedStep:
        tracked = find_step(seen.picture, codes, seen.rows, self._kind, since, self._known)
        if tracked.seen:
            self._known = tracked.known or self._known
        return tracked


class _ByRegion:
    """What a free outline encloses is followed as a matte, and its line goes along with that."""

    def __init__(self, around: Surroundings, codes: NDArray[np.uint8], rows: Rows, index: int) -> None:
        self._region, small = outline_matte(rows, Refine(), (codes.shape[0], codes.shape[1])), smaller(codes)
        matte = np.asarray(cv2.resize(self._region, small.shape[1::-1], interpolation=cv2.INTER_AREA), np.float32)
        self._subject = FollowedSubject(around, small, matte, index=index)

    def find(self, seen: _Seen, codes: NDArray[np.uint8], since: Matrix) -> TrackedStep:
        sure = self._subject.step(smaller(codes))
        if not self._subject.seen or sure.hidden:
            return TrackedStep(since, np.zeros((len(seen.rows), 2)), 0.0, 0.0, False)
        region = cv2.resize(self._subject.matte, codes.shape[1::-1], interpolation=cv2.INTER_LINEAR)
        matrix, shifts, fits = find_by_region(seen.picture, codes, seen.rows, (self._region, region), since)
        self._region = np.asarray(region, np.float32)
        fit = float(np.clip((fits - MISSES) / (FITS - MISSES), 0, 1))
        return TrackedStep(matrix, shifts, held_for(sure.share * fit), 1.0, True)


_Way = Callable[[NDArray[np.uint8], Rows, int], _ByCorners | _ByRegion]


class _Seen:
    """The subject as it was seen last, and how it is thought to have moved since."""

    def __init__(self, picture: NDArray[np.uint8], rows: Rows) -> None:
        self.picture, self.rows = picture, rows
        self.motion: Matrix = np.eye(3)
        self.steps = 0

    def since(self, guess: Matrix) -> Matrix:
        return np.asarray(guess @ self.motion)

    def unseen(self, matrix: Matrix) -> None:
        self.motion = np.asarray(matrix @ self.motion)
        self.steps += 1


def _drift(matrix: Matrix, rows: Rows) -> Matrix:
    """What a motion does to the middle of an outline, and nothing else: to be carried on for many frames."""
    middle = rows[:, :2].mean(axis=0)
    drift = np.eye(3)
    drift[:2, 2] = middle - mapped(inverse(matrix), middle)
    return drift


def _moved_on(rows: Rows, tracked: TrackedStep) -> Rows:
    out = carried(tracked.matrix, rows)
    out[:, :6] += np.tile(tracked.shifts, 3)
    return out


def _step(
    last: int, frame: int, matrix: Matrix, ids: tuple[int, ...], rows: Rows, placement: Matrix, scale: float,
    tracked: TrackedStep,
) -> tuple[Step, Matrix]:  # fmt: skip
    """The step as a document keeps it, and the placement after it."""
    sizes = np.diag([1 / scale, 1 / scale, 1.0])
    whole = sizes @ matrix @ inverse(sizes)
    whole = whole / whole[2, 2]
    placement = whole @ placement
    back = inverse(placement)
    moved = mapped(back, rows[:, :2] / scale) - mapped(back, (rows[:, :2] - tracked.shifts) / scale)
    ahead = frame > last
    shifts: tuple[tuple[int, float, float], ...] = ()
    if np.abs(tracked.shifts).max() > 1e-3:
        own = np.round(moved if ahead else -moved, 3).tolist()
        shifts = tuple((name, x, y) for name, (x, y) in zip(ids, own, strict=True))
    step = Step(
        frame=max(last, frame), warp=numbers_of(whole if ahead else inverse(whole)), shifts=shifts,
        held=round(tracked.held, 3) if tracked.seen else BLIND, visible=round(tracked.visible, 3),
        predicted=not tracked.seen,
    )  # fmt: skip
    return step, placement
