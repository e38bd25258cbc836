"""The matte of a subject in a picture: drawn or stored, then refined."""

from __future__ import annotations

from dataclasses import replace
from typing import Protocol

import cv2
import numpy as np

from kalyptra.core.clip.reader import Picture, eight_bits
from kalyptra.core.layered import Matte
from kalyptra.core.matte.drawn import drawn_matte
from kalyptra.core.matte.refine import edged, grown, limited
from kalyptra.core.matte.stored import stored_matte
from kalyptra.core.matte.temporal_median import temporal_median
from kalyptra.core.setup.document.setup import Edge, Refine
from kalyptra.core.setup.resolve.look import DrawnAt, MatteAt, SubjectAt
from kalyptra.core.store import Store

FOLLOWED_EDGE = 0.5
"""Share of a drawn line's edge width by which a region that was followed may be off: see `edit/subjects.py`."""


class MatteMaker(Protocol):
    """Makes a subject's matte, as `subject_matte` does; it may have it at hand."""

    def __call__(
        self, subject: SubjectAt, picture: Picture, scale: float, store: Store, carefully: bool = True
    ) -> Matte: ...


def subject_matte(subject: SubjectAt, picture: Picture, scale: float, store: Store, carefully: bool = True) -> Matte:
    """A subject's matte, refined.

    Args:
        picture: the frame that it belongs to.
        scale: px of it for one px of the source.
        carefully: whether a fine edge is solved; it is drawn the fast way else.

    Raises:
        NotKept: a stored matte is not there.
    """
    refine, size = subject.refine, picture.size
    drawn = isinstance(subject.matte, DrawnAt)
    followed = isinstance(subject.matte, DrawnAt) and any(o.border is not None for o in subject.matte.outlines)
    # What is drawn is grown and feathered exactly where it is drawn, unless its edge is drawn to the picture first.
    exactly = drawn and refine.edge is Edge.NONE
    first = refine if exactly else Refine()
    matte = unrefined_matte(subject.matte, first, size, scale, store)
    if subject.nearby:
        matte = temporal_median(matte, [unrefined_matte(near, first, size, scale, store) for near in subject.nearby])
    matte = limited(matte, refine.black, refine.white)
    nearer = refine.model_copy(update={"edge_width": refine.edge_width * FOLLOWED_EDGE}) if followed else refine
    solved = edged(matte, eight_bits(picture.codes), nearer, scale, carefully, drawn and not followed)
    if isinstance(subject.matte, DrawnAt) and not exactly:
        solved = _with_own_feathers(solved, matte, subject.matte, refine, scale)
    matte = solved if exactly else grown(solved, refine, scale)
    return np.asarray(1 - matte, np.float32) if refine.invert else matte


def _with_own_feathers(solved: Matte, drawn: Matte, at: DrawnAt, refine: Refine, scale: float) -> Matte:
    """Where points have feathers of their own, what was drawn holds, and not the picture."""
    if not any(feather for outline in at.outlines for row in outline.rows for feather in row[6:8]):
        return solved
    if any(outline.border is not None for outline in at.outlines):
        at = DrawnAt(tuple(replace(outline, border=None) for outline in at.outlines))
        drawn = drawn_matte(at.outlines, Refine(), (drawn.shape[0], drawn.shape[1]), scale)
    bare = [replace(outline, rows=tuple((*row[:6], 0.0, 0.0) for row in outline.rows)) for outline in at.outlines]
    softened = np.abs(drawn - drawn_matte(bare, Refine(), drawn.shape[:2], scale)) > 0.1
    side = 2 * round(refine.edge_width * scale) + 1
    own = cv2.blur(cv2.dilate(softened.astype(np.float32), np.ones((side, side), np.uint8)), (side, side))
    return np.asarray(solved + own * (drawn - solved), np.float32)


def unrefined_matte(at: MatteAt, refine: Refine, size: tuple[int, int], scale: float, store: Store) -> Matte:
    """A matte before it is refined; a drawn one with its growth and feather, which are exact there."""
    if isinstance(at, DrawnAt):
        upright = refine.model_copy(update={"invert": False})
        return drawn_matte(at.outlines, upright, size, scale)
    return stored_matte(at, size, store)
