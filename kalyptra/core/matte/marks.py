"""A matte from brush marks: what looks like the kept places and not like the dropped ones.

Source: Rother, Kolmogorov and Blake, GrabCut, SIGGRAPH 2004 (OpenCV's), seeded by the marks.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.matte.guided_filter import guided_filter
from kalyptra.core.setup.document.stored import Stroke
from kalyptra.core.window import Window, window_of

Matte = NDArray[np.float32]
Mask = NDArray[np.uint8]


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the demo's clips, where no source is named."""

    working: int = 480
    """Px on the long side of the picture that colours are compared in."""
    turns: int = 3
    turns_mending: int = 2
    hole: float = 0.002
    """Holes smaller than this share of the picture are closed, unless a drop mark is in them."""
    deep: int = 6
    """Px of working size inside a matte that is mended from where on it is taken as sure."""
    around_marks: float = 0.5
    """How far from a mark a mend reaches, as a share of the subject's size."""
    edge_share: float = 1 / 120
    edge_eps: float = 0.0001
    steeper: float = 1.3


TUNING = Tuning()


AROUND_KEPT, LEAST_AROUND = (0.8, 100.0), 24
"""How far around the keep marks a subject is looked for, as shares of their size, and px besides."""


def marked_matte(codes: NDArray[np.uint8], marks: Sequence[Stroke], scale: float, under: Matte | None = None) -> Matte:
    """Find a matte from marks, or mend one by them.

    What a keep mark touches belongs to it, what a drop mark touches does not. A later mark lies over an earlier one.

    Args:
        codes: (height, width, 3) RGB in 8 bits.
        marks: px of the full-size source.
        scale: px of the picture for one px of the source.
        under: (height, width) the matte to mend; only what hangs together with a mark is changed then.

    Returns:
        (height, width) 0 to 1. All 0 where there is neither a keep mark nor a matte to mend.
    """
    size = codes.shape[:2]
    keep, drop = _painted(marks, (size[0], size[1]), scale)
    if under is None and not keep.any():
        return np.zeros(size, np.float32)
    factor = min(1.0, TUNING.working / max(size))
    small = (max(1, round(size[1] * factor)), max(1, round(size[0] * factor)))
    view = cv2.resize(codes, small, interpolation=cv2.INTER_AREA)
    keeps, drops = (cv2.resize(stroked, small, interpolation=cv2.INTER_AREA) > 0.35 * 255 for stroked in (keep, drop))
    if under is None:
        mask = _from_nothing(view, keeps, drops)
        rough = cv2.resize(mask.astype(np.float32), (size[1], size[0]), interpolation=cv2.INTER_LINEAR)
        matte = _edged(codes, rough)
    else:
        change = _mended(view, keeps, drops, cv2.resize(under, small, interpolation=cv2.INTER_AREA) > 0.5)
        matte = under.copy()
        for added in (True, False):
            part = cv2.resize((change == (1 if added else -1)).astype(np.float32), (size[1], size[0]))
            if part.any():
                rough = np.maximum(under, part) if added else np.minimum(under, 1 - part)
                near = cv2.dilate((part > 0.1).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
                matte[near] = _edged(codes, rough)[near]
    # The marks hold, wherever the picture would draw the edge.
    matte[keep > 127], matte[drop > 127] = 1, 0
    return matte


def _painted(marks: Sequence[Stroke], size: tuple[int, int], scale: float) -> tuple[Mask, Mask]:
    """Keep and drop marks as pictures, 0 or 255."""
    keep, drop = np.zeros(size, np.uint8), np.zeros(size, np.uint8)
    for mark in marks:
        line = np.round((np.array(mark.points) * scale - 0.5) * 16).astype(np.int32)
        width = max(1, round(mark.width * scale))
        touched = np.zeros(size, np.uint8)
        cv2.polylines(touched, [line.reshape(-1, 1, 2)], False, 255, width, cv2.LINE_8, 4)
        if len(line) == 1:
            centre = (int(line[0, 0]), int(line[0, 1]))
            cv2.circle(touched, centre, max(1, width * 8), 255, -1, cv2.LINE_8, 4)
        mine, other = (keep, drop) if mark.keep else (drop, keep)
        mine[touched > 0], other[touched > 0] = 255, 0
    return keep, drop


def _from_nothing(view: NDArray[np.uint8], keeps: NDArray[np.bool_], drops: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Look around the marks first, and further only where what is found reaches the end of that."""
    if not keeps.any():
        return np.zeros(keeps.shape, bool)
    marked = keeps.astype(np.uint8)
    mask = np.zeros(keeps.shape, bool)
    for around in AROUND_KEPT:
        margin = round(around * max(cv2.boundingRect(marked)[2:])) + LEAST_AROUND
        window = window_of(marked, margin) or (slice(None), slice(None))
        part = _found_in(np.ascontiguousarray(view[window]), keeps[window], drops[window])
        mask[:] = False
        mask[window] = part
        if not _reaches_end(mask, window):
            break
    return _without_holes(_touched_by(mask, keeps), drops)


def _reaches_end(mask: NDArray[np.bool_], window: Window) -> bool:
    """Whether something goes on beyond a window that ends within the picture."""
    rows, columns = window
    height, width = mask.shape
    sides = ((rows.start > 0, mask[rows.start]), (rows.stop < height, mask[min(rows.stop, height) - 1]),
             (columns.start > 0, mask[:, columns.start]),
             (columns.stop < width, mask[:, min(columns.stop, width) - 1]))  # fmt: skip
    return any(inside and line.any() for inside, line in sides)


def _found_in(view: NDArray[np.uint8], keeps: NDArray[np.bool_], drops: NDArray[np.bool_]) -> NDArray[np.bool_]:
    seeds = np.full(view.shape[:2], cv2.GC_PR_BGD, np.uint8)
    hull = np.zeros(view.shape[:2], np.uint8)
    cv2.fillConvexPoly(hull, cv2.convexHull(cv2.findNonZero(keeps.astype(np.uint8))), 1)
    seeds[hull > 0] = cv2.GC_PR_FGD
    if not drops.any():
        _frame_is_background(seeds, hull)
    seeds[keeps], seeds[drops] = cv2.GC_FGD, cv2.GC_BGD
    return _cut(view, seeds, TUNING.turns)


def _frame_is_background(seeds: Mask, hull: Mask) -> None:
    """Without a drop mark, the picture's rim counts as background where no keep mark is near, in place."""
    rim = np.ones_like(seeds)
    rim[3:-3, 3:-3] = 0
    seeds[(rim > 0) & (cv2.dilate(hull, np.ones((31, 31), np.uint8)) == 0)] = cv2.GC_BGD


def _mended(
    view: NDArray[np.uint8], keeps: NDArray[np.bool_], drops: NDArray[np.bool_], solid: NDArray[np.bool_]
) -> NDArray[np.int8]:
    """Where the marks add to a matte (1) and where they take from it (-1)."""
    mask = solid.astype(np.uint8)
    inside = cv2.distanceTransform(mask, cv2.DIST_L2, 3)
    outside = cv2.distanceTransform(1 - mask, cv2.DIST_L2, 3)
    seeds = np.where(solid, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    reach = max(12.0, TUNING.around_marks * float(np.sqrt(max(int(mask.sum()), 1))))
    to_keep, to_drop = (cv2.distanceTransform((~keep).astype(np.uint8), cv2.DIST_L2, 3) for keep in (keeps, drops))
    far = (to_keep > reach if keeps.any() else True) & (to_drop > reach if drops.any() else True)
    far = np.broadcast_to(far, solid.shape)
    seeds[far & (inside > TUNING.deep)] = cv2.GC_FGD
    seeds[far & (outside > TUNING.deep)] = cv2.GC_BGD
    seeds[keeps], seeds[drops] = cv2.GC_FGD, cv2.GC_BGD
    cut = _cut(view, seeds, TUNING.turns_mending)
    change = np.zeros(solid.shape, np.int8)
    change[_touched_by(cut & ~solid & ~far | keeps & ~solid, keeps)] = 1
    change[_touched_by(~cut & solid & ~far | drops & solid, drops)] = -1
    return change


def _cut(view: NDArray[np.uint8], seeds: Mask, turns: int) -> NDArray[np.bool_]:
    """What the picture's colours make of the seeds; the seeds' own guess where one side has nothing to go by."""
    guess = (seeds == cv2.GC_FGD) | (seeds == cv2.GC_PR_FGD)
    if guess.all() or not guess.any():
        return np.asarray(guess)
    cv2.setRNGSeed(1)
    behind, front = np.zeros((1, 65)), np.zeros((1, 65))
    cv2.grabCut(np.ascontiguousarray(view[..., ::-1]), seeds, None, behind, front, turns, cv2.GC_INIT_WITH_MASK)
    return np.asarray((seeds == cv2.GC_FGD) | (seeds == cv2.GC_PR_FGD))


def _touched_by(mask: NDArray[np.bool_], marks: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """The parts of a mask that a mark touches."""
    _, parts = cv2.connectedComponents(mask.astype(np.uint8))
    named = np.unique(parts[marks & mask])
    return np.isin(parts, named[named > 0])


def _without_holes(mask: NDArray[np.bool_], drops: NDArray[np.bool_]) -> NDArray[np.bool_]:
    count, parts, stats, _ = cv2.connectedComponentsWithStats((~mask).astype(np.uint8))
    dropped = set(np.unique(parts[drops]).tolist())
    small = [i for i in range(1, count) if stats[i, cv2.CC_STAT_AREA] < TUNING.hole * mask.size and i not in dropped]
    return np.asarray(mask | np.isin(parts, small))


def _edged(codes: NDArray[np.uint8], rough: Matte) -> Matte:
    radius = max(2, round(codes.shape[1] * TUNING.edge_share))
    return guided_filter(
        codes, rough, radius, TUNING.edge_eps, TUNING.steeper, smaller=2 if max(codes.shape) > TUNING.working else 1
    )
