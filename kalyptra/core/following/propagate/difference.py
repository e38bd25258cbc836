"""What the background's picture says plainly: what differs from it, what lies as still as it does, what it hides.

A difference matte, against a background that is put together from the frames around (`background.py`); what it says is
weighed with all else that is known (`step.py`).
"""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.background import BackgroundPicture
from kalyptra.core.following.propagate.contest import Contest
from kalyptra.core.following.propagate.evidence import PLANES, RESIDUAL
from kalyptra.core.following.propagate.state import SubjectState

Plane = NDArray[np.float32]
"""(height, width) of a contest's window."""


class Tuning(NamedTuple):
    """What can be tuned. Chosen on clips of the tune half's kinds and surfaces, with seeds of their own."""

    still: float = 5.0
    like: float = 4.0
    """Log odds against what lies as still as the background does, and the codes by which it may differ from it."""
    unseen: float = 1.5
    deep: int = 5
    """Log odds for what was never seen without the subject, so many px inside of where its key's matte has come to."""
    fresh: float = 8.0
    missing: float = 0.3
    """Log odds for what is new and has the key's colours, once this share of the subject is missing."""
    differs: float = 14.0
    known: float = 0.6
    """Codes from which on a pixel is not the background, and how much of that must be known to say so."""
    part: float = 2.5
    part_from: float = -0.02
    part_wholly: float = 0.04
    """Log odds for a part beside the subject that is not the background; and the shares of the subject that are missing
    from where on it counts at all, and wholly."""
    other_colour: float = 1.0
    """How surely a colour is somebody else's by the key, where such a part is none of the subject."""
    times_noise: float = 2.5
    to_come: float = 0.1
    """How many times what the background itself changes there such a part must differ; and how much a frame that is
    still to be followed counts for what was seen beside the subject, since it may be the subject that it shows."""
    seen: float = 0.95
    near: int = 16
    """Shares of three frames that must have shown the background there, and px around where the subject is expected."""


TUNING = Tuning()


def new_in(behind: BackgroundPicture, codes: NDArray[np.uint8]) -> NDArray[np.bool_] | None:
    """(height, width) where a frame is not its background; None where too little of that is known to say so."""
    known = behind.known > 0.5
    if known.mean() < TUNING.known:
        return None
    plain, _ = behind.residual(codes, (slice(None), slice(None)))
    return np.asarray((plain > TUNING.differs) & known)


def seen_plainly(
    planes: NDArray[np.float32],
    before: SubjectState,
    moved: SubjectState,
    contest: Contest,
    free: NDArray[np.bool_] | None,
) -> Plane:
    """Log odds for the subject.

    Args:
        planes: (planes, height, width) of the contest's window, see `evidence.py`.
        moved: the state before, its trail moved to this frame.
        free: (height, width) of the picture, where nobody else is; None for everywhere.
    """
    evidence = _Evidence(planes)
    # Who comes nearer than at the key is larger by now.
    grown = 0.0 if moved.trail.lost else float(evidence.key.sum())
    missing = 1 - float(before.matte.sum()) / max(before.lasting.area, grown, 1.0)
    odds = np.zeros(evidence.plain.shape, np.float32)
    if missing > 0:
        odds += TUNING.fresh * min(missing / TUNING.missing, 1.0) * evidence.new_in_own_colours()
    if missing > TUNING.part_from:
        weight = float(np.interp(missing, (TUNING.part_from, TUNING.part_wholly), (0, 1)))
        odds += TUNING.part * weight * evidence.part_beside(contest)
    if free is not None:
        odds *= free[contest.window]
    if not moved.trail.lost:
        odds = odds + evidence.held()
    return np.asarray(odds, np.float32)


class _Evidence:
    def __init__(self, planes: NDArray[np.float32]) -> None:
        def plane(name: str) -> Plane:
            return np.asarray(planes[PLANES.index(name)])

        self.plain = plane("residual of the background") * np.float32(RESIDUAL)
        self.spread = plane("spread of the background") * np.float32(RESIDUAL)
        self.clean, self.ahead = plane("background clean"), plane("background open")
        self.key, self.own = plane("key's matte carried along"), plane("key's colours")
        self.worth = plane("worth of the key's colours")
        self.known = np.minimum(self.clean + self.ahead, 1)

    def differs(self, codes: float | Plane) -> Plane:
        """0 to 1, how far a pixel is not the background, by the codes from which on it is not."""
        return np.asarray(1 - np.exp(-np.square(self.plain / codes)), np.float32)

    def new_in_own_colours(self) -> Plane:
        """0 to 1, how far a pixel is not the background and has the key's colours."""
        return np.asarray(self.known * self.differs(TUNING.differs) * np.maximum(self.own, 0) * self.worth)

    def part_beside(self, contest: Contest) -> Plane:
        """0 to 1, how far a pixel lies in a part that is not the background and was not expected.

        A part is at least three px wide: of the edge itself, where pixels are mixed, this says nothing.
        """
        noise = cv2.dilate(self.spread, np.ones((5, 5), np.uint8))
        new = self.differs(np.maximum(np.float32(TUNING.differs), np.float32(TUNING.times_noise) * noise))
        known = self.clean + np.float32(TUNING.to_come) * self.ahead > TUNING.seen
        near = known & (contest.deep > -TUNING.near)
        three = np.ones((3, 3), np.uint8)
        parts = ((new > 0.5) & known & (contest.matte < 0.5)).astype(np.uint8)
        parts = cv2.dilate(cv2.morphologyEx(parts, cv2.MORPH_OPEN, three), three)
        mine = np.clip(1 + self.own / np.float32(TUNING.other_colour), 0, 1)
        return np.asarray(new * parts * near * mine, np.float32)

    def held(self) -> Plane:
        """Log odds of what the frames around say beside where the key's matte has come to.

        Where nothing of it has come, what is as the frames around have it lies still and is the background, however
        like the subject its colour is: what was taken by mistake is let go. Where the key's matte is, and no frame ever
        showed anything else, there is nothing known to give the pixel to.
        """
        still = self.known * (1 - self.differs(TUNING.like)) * (1 - self.key)
        deep = cv2.erode(self.key, np.ones((2 * TUNING.deep + 1,) * 2, np.uint8))
        return np.asarray(TUNING.unseen * (1 - self.known) * deep - TUNING.still * still, np.float32)
