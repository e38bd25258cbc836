"""A look: named parts of a setup that can be put on other shots."""

from __future__ import annotations

from enum import StrEnum
from itertools import pairwise
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from kalyptra.core.setup.document.blur import Blur, Character
from kalyptra.core.setup.document.distance import MOST_SOURCES, AnySource, MapFile
from kalyptra.core.setup.document.finish import Finish
from kalyptra.core.setup.document.setup import Aperture, FNumber, Highlights, Iris, Pixels, Refine
from kalyptra.core.setup.frozen import Frozen
from kalyptra.core.setup.time.easing import Ease, Handles

Side = Annotated[int, Field(ge=1, le=100_000)]


class LookPart(StrEnum):
    """What a look may hold."""

    LENS = "lens"
    IRIS = "iris"
    EDGE = "edge"
    FINISH = "finish"
    PULL = "pull"
    SOURCES = "sources"


class LensLook(Frozen):
    """Opening and body."""

    focal_length_mm: Annotated[float, Field(ge=1, le=2000)]
    sensor_width_mm: Annotated[float, Field(ge=1, le=200)]
    aperture: Aperture
    f_number: FNumber
    softness: Pixels


class IrisLook(Frozen):
    """What points become."""

    iris: Iris = Iris()
    highlights: Highlights = Highlights()
    blur: Blur = Blur()
    character: Character = Character()


class PullKey(Frozen):
    """A key of the focus, wherever things are.

    Attributes:
        time: share of the shot.
        depth: in dioptres, 0 at the backdrop and 1 at the nearest subject.
    """

    time: Annotated[float, Field(ge=0, le=1)]
    depth: Annotated[float, Field(ge=-2, le=3)]
    ease: Ease | Handles = Ease.EASED


class NamedLook(Frozen):
    """Parts of a setup under a name. What holds over time was taken at one frame, but for the pull.

    Attributes:
        width, height: px of the clip in whose px it is.
    """

    kind: Literal["kalyptra-look"] = "kalyptra-look"
    version: Literal[1] = 1
    name: Annotated[str, Field(min_length=1, max_length=60)]
    width: Side
    height: Side
    lens: LensLook | None = None
    iris: IrisLook | None = None
    edge: Refine | None = None
    finish: Finish | None = None
    pull: Annotated[tuple[PullKey, ...], Field(max_length=1000)] = ()
    sources: Annotated[tuple[AnySource, ...], Field(max_length=MOST_SOURCES)] = ()

    @property
    def parts(self) -> tuple[LookPart, ...]:
        """Those that it holds."""
        return tuple(part for part in LookPart if getattr(self, part.value))

    @model_validator(mode="after")
    def _stands_alone(self) -> Self:
        if not self.parts:
            raise ValueError("it holds nothing")
        if any(isinstance(source, MapFile) or source.region for source in self.sources):
            raise ValueError("a source of a look is no file, and holds in no subject's matte")
        finish = self.finish
        if finish and (
            finish.outside.subject
            or finish.flat.subject
            or finish.stretch
            or finish.grain.measured
            or finish.whole.table
        ):
            raise ValueError("the finish of a look names no subject, no frames, no measured grain and no table")
        if any(a.time >= b.time for a, b in pairwise(self.pull)):
            raise ValueError("the keys of a pull must be in order")
        return self
