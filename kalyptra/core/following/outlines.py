"""Following an outline over the frames of a clip."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace
from enum import StrEnum
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.reader import PictureSource
from kalyptra.core.edit.subjects import EDGE_OF_DRAWN
from kalyptra.core.following.fine_edge import enlarged
from kalyptra.core.following.propagate.background import Surroundings
from kalyptra.core.following.propagate.look import looked_at, shrunk_to, smaller
from kalyptra.core.following.propagate.seen_through import seen_through
from kalyptra.core.following.propagate.subject import MOST_BACK, FollowedSubject
from kalyptra.core.following.propagate.two_motions import AHEAD
from kalyptra.core.following.track.border_rings import border_rings
from kalyptra.core.following.track.by_region import find_by_region, parts_of
from kalyptra.core.following.track.shape import inside_of, moved_by
from kalyptra.core.following.track.step import SubjectModel, TrackedRegion, TrackedStep, find_step
from kalyptra.core.matte.drawn import outline_matte
from kalyptra.core.matte.local_colours import edge_by_colours, px_outside
from kalyptra.core.setup.document.followed import Motion
from kalyptra.core.setup.document.outline import Joins, Outline
from kalyptra.core.setup.document.setup import Refine
from kalyptra.core.setup.geometry.border import packed
from kalyptra.core.setup.geometry.spline import Rows
from kalyptra.core.setup.geometry.warp import Matrix, inverse, mapped, numbers_of
from kalyptra.core.setup.resolve.outline import held_for, placed_at
from kalyptra.core.setup.time.track import Border, Step
from kalyptra.core.window import middle_of

LINES_WIDTH = 960
"""Px on the long side of the pictures that lines are followed in."""
MOST_UNSEEN = 48
"""Frames after which the corners of what cannot be seen are given up; a region is looked for to the end."""
BLIND = 0.3
"""What a step that only carries on counts for, as if this share of the corners had been found."""
MISSES, FITS = 0.75, 0.9
"""Overlap of a line with its region: with the first it is not sure at all, with the second as sure as that."""
SEAM = 2.0
"""Px by which parts of a region reach over each other, so that none shows between them."""
ALONG = 0.5
"""Px by which a line that is drawn along a subject may lie outside of it; of others it is 1 to 6."""
TOUCHING = 9
"""Px of 960 within which two outlines are of a subject."""
Codes = NDArray[np.uint8]
Matte = NDArray[np.float32]


class OnLoss(StrEnum):
    """What to do when the subject cannot be seen."""

    STOP = "stop"
    CARRY_ON = "carry-on"


def follow(
    outline: Outline, footage: PictureSource, frames: Sequence[int], full_width: int, on_loss: OnLoss = OnLoss.CARRY_ON
) -> Iterator[Step]:
    """Follow an outline alone, as `follow_together` does."""
    for steps in follow_together([outline], footage, frames, full_width, on_loss):
        yield steps[outline.id]


def follow_together(
    outlines: Sequence[Outline],
    footage: PictureSource,
    frames: Sequence[int],
    full_width: int,
    on_loss: OnLoss = OnLoss.CARRY_ON,
) -> Iterator[dict[str, Step]]:
    """Follow outlines from frame to frame; free ones that touch each other, as parts of a subject.

    At frames with a key made by hand they go on from that key. An outline whose subject cannot be seen stops, or
    carries on as it moved before and looks for what was last seen of it.

    Args:
        frames: frame numbers one apart, ahead or back; the first is where the outlines are known.
        full_width: width in px of the clip at full size.

    Yields:
        The outlines' steps by their ids as each frame is found, while any is left; those of frames in which a subject
        is hidden, once it is seen again, or `MOST_BACK` frames later. A step belongs to the later of the two frames,
        also going back.

    Raises:
        FrameUnreadable: the clip has no such frame.
    """
    before = looked_at(footage, frames[0], LINES_WIDTH)
    scale = before.shape[1] / full_width
    lines = [_Line(outline, frames[0], before, scale) for outline in outlines]
    finders = [_ByCorners(line, before) for line in lines if line.outline.motion is not Motion.FREE] + [
        _ByRegion(_surroundings(footage, frames), before, parts) for parts in _touching(lines, before.shape)
    ]
    held: list[dict[str, Step]] = []
    for index, (last, frame) in enumerate(pairwise(frames), 1):
        after = looked_at(footage, frame, LINES_WIDTH)
        steps: dict[str, Step] = {}
        for finder in finders:
            for line, tracked in zip(finder.lines, finder.find(after), strict=True):
                if tracked.seen or on_loss is OnLoss.CARRY_ON:
                    steps[line.outline.id] = line.step(last, frame, after, tracked)
            finder.lines = [line for line in finder.lines if line.outline.id in steps]
        finders = [finder for finder in finders if finder.lines]
        if not steps:
            break
        held.append(steps)
        for finder in finders:
            for gone, regions in enumerate(finder.seen_before, 2):
                for line, region in zip(finder.lines, regions, strict=True):
                    _replace_border(held[-gone], line, frames[index + 1 - gone], region)
        waits = max((finder.waits for finder in finders), default=0)
        while len(held) > waits:
            yield held.pop(0)
        for finder in finders:
            finder.lines = [line for line in finder.lines if line.unseen <= finder.most_unseen]
            keyed = [line for line in finder.lines if frame in line.outline.hand_frames]
            for line in keyed:
                line.begin(frame, after)
            if keyed:
                finder.begin(after, index)
        finders = [finder for finder in finders if finder.lines]
    yield from held


def _surroundings(footage: PictureSource, frames: Sequence[int]) -> Surroundings:
    """Each subject has its own: what is left out of the background is itself."""
    return Surroundings(lambda frame: smaller(looked_at(footage, frame, LINES_WIDTH)), frames)


class _Line:
    """An outline on its way: where it lies, as it was seen last, and how it is thought to have moved since.

    Attributes:
        picture, rows: of the frame in which it was seen last.
        unseen: frames since then.
    """

    def __init__(self, outline: Outline, frame: int, picture: Codes, scale: float) -> None:
        self.outline, self._scale = outline, scale
        self._drift: Matrix = np.eye(3)
        self.begin(frame, picture)

    def begin(self, frame: int, picture: Codes) -> None:
        """Go on from where the outline is known."""
        placed = placed_at(self.outline, frame)
        self._ids, self.rows, self._placement = placed.ids, placed.rows * self._scale, placed.matrix
        self.picture, self.unseen = picture, 0
        self._since: Matrix = np.eye(3)
        self._of = self.outline.drawing(frame)

    @property
    def guess(self) -> Matrix:
        """Its motion from where it was seen last to the next frame."""
        return np.asarray(self._drift @ self._since)

    def step(self, last: int, frame: int, picture: Codes, tracked: TrackedStep) -> Step:
        """Go on by what was found; the step as a document keeps it."""
        matrix = tracked.matrix @ inverse(self._since) if tracked.seen else self._drift
        matrix = matrix / matrix[2, 2]
        rows = tracked.on(self.rows)
        step, self._placement = _step(last, frame, matrix, self._ids, rows, self._placement, self._scale, tracked)
        if tracked.region is not None:
            step = step.model_copy(update={"border": self.border(frame, tracked.region)})
        if tracked.seen:
            self.picture, self.rows, self.unseen = picture, rows, 0
            self._drift, self._since = _drift(matrix, rows), np.eye(3)
        else:
            self.unseen += 1
            self._since = np.asarray(matrix @ self._since)
        return step

    def border(self, frame: int, region: TrackedRegion) -> Border:
        """What was seen of its region at a frame."""
        rings = packed([ring / self._scale for ring in border_rings(region.matte)])
        return Border(frame=frame, of=self._of, sure=round(region.sure, 3), rings=rings)


class _ByCorners:
    """An outline that keeps its shape is found by corners inside it."""

    most_unseen: float = MOST_UNSEEN
    waits = 0
    seen_before: tuple[list[TrackedRegion], ...] = ()

    def __init__(self, line: _Line, codes: Codes) -> None:
        self.lines = [line]
        self.begin(codes, 0)

    def begin(self, codes: Codes, index: int) -> None:
        self._known = SubjectModel.at(codes, self.lines[0].rows)

    def find(self, codes: Codes) -> list[TrackedStep]:
        line = self.lines[0]
        tracked = find_step(line.picture, codes, line.rows, line.outline.motion, line.guess, self._known)
        if tracked.seen:
            self._known = tracked.known or self._known
        return [tracked]


class _ByRegion:
    """What free outlines enclose together is followed as a matte, and their lines go along with that.

    Attributes:
        waits: the latest frames, in which it was hidden, of which its region may still be known.
        seen_before: its regions in the frames before the last one, the latest first, that were known from there: one a
            line.
    """

    most_unseen = math.inf

    def __init__(self, around: Surroundings, codes: Codes, lines: list[_Line]) -> None:
        self._around, self.lines = around, lines
        self.begin(codes, 0)

    def begin(self, codes: Codes, index: int) -> None:
        size, small = (codes.shape[0], codes.shape[1]), smaller(codes)
        drawn = np.maximum.reduce([outline_matte(line.rows, Refine(), size) for line in self.lines])
        self._around.forget()
        self._region = _closely(codes, drawn)
        # A line has no holes, either.
        holes = seen_through(codes, self._around.ahead(index, AHEAD), self._region)
        if holes.any():
            drawn = drawn * ~holes
            self._region = _closely(codes, drawn)
        self._subject = FollowedSubject(self._around, small, shrunk_to(self._region, small), index=index, drawn=True)
        self._hidden: list[Codes] = []
        self.seen_before: list[list[TrackedRegion]] = []

    @property
    def waits(self) -> int:
        return len(self._hidden)

    def find(self, codes: Codes) -> list[TrackedStep]:
        sure = self._subject.step(smaller(codes))
        region = enlarged(self._subject.matte, codes, self._subject.mixed)
        rows = [line.rows for line in self.lines]
        seen = self._subject.seen and not sure.hidden
        if seen:
            last, self._region = self._region, region
            guesses = [line.guess for line in self.lines]
            steps = [
                TrackedStep(line.matrix, line.shifts, held_for(sure.share * _fit(line.fits)), 1.0, True)
                for line in find_by_region(self.lines[0].picture, codes, rows, (last, region), guesses)
            ]
        else:
            steps = [_not_seen(line) for line in self.lines]
        lines = [step.on(own) for step, own in zip(steps, rows, strict=True)]
        self.seen_before = self._back_over(lines) if seen else []
        self._hidden = [] if seen else [*self._hidden[1 - MOST_BACK :], codes]
        parts = parts_of(region, lines, SEAM)
        return [replace(step, region=TrackedRegion(part, sure.share)) for step, part in zip(steps, parts, strict=True)]

    def _back_over(self, lines: list[Rows]) -> list[list[TrackedRegion]]:
        """Regions of frames in which it was hidden, as far as it is followed back to them from where it is seen."""
        pictures, here = self._hidden[::-1], middle_of(self._region)
        regions = []
        for codes, (matte, mixed, sure) in zip(
            pictures, self._subject.back_over([smaller(picture) for picture in pictures]), strict=False
        ):
            region = enlarged(matte, codes, mixed)
            there = middle_of(region)
            gone = np.zeros(2) if here is None or there is None else there - here
            parts = parts_of(region, [moved_by(rows, gone) for rows in lines], SEAM)
            regions.append([TrackedRegion(part, sure.share) for part in parts])
        return regions


def _replace_border(steps: dict[str, Step], line: _Line, frame: int, region: TrackedRegion) -> None:
    """Note what was seen of a line's region at a frame after all."""
    step = steps.get(line.outline.id)
    if step is not None:
        border = line.border(frame, region)
        steps[line.outline.id] = step.model_copy(update={"border": border, "predicted": False})


def _closely(codes: Codes, drawn: Matte) -> Matte:
    """What a line encloses, without what it should not: people draw around a subject; some draw along it."""
    width = codes.shape[1] * EDGE_OF_DRAWN
    closely = edge_by_colours(codes, drawn, width, loose=True)
    if px_outside(drawn, closely, width) > ALONG:
        return closely
    return edge_by_colours(codes, drawn, width / 2)


def _fit(fits: float) -> float:
    return float(np.clip((fits - MISSES) / (FITS - MISSES), 0, 1))


def _not_seen(line: _Line) -> TrackedStep:
    return TrackedStep(line.guess, np.zeros((len(line.rows), 2)), 0.0, 0.0, False)


def _touching(lines: Sequence[_Line], size: tuple[int, ...]) -> list[list[_Line]]:
    """Free lines in groups: what is added and touches, in the frame that they begin at, is of a subject."""
    free = [line for line in lines if line.outline.motion is Motion.FREE]
    added = [line for line in free if line.outline.joins is Joins.ADD]
    groups = [[line] for line in free if line not in added]
    if not added:
        return groups
    wide = np.ones((TOUCHING, TOUCHING), np.uint8)
    inside = [cv2.dilate(inside_of(line.rows, size), wide) for line in added]
    _, parts = cv2.connectedComponents(np.maximum.reduce(inside))
    by_part: dict[int, list[_Line]] = {}
    for line, mask in zip(added, inside, strict=True):
        by_part.setdefault(int(parts[mask > 0].max(initial=0)), []).append(line)
    return groups + list(by_part.values())


def _drift(matrix: Matrix, rows: Rows) -> Matrix:
    """What a motion does to the middle of an outline, and nothing else: to be carried on for many frames."""
    middle = rows[:, :2].mean(axis=0)
    drift = np.eye(3)
    drift[:2, 2] = middle - mapped(inverse(matrix), middle)
    return drift


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
