"""One step of following: where an outline is in the next picture, and how sure that is."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.track.anchor import Anchor
from kalyptra.core.following.track.appearance import RENEW, Appearance
from kalyptra.core.following.track.corners import TrackingView
from kalyptra.core.following.track.motion import fit_motion
from kalyptra.core.following.track.shape import (
    about,
    corners_of,
    inside_of,
    moved_by,
    window_around,
)
from kalyptra.core.setup.document.followed import Motion
from kalyptra.core.setup.geometry.spline import Rows
from kalyptra.core.setup.geometry.warp import Matrix
from kalyptra.core.setup.resolve.outline import carried


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the demo's clips, where no source is named."""

    clear: float = 0.85
    open: float = 0.6
    least_visible: float = 0.25
    """Shares of the subject: in full view; free to change its shape; and lost when less of it is seen."""
    found_again: float = 0.5
    """What a step counts for in which the subject was found by its anchor alone, as a share of the corners."""
    half_seen: int = 19
    """Px around something in front of the subject where a corner may be of the two together."""
    most_misses: int = 4
    """Steps in a row in which the anchor is not found in full view; then it has changed too much: a new one."""
    least_area: int = 12
    """Px."""


TUNING = Tuning()


@dataclass(frozen=True)
class SubjectModel:
    """What is known of a subject besides the frame before.

    Attributes:
        memory: what it looks like, carried to the frame before.
        anchor: where it was last known for good, carried likewise.
    """

    memory: Appearance
    anchor: Anchor

    @staticmethod
    def at(codes: NDArray[np.uint8], rows: Rows) -> SubjectModel:
        """Learnt from a frame (height, width, 3) RGB and the outline in it."""
        window, origin = window_around(rows, np.eye(3), codes.shape)
        lab = TrackingView.of(codes[window]).lab
        mask = inside_of(moved_by(rows, -origin), lab.shape)
        return SubjectModel(Appearance.of(lab, mask, origin), Anchor.of(lab, mask, origin))

    def moved(self, matrix: Matrix) -> SubjectModel:
        """The same a step later."""
        return SubjectModel(self.memory.carried(matrix), self.anchor.carried(matrix))


class TrackedRegion(NamedTuple):
    """What was followed of the region within an outline.

    Attributes:
        matte: (height, width) 0 to 1, of the views.
        sure: 0 to 1, how far it can be trusted.
    """

    matte: NDArray[np.float32]
    sure: float


@dataclass(frozen=True)
class TrackedStep:
    """What a step found.

    Attributes:
        matrix: the motion of the whole, px of the views.
        shifts: (n, 2) px by which points moved besides.
        held, visible: 0 to 1, as in `Step`.
        seen: whether the subject was there to be seen at all.
        known: what is known of it from here on; nothing where its region was followed.
        region: what is within it now, where that was followed.
    """

    matrix: Matrix
    shifts: NDArray[np.float64]
    held: float
    visible: float
    seen: bool
    known: SubjectModel | None = None
    region: TrackedRegion | None = None

    def on(self, rows: Rows) -> Rows:
        """The outline after the step."""
        after = carried(self.matrix, rows)
        after[:, :6] += np.tile(self.shifts, 3)
        return after


def find_step(
    before: NDArray[np.uint8], after: NDArray[np.uint8], rows: Rows, kind: Motion, guess: Matrix, known: SubjectModel
) -> TrackedStep:
    """Find an outline again.

    Args:
        before, after: (height, width, 3) RGB codes of two frames, 8 bits.
        rows: (n, 8) the outline in the first one, px.
        kind: how much may change.
        guess: the motion to start from.
        known: what is known of the subject from where its outline was drawn by hand.
    """
    window, origin = window_around(rows, guess, before.shape)
    a, b = TrackingView.of(before[window]), TrackingView.of(after[window])
    here = moved_by(rows, -origin)
    size = a.grey.shape
    mask = inside_of(here, size)
    area = float(cv2.countNonZero(mask))
    still = np.zeros((len(rows), 2))
    lost = TrackedStep(guess, still, 0.0, 0.0, False, known.moved(guess))
    if area < TUNING.least_area:
        return lost
    # Where the subject can be seen in the frame before, and how it moved from there.
    hidden = cv2.dilate(
        known.memory.beside(a.lab, origin).hidden, np.ones((TUNING.half_seen, TUNING.half_seen), np.uint8)
    )
    hidden = np.repeat(np.repeat(hidden, 2, axis=0), 2, axis=1)[: size[0], : size[1]]
    tracks = corners_of(a, b, mask & (1 - hidden), here, about(guess, -origin))
    matrix, agree = fit_motion(kind, tracks.before, tracks.after)
    agreed = agree.sum() >= (1 if kind is Motion.POSITION else 3)
    matrix = matrix if agreed else about(guess, -origin)
    correction = known.anchor.carried(about(matrix, origin)).correction(b, origin, kind)
    if correction is not None:
        matrix = correction @ matrix
    elif not agreed:
        return lost
    whole = about(matrix, origin)
    known = known.moved(whole)
    seen = known.memory.beside(b.lab, origin)
    visible = seen.visible
    ahead = carried(matrix, here)
    if known.memory.age >= RENEW:
        mask = np.ascontiguousarray(inside_of(ahead, size)[::2, ::2]) if visible > TUNING.open else seen.place
        known = replace(known, memory=known.memory.renewed(seen, mask, origin))
    if visible > TUNING.clear:
        anchor = known.anchor.tried(correction is not None)
        if anchor.misses > TUNING.most_misses:
            anchor = Anchor.of(b.lab, inside_of(ahead, size), origin)
        known = replace(known, anchor=anchor)
    held = float(agree.sum() / max(tracks.looked_for, 1)) if agreed else TUNING.found_again
    return TrackedStep(whole, still, held, visible, visible > TUNING.least_visible, known)
