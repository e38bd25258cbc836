"""The setup: the one document that decides how a shot's result looks.

All lengths in pixels are pixels of the source picture at full size, from its top left corner.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable
from enum import StrEnum
from typing import Annotated, Any, Literal, Self, TypeVar, cast

from pydantic import BeforeValidator, Field, PrivateAttr, model_validator

from kalyptra.core.setup.document.blur import Blur, Character
from kalyptra.core.setup.document.distance import INFINITELY_FAR, Distance, DistanceMap, Share, Standing
from kalyptra.core.setup.document.finish import Finish
from kalyptra.core.setup.document.focus import Focus
from kalyptra.core.setup.document.move import SmallMove
from kalyptra.core.setup.document.outline import Outline
from kalyptra.core.setup.document.records import InRecords
from kalyptra.core.setup.document.space import Space
from kalyptra.core.setup.document.stored import MOST_FRAMES, FoundMatte, ImportedMatte, ImportedPlate, PlatePatch
from kalyptra.core.setup.frozen import Frozen
from kalyptra.core.setup.time.keyed import Keyed, constant, mix_distance

VERSION: Literal[7] = 7
T = TypeVar("T")

Pixels = Annotated[float, Field(ge=0, le=4000)]
FrameNumber = Annotated[int, Field(ge=0, le=10_000_000)]


class Acts(StrEnum):
    """How a matte acts (see the words in docs/architecture.md)."""

    CUT_OUT = "cut-out"
    ZONE = "zone"
    REGION = "region"
    """It has no distance and only says where sources of distance hold."""


class OutlineMatte(Frozen):
    """A matte drawn as outlines; each acts on those before it."""

    kind: Literal["outline"] = "outline"
    outlines: Annotated[tuple[Outline, ...], Field(min_length=1, max_length=64)]

    @model_validator(mode="after")
    def _named_apart(self) -> Self:
        if len({outline.id for outline in self.outlines}) != len(self.outlines):
            raise ValueError("two outlines have the same id")
        return self


AnyMatte = Annotated[OutlineMatte | FoundMatte | ImportedMatte, Field(discriminator="kind")]


class Profile(StrEnum):
    """How a feather goes from full to nothing."""

    SMOOTH = "smooth"
    EVEN = "even"
    LATE = "late"


class Edge(StrEnum):
    """How a matte's edge is drawn to the picture: not at all, by a guided filter, or for the final by matting."""

    NONE = "none"
    FAST = "fast"
    FINE = "fine"


class Refine(Frozen):
    """What is done to a matte of any kind, after it is found."""

    black: Annotated[float, Field(ge=0, le=0.95)] = 0.0
    """Coverage that counts as nothing."""
    white: Annotated[float, Field(ge=0.05, le=1)] = 1.0
    """Coverage from which on a pixel counts as solid."""
    steady: Annotated[int, Field(ge=0, le=4)] = 0
    """Frames on either side that steady the edge."""
    edge: Edge = Edge.NONE
    edge_width: Annotated[float, Field(ge=1, le=200)] = 12.0
    """Px on either side of the line that the edge may take."""
    grow: Annotated[float, Field(ge=-500, le=500)] = 0.0
    feather_in: Pixels = 0.0
    feather_out: Pixels = 0.0
    profile: Profile = Profile.SMOOTH
    invert: bool = False

    @model_validator(mode="after")
    def _limits_apart(self) -> Self:
        if self.white - self.black < 0.01:
            raise ValueError("the white limit must lie above the black one")
        return self


class PlateSource(StrEnum):
    FILLED = "filled"
    RECOVERED = "recovered"
    IMPORTED = "imported"


class FilledBy(StrEnum):
    """How a hole is filled: smoothly, or along the lines that run into it (for small and thin subjects)."""

    SMOOTH = "smooth"
    DETAILED = "detailed"


class PlateSettings(Frozen):
    """The picture behind the cut-outs."""

    source: PlateSource = PlateSource.FILLED
    filled_by: FilledBy = FilledBy.SMOOTH
    patches: Annotated[tuple[PlatePatch, ...], Field(max_length=MOST_FRAMES), InRecords(lambda patch: patch[0])] = ()
    """What was recovered from other frames."""
    imported: ImportedPlate | None = None
    mend_mattes: bool = False
    """Whether mattes are mended by the difference from the plate."""

    growth: Annotated[float, Field(ge=0, le=60)] = 2.0
    """How far beyond its matte a subject is taken to spoil the picture behind it, px."""


def outlines_of(matte: AnyMatte) -> tuple[Outline, ...]:
    """The outlines of a drawn matte; none of any other."""
    return matte.outlines if isinstance(matte, OutlineMatte) else ()


class Subject(Frozen):
    """Something in the picture with a matte over time and a distance of its own."""

    id: Annotated[str, Field(pattern=r"^[a-z0-9]{4,16}$")]
    name: Annotated[str, Field(min_length=1, max_length=60)]
    ink: Annotated[int, Field(ge=0, le=3)] = 0
    enabled: bool = True
    acts: Acts = Acts.CUT_OUT
    matte: AnyMatte
    refine: Refine = Refine()
    distance: Keyed[Distance]
    standing: Standing | None = None
    """Where it stands on the ground, its distance follows from that."""
    depth: Annotated[float, Field(ge=0, le=1000)] = 0.0
    """Metres from its nearest to its farthest part."""


class Footage(Frozen):
    """Which stretch of the clip is the shot: both frames belong to it."""

    first: FrameNumber = 0
    last: FrameNumber = 0

    @model_validator(mode="after")
    def _forwards(self) -> Self:
        if self.last < self.first:
            raise ValueError("the last frame lies before the first")
        return self

    @property
    def frames(self) -> int:
        return self.last - self.first + 1


class Aperture(StrEnum):
    """Which of the two says how soft things get; the other is worked out from it."""

    F_NUMBER = "f-number"
    SOFTNESS = "softness"


class Rim(StrEnum):
    """How the light spreads over an iris' opening, from its middle to its rim."""

    EVEN = "even"
    BRIGHT = "bright"
    SOFT = "soft"


class Iris(Frozen):
    """The opening of the lens: the shape that unfocused lights take."""

    blades: Annotated[int, Field(ge=0, le=11)] = 0
    """0 for a disc, else 3 to 11."""
    roundness: Annotated[float, Field(ge=0, le=1)] = 0.2
    """0 for straight blades, 1 for a disc."""
    turn: Annotated[float, Field(ge=-360, le=360)] = 0.0
    """Clockwise, degrees."""
    squeeze: Annotated[float, Field(ge=0.5, le=2.5)] = 1.0
    """Height over width; above 1 discs are tall ovals, as an anamorphic lens makes them."""
    rim: Rim = Rim.EVEN

    @model_validator(mode="after")
    def _closed(self) -> Self:
        if self.blades in (1, 2):
            raise ValueError("an iris has at least 3 blades, or 0 for a disc")
        return self


class Highlights(Frozen):
    """Lights that the camera clipped, lifted before the blur so that their discs stay bright."""

    gain: Annotated[float, Field(ge=0, le=6)] = 0.0
    """Stops by which a clipped light is brighter than the camera could record."""
    threshold: Annotated[float, Field(ge=0.3, le=0.99)] = 0.85
    """Code value from which on a pixel counts as a light, wholly so at 1."""
    keep_colour: Annotated[float, Field(ge=0, le=1)] = 1.0
    """1 lifts all channels alike; 0 adds white."""


FNumber = Annotated[float, Field(ge=0.01, le=256)]
FromFocus = Annotated[float, Field(ge=-1000, le=INFINITELY_FAR)]
"""Metres from the focus."""


def kept_still(value: Any) -> Any:
    """A plain number as a value that keeps still: setups of before these were keyed have one."""
    return {"keys": [{"frame": 0, "value": value}]} if isinstance(value, int | float) else value


class HeldRange(Frozen):
    """A range set by hand that stays sharp whatever the optics say.

    Attributes:
        near, far: its ends, metres, where it has places of its own.
        rides: whether it goes with the focus instead: from `before` in front of it to `behind` it, metres.
        roll_off: how softly blur begins beyond the range, as a share of the nearer limit's dioptres.
    """

    near: Annotated[Keyed[Distance], BeforeValidator(kept_still)]
    far: Annotated[Keyed[Distance], BeforeValidator(kept_still)]
    rides: bool = False
    before: Keyed[FromFocus] = constant(0.3, FromFocus)
    behind: Keyed[FromFocus] = constant(0.5, FromFocus)
    roll_off: Annotated[Keyed[Share], BeforeValidator(kept_still)] = constant(0.2, Share)

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        frames = {key.frame for end in (self.near, self.far) for key in end.keys}
        if any(self.far.at(frame, mix_distance) < self.near.at(frame, mix_distance) for frame in frames):
            raise ValueError("the far end of the sharp range lies before its near end")
        return self


class Lens(Frozen):
    focal_length_mm: Annotated[float, Field(ge=1, le=2000)] = 50.0
    sensor_width_mm: Annotated[float, Field(ge=1, le=200)] = 36.0
    aperture: Aperture = Aperture.F_NUMBER
    f_number: Annotated[Keyed[FNumber], BeforeValidator(kept_still)] = constant(1.8, FNumber)
    softness: Annotated[Keyed[Pixels], BeforeValidator(kept_still)] = constant(30.0, Pixels)
    """Diameter of the circle of confusion that the backdrop gets, in px."""
    permissible_coc_mm: Annotated[float, Field(ge=0.0005, le=0.5)] = 0.03
    iris: Iris = Iris()
    highlights: Highlights = Highlights()
    blur: Blur = Blur()
    character: Character = Character()
    held: HeldRange | None = None


class Compression(StrEnum):
    DRAFT = "draft"
    GOOD = "good"
    HIGH = "high"


class Output(Frozen):
    """How the result is written."""

    height: Annotated[int, Field(ge=0, le=8640)] = 0
    """Lines of the result; 0 means as many as the source has."""
    quality: Compression = Compression.GOOD


class _Memory(dict[Hashable, Any]):
    """What was worked out of a setup. Setups are equal whatever that is: they are compared with all that they hold."""

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Memory)

    __hash__ = None  # type: ignore[assignment]


class Setup(Frozen):
    """Everything that decides a shot's result."""

    version: Literal[7] = VERSION
    footage: Footage = Footage()
    effect: bool = True
    """Whether the result is what the lens makes of it, or the source."""
    subjects: Annotated[tuple[Subject, ...], Field(max_length=64)] = ()
    distance: DistanceMap = DistanceMap()
    plate: PlateSettings = PlateSettings()
    lens: Lens = Lens()
    focus: Focus = Focus()
    move: SmallMove = SmallMove()
    space: Space | None = None
    finish: Finish = Finish()
    output: Output = Output()

    _memory: _Memory = PrivateAttr(default_factory=_Memory)

    def remembered(self, key: Hashable, make: Callable[[], T]) -> T:
        """What follows from this setup alone, worked out once: a setup never changes."""
        memory = self._memory  # a private attribute is slow to reach
        if key not in memory:
            memory[key] = make()
        return cast("T", memory[key])

    def __copy__(self) -> Self:
        copied = super().__copy__()
        copied._memory = _Memory()  # a copy is made to be changed
        return copied

    @model_validator(mode="after")
    def _holds_together(self) -> Self:
        names = [subject.id for subject in self.subjects]
        if len(set(names)) != len(names):
            raise ValueError("two subjects have the same id")
        for source in self.distance.sources:
            if source.region and source.region.subject not in names:
                raise ValueError(f"the region of {source.name or source.id} is the matte of no subject here")
        for subject in (self.finish.outside.subject, self.finish.flat.subject):
            if subject is not None and subject not in names:
                raise ValueError("the finish names a subject that is not here")
        for card in self.space.cards if self.space else ():
            if card.subject is not None and card.subject not in names:
                raise ValueError(f"the card {card.name or card.id} shows a subject that is not here")
        if self.plate.source is PlateSource.IMPORTED and self.plate.imported is None:
            raise ValueError("no plate was imported")
        shortest = min(key.value for key in self.focus.distance.keys)
        if shortest * 1000 <= self.lens.focal_length_mm:
            raise ValueError("the focus distance must be longer than the focal length")
        return self
