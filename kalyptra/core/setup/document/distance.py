"""Where distances come from: sources, laid one over the other. Every value that can change is keyed.

A flat thing seen in perspective has 1/z affine in the pixel coordinates, so that pins, a ground and four corners all
come to a plane of three numbers (`planes`).
"""

from __future__ import annotations

from enum import StrEnum
from itertools import pairwise
from typing import Annotated, Any, Literal, NamedTuple, Self

from pydantic import Field, model_validator

from kalyptra.core.setup.document.followed import MOST_STEPS, OUT_OF_ORDER, Motion, steps_by_frame, track_of
from kalyptra.core.setup.document.records import InRecords, need_order
from kalyptra.core.setup.document.stored import Brought, Fit
from kalyptra.core.setup.frozen import Frozen
from kalyptra.core.setup.geometry.curve import Coordinate
from kalyptra.core.setup.time.keyed import Keyed, constant
from kalyptra.core.setup.time.track import Step, Track

INFINITELY_FAR = 100_000.0
Distance = Annotated[float, Field(ge=0.02, le=INFINITELY_FAR)]
"""Metres. The longest stands for infinity, 0 dioptres: JSON has no number for it."""
Share = Annotated[float, Field(ge=0, le=1)]
Name = Annotated[str, Field(pattern=r"^[a-z0-9]{2,16}$")]
Place = tuple[Coordinate, Coordinate]
"""Px of the source."""
Length = Annotated[float, Field(ge=0.1, le=100_000)]
Height = Annotated[float, Field(ge=0.01, le=20_000)]
Degrees = Annotated[float, Field(ge=-360, le=360)]
MOST_SOURCES = 32


class Stacking(StrEnum):
    """How a source joins those before it."""

    REPLACES = "replaces"
    NEARER = "nearer"
    FARTHER = "farther"


class Region(Frozen):
    """Where a source holds: within a subject's matte, or outside of it."""

    subject: Name
    outside: bool = False


CurvePoints = Annotated[tuple[tuple[Share, Share], ...], Field(max_length=16)]
"""Points of a curve over a range of dioptres, 0 at its far end and 1 at its near one, from left to right."""


class Source(Frozen):
    """What all sources have in common."""

    id: Name
    name: Annotated[str, Field(max_length=60)] = ""
    enabled: bool = True
    joins: Stacking = Stacking.REPLACES
    strength: Keyed[Share] = constant(1.0, Share)
    region: Region | None = None
    curve: CurvePoints = ()
    """What becomes of its dioptres, over the range that it names; without points they stay."""

    @model_validator(mode="after")
    def _to_the_right(self) -> Self:
        if len(self.curve) == 1 or any(a[0] >= b[0] for a, b in pairwise(self.curve)):
            raise ValueError("a curve has two points or more, each to the right of the one before")
        return self


class Role(StrEnum):
    """What a value of a source is, and so what becomes of it when the source is carried along."""

    PLACE = "place"
    ANGLE = "angle"
    LENGTH = "length"
    DISTANCE = "distance"
    LEVEL = "level"
    ROLL = "roll"


class Part(NamedTuple):
    """A value of a source that moves with what it lies on.

    Attributes:
        path: where it lies in the source.
        keyed: the value over time.
        about: the path of the place that it belongs to.
    """

    path: str
    keyed: Keyed[Any]
    role: Role
    about: str = ""


SourceMotion = Literal[Motion.POSITION, Motion.SIMILARITY, Motion.PERSPECTIVE]


class Followable(Source):
    """A source that lies on something in the picture, and can be followed as that moves.

    Attributes:
        motion: how much of the motion is looked for. A ground goes with the camera's turn instead.
        by_size: whether its distances change as it gets larger and smaller; else they stay.
        steps: how what it lies on moved, as following found.
    """

    motion: SourceMotion = Motion.SIMILARITY
    by_size: bool = False
    steps: Annotated[tuple[Step, ...], Field(max_length=MOST_STEPS), InRecords(lambda step: step.frame)] = ()

    @model_validator(mode="after")
    def _steps_in_order(self) -> Self:
        need_order(self.steps, lambda step: step.frame, OUT_OF_ORDER)
        return self

    @property
    def parts(self) -> tuple[Part, ...]:
        """All that moves with it."""
        raise NotImplementedError

    @property
    def carried(self) -> tuple[Part, ...]:
        """Its parts that following carries along."""
        return tuple(part for part in self.parts if part.role is not Role.DISTANCE or self.by_size)

    @property
    def hand_frames(self) -> tuple[int, ...]:
        """Frames with a key made by hand, in order."""
        return tuple(sorted({key.frame for part in self.carried for key in part.keyed.keys}))

    @property
    def track(self) -> Track:
        return track_of(self.steps)

    @property
    def step_by_frame(self) -> dict[int, Step]:
        return steps_by_frame(self.steps)


def _of_stops(stops: tuple[Stop, ...], about: str) -> tuple[Part, ...]:
    return tuple(Part(f"stops.{i}.distance", stop.distance, Role.DISTANCE, about) for i, stop in enumerate(stops))


class Backdrop(Source):
    """One distance everywhere."""

    kind: Literal["backdrop"] = "backdrop"
    distance: Keyed[Distance] = constant(12.0, Distance)


class Pin(Frozen):
    """A place of the picture whose distance is known."""

    place: Keyed[Place]
    distance: Keyed[Distance]


class Pinned(Followable):
    """A plane through three pins, or through two: then distance changes along the line from one to the other."""

    kind: Literal["pins"] = "pins"
    pins: Annotated[tuple[Pin, ...], Field(min_length=2, max_length=3)]

    @property
    def parts(self) -> tuple[Part, ...]:
        places = [Part(f"pins.{i}.place", pin.place, Role.PLACE) for i, pin in enumerate(self.pins)]
        return (
            *places,
            *(
                Part(f"pins.{i}.distance", pin.distance, Role.DISTANCE, f"pins.{i}.place")
                for i, pin in enumerate(self.pins)
            ),
        )


class Ground(Followable):
    """Level ground under a camera of known height. Above the horizon it is infinitely far."""

    kind: Literal["ground"] = "ground"
    horizon: Keyed[Coordinate]
    """Px from the top of the picture, at its middle column."""
    roll: Keyed[Degrees] = constant(0.0, Degrees)
    """How far the horizon is turned, clockwise."""
    height: Keyed[Height] = constant(1.5, Height)
    """Metres of the camera above it."""

    @property
    def parts(self) -> tuple[Part, ...]:
        return Part("horizon", self.horizon, Role.LEVEL), Part("roll", self.roll, Role.ROLL)


class Corners(Followable):
    """A flat rectangle seen in perspective, of which one width is known: a page, a wall, a screen."""

    kind: Literal["corners"] = "corners"
    motion: SourceMotion = Motion.PERSPECTIVE
    corners: Annotated[tuple[Keyed[Place], ...], Field(min_length=4, max_length=4)]
    """In their order round it; the side from the first to the second one is that of known width."""
    width: Keyed[Annotated[float, Field(ge=0.001, le=10_000)]]
    """Metres."""

    @property
    def parts(self) -> tuple[Part, ...]:
        return tuple(Part(f"corners.{i}", corner, Role.PLACE) for i, corner in enumerate(self.corners))


class Stop(Frozen):
    """A distance at a place along the way: 0 where it starts, 1 where it ends."""

    at: Keyed[Share]
    distance: Keyed[Distance]


Stops = Annotated[tuple[Stop, ...], Field(min_length=2, max_length=32)]


class Line(Followable):
    """Distances along a line; across it nothing changes, beyond the outermost stops nothing more."""

    kind: Literal["line"] = "line"
    start: Keyed[Place]
    end: Keyed[Place]
    stops: Stops
    smooth: bool = False
    """Whether it goes smoothly from stop to stop, or straight (in 1/z)."""

    @property
    def parts(self) -> tuple[Part, ...]:
        ends = Part("start", self.start, Role.PLACE), Part("end", self.end, Role.PLACE)
        return (*ends, *_of_stops(self.stops, "start"))


class Round(Followable):
    """Distances from a centre outwards, in ellipses."""

    kind: Literal["round"] = "round"
    centre: Keyed[Place]
    across: Keyed[Length]
    """Px from the centre to where the way ends, along the first axis."""
    down: Keyed[Length]
    turn: Keyed[Degrees] = constant(0.0, Degrees)
    stops: Stops
    smooth: bool = False

    @property
    def parts(self) -> tuple[Part, ...]:
        return (
            Part("centre", self.centre, Role.PLACE), Part("turn", self.turn, Role.ANGLE, "centre"),
            Part("across", self.across, Role.LENGTH, "centre"), Part("down", self.down, Role.LENGTH, "centre"),
            *_of_stops(self.stops, "centre"),
        )  # fmt: skip


class Band(Followable):
    """The miniature: a band of one distance across the picture; nearer on one side, farther on the other.

    With a turn of 0 the near side lies below.
    """

    kind: Literal["band"] = "band"
    centre: Keyed[Place]
    turn: Keyed[Degrees] = constant(0.0, Degrees)
    width: Keyed[Annotated[float, Field(ge=0, le=100_000)]]
    """Px across the band."""
    fall_near: Keyed[Length]
    fall_far: Keyed[Length]
    """Px over which distance falls away on either side."""
    distance: Keyed[Distance]
    reach: Keyed[Annotated[float, Field(ge=0, le=50)]]
    """Dioptres by which it falls away; no more than the band's own, so that both sides do so alike."""
    smooth: bool = True

    @property
    def parts(self) -> tuple[Part, ...]:
        lengths = {"width": self.width, "fall_near": self.fall_near, "fall_far": self.fall_far}
        return (
            Part("centre", self.centre, Role.PLACE), Part("turn", self.turn, Role.ANGLE, "centre"),
            *(Part(name, keyed, Role.LENGTH, "centre") for name, keyed in lengths.items()),
            Part("distance", self.distance, Role.DISTANCE, "centre"),
        )  # fmt: skip


class Reads(StrEnum):
    """What an imported map's values are: even in 1/z or in z between two distances, metres, or amounts of blur."""

    DIOPTRES = "dioptres"
    DISTANCE = "distance"
    METRES = "metres"
    BLUR = "blur"


class MapFile(Source, Brought):
    """A map that was made elsewhere.

    Of maps of blur one end is at the focus, whatever that is, and the other at `far`.
    """

    kind: Literal["map"] = "map"
    fit: Fit = Fit.STRETCH
    reads: Reads = Reads.DIOPTRES
    white_is_near: bool = True
    """Of maps of blur: whether black is blurred most."""
    near: Keyed[Distance] = constant(1.0, Distance)
    far: Keyed[Distance] = constant(20.0, Distance)
    unit: Annotated[float, Field(gt=0, le=1e6)] = 1.0
    """Metres for a value of 1, where values are metres."""


AnySource = Annotated[Backdrop | Pinned | Ground | Corners | Line | Round | Band | MapFile, Field(discriminator="kind")]


class SmoothBy(StrEnum):
    BOX = "box"
    GAUSSIAN = "gaussian"


class DistanceMap(Frozen):
    """How far away everything is that is no subject.

    Attributes:
        sources: each is laid over those before it.
        smooth: how far the map is softened: half a box's width, or a Gaussian's standard deviation, px.
        view_angle: of the camera that took the footage, across, degrees; None where the lens has the same.
    """

    sources: Annotated[tuple[AnySource, ...], Field(min_length=1, max_length=MOST_SOURCES)] = (
        Backdrop(id="backdrop", name="Backdrop"),
    )
    smooth: Annotated[float, Field(ge=0, le=1000)] = 0.0
    smooth_by: SmoothBy = SmoothBy.GAUSSIAN
    view_angle: Annotated[float, Field(ge=1, le=170)] | None = None

    @model_validator(mode="after")
    def _named_apart(self) -> Self:
        if len({source.id for source in self.sources}) != len(self.sources):
            raise ValueError("two sources have the same id")
        return self

    def source(self, name: str) -> AnySource | None:
        return next((source for source in self.sources if source.id == name), None)


def dioptres_of(distance: float) -> float:
    """1/m of a distance in metres; none where it is infinitely far."""
    return 0.0 if distance >= INFINITELY_FAR else 1 / distance


def backdrop_at(distance: float) -> DistanceMap:
    """One distance for everything."""
    return DistanceMap(sources=(Backdrop(id="backdrop", name="Backdrop", distance=constant(distance, Distance)),))


class Standing(Frozen):
    """A subject that stands on a ground: its distance is the ground's where its foot is.

    Attributes:
        on: the source that is the ground.
        feet: frame, and where its foot was in it, px of the source; in the order of frames.
        steady: frames on either side that it is steadied over.
        of: what the feet were measured of; another name means that the matte has changed since.
        by_hand: frames at which the distance was said; the ground's is corrected to pass through them.
    """

    on: Name
    feet: Annotated[
        tuple[tuple[int, float, float], ...], Field(max_length=100_000), InRecords(lambda foot: foot[0])
    ] = ()
    steady: Annotated[int, Field(ge=0, le=100)] = 12
    of: Annotated[str, Field(max_length=64)] = ""
    by_hand: Keyed[Distance] | None = None

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        need_order(self.feet, lambda foot: foot[0], "feet must be in the order of their frames, one a frame")
        return self
