"""What every change of a setup has in common."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any, TypeVar

from pydantic import BaseModel, Field, ValidationError

from kalyptra.core.setup.document.distance import INFINITELY_FAR
from kalyptra.core.setup.document.setup import FrameNumber, Setup
from kalyptra.core.setup.files.read import plain_errors
from kalyptra.core.setup.frozen import Frozen

M = TypeVar("M", bound=BaseModel)

Id = Annotated[str, Field(pattern=r"^[a-z0-9]{2,16}$")]
SubjectId = Annotated[str, Field(pattern=r"^[a-z0-9]{4,16}$")]
Frames = Annotated[tuple[FrameNumber, ...], Field(min_length=1, max_length=20_000)]


class Refused(ValueError):
    """A command that cannot be carried out on this setup. The text is a sentence that a person can act on."""


@dataclass(frozen=True)
class ClipExtent:
    """What a command may need to know of the footage: px at full size, and how many frames it has."""

    width: int
    height: int
    frames: int

    @property
    def size(self) -> tuple[int, int]:
        return self.width, self.height


class Command(Frozen):
    """A change of a setup: small, never changed itself, told apart by its field `do`."""

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        """The setup with the change made; the setup itself stays as it is.

        Raises:
            Refused: it cannot be made here.
        """
        raise NotImplementedError

    @property
    def words(self) -> str:
        """What it does, for the history: "the focus was set"."""
        raise NotImplementedError

    def noted(self) -> dict[str, Any]:
        """The command as a revision keeps it. What is long and lies in the setup's records anyway is left out."""
        return self.model_dump(mode="json", exclude_defaults=True) | {"do": getattr(self, "do", "")}


def worked_out(value: float) -> float:
    """A number that was worked out, as a setup keeps it."""
    return float(f"{value:.6g}")


def metres(value: float) -> float:
    """A distance that was worked out, as a setup keeps it."""
    return min(INFINITELY_FAR, max(0.02, worked_out(value)))


def evolved(model: M, **fields: Any) -> M:
    """A frozen value with other fields, validated; what was worked out from the old ones is not taken along.

    Raises:
        Refused: a field is out of bounds, or does not go with the rest.
    """
    values = {name: getattr(model, name) for name in type(model).model_fields}
    return made(type(model), values | fields)


def made(kind: type[M], fields: Mapping[str, Any]) -> M:
    """A value of its fields.

    Raises:
        Refused: a field is out of bounds.
    """
    try:
        return kind.model_validate(dict(fields))
    except ValidationError as error:
        raise Refused(f"This is out of bounds: {plain_errors(error)}.") from error
