"""Mattes that were made lately, at hand: beside the renderer, which knows nothing of it."""

from __future__ import annotations

from kalyptra.core.clip.reader import Picture
from kalyptra.core.layered import Matte
from kalyptra.core.lru import LRU
from kalyptra.core.setup.document.setup import Edge
from kalyptra.core.setup.resolve.look import SubjectAt
from kalyptra.core.store import Store
from kalyptra.core.subject_matte import MatteMaker, subject_matte


class MatteCache:
    """Remembers mattes by what they depend on. Safe to use from several threads.

    Args:
        most: how many mattes are remembered.
    """

    def __init__(self, most: int) -> None:
        self._mattes: LRU[Matte] = LRU(most)

    def of(self, name: str) -> MatteMaker:
        """A maker of the mattes of a picture.

        Args:
            name: of the clip and the frame that the picture is.
        """

        def make(subject: SubjectAt, picture: Picture, scale: float, store: Store, carefully: bool = True) -> Matte:
            # Only an edge that is drawn to the picture depends on the frame; what stands still is made once.
            of_frame = name if subject.refine.edge is not Edge.NONE else ""
            key = (of_frame, picture.size, scale, subject.matte, subject.nearby, subject.refine, carefully)
            return self._mattes.get(key, lambda: subject_matte(subject, picture, scale, store, carefully))

        return make
