"""The matte of a subject in a picture: drawn or stored, then refined."""

from __future__ import annotations

from typing import Protocol

import numpy as np

from kalyptra.core.clip.reader import Picture, eight_bits
from kalyptra.core.layered import Matte
from kalyptra.core.matte.drawn import drawn_matte
from kalyptra.core.matte.refine import edged, grown, limited
from kalyptra.core.matte.stored import stored_matte
from kalyptra.core.matte.temporal_median import temporal_median
from kalyptra.core.setup.document.setup import Refine
from kalyptra.core.setup.resolve.look import DrawnAt, MatteAt, SubjectAt
from kalyptra.core.store import Store


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
    matte = unrefined_matte(subject.matte, refine, size, scale, store)
    if subject.nearby:
        matte = temporal_median(matte, [unrefined_matte(near, refine, size, scale, store) for near in subject.nearby])
    matte = limited(matte, refine.black, refine.white)
    matte = edged(matte, eight_bits(picture.codes), refine, scale, carefully)
    if not drawn:
        matte = grown(matte, refine, scale)
    return np.asarray(1 - matte, np.float32) if refine.invert else matte


def unrefined_matte(at: MatteAt, refine: Refine, size: tuple[int, int], scale: float, store: Store) -> Matte:
    """A matte before it is refined; a drawn one with its growth and feather, which are exact there."""
    if isinstance(at, DrawnAt):
        upright = refine.model_copy(update={"invert": False})
        return drawn_matte(at.outlines, upright, size, scale)
    return stored_matte(at, size, store)
