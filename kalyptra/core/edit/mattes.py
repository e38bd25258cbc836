"""Commands on the hand-made keys of found mattes."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

from kalyptra.core.edit.command import ClipExtent, Command, Refused, SubjectId, evolved
from kalyptra.core.edit.subjects import changing_subject, subject_of
from kalyptra.core.setup.document.setup import FrameNumber, Setup
from kalyptra.core.setup.document.stored import FoundMatte, MatteKey

Keys = tuple[MatteKey, ...]


class PutMatteKey(Command):
    """Put a matte that was made by hand at a frame."""

    do: Literal["put-matte-key"] = "put-matte-key"
    subject: SubjectId
    key: MatteKey

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        def put(keys: Keys) -> Keys:
            others = (key for key in keys if key.frame != self.key.frame)
            return tuple(sorted((*others, self.key), key=lambda other: other.frame))

        return _with_keys(setup, self.subject, put)

    @property
    def words(self) -> str:
        return "a matte was marked"


class DropMatteKeys(Command):
    """Take the hand-made mattes of a stretch away."""

    do: Literal["drop-matte-keys"] = "drop-matte-keys"
    subject: SubjectId
    first: FrameNumber
    last: FrameNumber

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        return _with_keys(
            setup,
            self.subject,
            lambda keys: tuple(key for key in keys if not self.first <= key.frame <= self.last),
        )

    @property
    def words(self) -> str:
        return "marks were removed"


def _with_keys(setup: Setup, name: str, change: Callable[[Keys], Keys]) -> Setup:
    matte = subject_of(setup, name).matte
    if not isinstance(matte, FoundMatte):
        raise Refused("This subject's matte is not made of marks any more.")
    return changing_subject(setup, name, matte=evolved(matte, keys=change(matte.keys)))
