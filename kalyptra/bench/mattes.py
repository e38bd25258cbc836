"""Found mattes as the page needs them: made from marks or a line on a frame, and what is known of each frame."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from kalyptra.bench.pictures import borrowed
from kalyptra.core import (
    Curve,
    FoundMatte,
    Refine,
    Setup,
    Stroke,
    codes_of,
    coverage_of,
    curve_matte,
    eight_bits,
    laid_over,
    marked_matte,
    shrink,
)
from kalyptra.library import room, store
from kalyptra.library.models import Media

WORKING = 960
"""Px on the long side of the picture that marks are looked at in."""
MOST_MARKS = 400
"""On one frame."""


class BadMarks(ValueError):
    """Marks that make no matte. The text says why and what to do."""


def matte_from_marks(media: Media, frame: int, marks: Sequence[Stroke], under: str | None) -> str:
    """Find a matte from marks on a frame, or mend one by them; its name in the store.

    Args:
        under: the stored matte that is mended.

    Raises:
        BadMarks: nothing is kept by them.
        FrameUnreadable: the clip has no such frame.
    """
    store.need_room(room.Use.MATTE)
    with borrowed(media) as reader:
        codes = eight_bits(shrink(reader.picture(frame), WORKING).codes)
    before = None
    if under is not None:
        if store.fetch([under]):
            raise BadMarks("The matte under these marks is not in the store any more. Remove them and mark anew.")
        size = (codes.shape[0], codes.shape[1])
        before = laid_over(coverage_of(store.local().picture(under)), size)
    if before is None and not any(mark.keep for mark in marks):
        raise BadMarks("Nothing is kept yet. Stroke over the subject with Keep first.")
    matte = marked_matte(codes, marks, codes.shape[1] / media.facts.width, before)
    if not (matte > 0.5).any():
        raise BadMarks("Nothing is left of the matte. Undo the last mark, or keep something.")
    return _kept(matte)


def matte_at(setup: Setup, subject_id: str, frame: int) -> str | None:
    """The name of the matte that a subject has at a frame, where it is one that is found."""
    matte = next((subject.matte for subject in setup.subjects if subject.id == subject_id), None)
    return matte.at(frame) if isinstance(matte, FoundMatte) else None


def matte_from_line(media: Media, curve: Curve) -> str:
    """A matte from a line drawn around the subject; its name in the store."""
    store.need_room(room.Use.MATTE)
    facts = media.facts
    scale = min(1.0, WORKING / max(facts.width, facts.height))
    size = (max(1, round(facts.height * scale)), max(1, round(facts.width * scale)))
    matte = curve_matte(curve, Refine(), size, scale)
    if not (matte > 0.5).any():
        raise BadMarks("The line encloses nothing of the picture. Draw around the subject.")
    return _kept(matte)


def _kept(matte: Any) -> str:
    name = store.local().keep(codes_of(matte))
    store.share([name])
    return name
