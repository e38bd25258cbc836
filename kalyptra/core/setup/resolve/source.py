"""A source of distance at one frame: every value plain, and all that is flat come to a plane of three numbers."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from kalyptra.core.setup.document.distance import (
    AnySource,
    Backdrop,
    Band,
    Corners,
    Followable,
    Ground,
    Line,
    MapFile,
    Pinned,
    Reads,
    Round,
    Stacking,
    dioptres_of,
)
from kalyptra.core.setup.document.stored import Fit
from kalyptra.core.setup.geometry.planes import XY, Camera, PlaneAt, ground, of_rectangle, through_pins
from kalyptra.core.setup.resolve.followed import values_at
from kalyptra.core.setup.time.keyed import mix_distance, mix_linear


@dataclass(frozen=True)
class StopsAt:
    """Positions from 0 to 1 in rising order, and the dioptres there; smoothly or straight between them."""

    at: tuple[float, ...]
    dioptres: tuple[float, ...]
    smooth: bool


@dataclass(frozen=True)
class LineAt:
    """Stops along a line, px of the source."""

    start: XY
    end: XY
    stops: StopsAt


@dataclass(frozen=True)
class RoundAt:
    """Stops from a centre outwards to an ellipse, px of the source; turned clockwise by degrees."""

    centre: XY
    across: float
    down: float
    turn: float
    stops: StopsAt


@dataclass(frozen=True)
class BandAt:
    """A band of one distance, px of the source and dioptres."""

    centre: XY
    turn: float
    width: float
    fall_near: float
    fall_far: float
    dioptres: float
    reach: float
    smooth: bool


@dataclass(frozen=True)
class MapAt:
    """An imported map; `black` and `white` are the dioptres of its ends. Without a name there is none at this frame."""

    name: str | None
    fit: Fit
    reads: Reads
    black: float
    white: float
    unit: float


ShapeAt = PlaneAt | LineAt | RoundAt | BandAt | MapAt


@dataclass(frozen=True)
class SourceAt:
    """A source at one frame.

    Attributes:
        region: the subject in whose matte it holds; None for everywhere.
        curve: what becomes of its dioptres, over the range that it names.
    """

    id: str
    joins: Stacking
    strength: float
    region: str | None
    outside: bool
    shape: ShapeAt
    curve: tuple[tuple[float, float], ...] = ()

    @property
    def covers(self) -> bool:
        """Whether nothing of the sources before it is seen any more."""
        partly = isinstance(self.shape, MapAt) and self.shape.fit is Fit.INSIDE
        return self.joins is Stacking.REPLACES and self.strength >= 1 and self.region is None and not partly


def source_at(source: AnySource, frame: float, camera: Camera, focus: float) -> SourceAt:
    """A source at a frame.

    Args:
        focus: the focus distance at that frame, metres.
    """
    region = source.region
    return SourceAt(
        id=source.id,
        joins=source.joins,
        strength=source.strength.at(frame, mix_linear),
        region=region.subject if region else None,
        outside=region.outside if region else False,
        curve=source.curve,
        shape=shape_at(source, frame, camera, focus),
    )


def shape_at(source: AnySource, frame: float, camera: Camera, focus: float) -> ShapeAt:
    at = values_at(source, frame, camera) if isinstance(source, Followable) else {}
    match source:
        case Line():
            return LineAt(at["start"], at["end"], stops_at(source, frame, at))
        case Round():
            return RoundAt(at["centre"], at["across"], at["down"], at["turn"], stops_at(source, frame, at))
        case Band():
            dioptres = dioptres_of(at["distance"])
            return BandAt(
                at["centre"], at["turn"], at["width"], at["fall_near"], at["fall_far"], dioptres,
                min(source.reach.at(frame, mix_linear), dioptres), source.smooth,
            )  # fmt: skip
        case MapFile():
            near, far = (dioptres_of(end.at(frame, mix_distance)) for end in (source.near, source.far))
            if source.reads is Reads.BLUR:
                near = 1 / focus
            black, white = (far, near) if source.white_is_near else (near, far)
            return MapAt(source.at(int(frame)), source.fit, source.reads, black, white, source.unit)
    return plane_at(source, frame, camera)


def plane_at(source: Backdrop | Pinned | Ground | Corners, frame: float, camera: Camera) -> PlaneAt:
    """A flat source as three numbers."""
    at = values_at(source, frame, camera) if isinstance(source, Followable) else {}
    match source:
        case Backdrop():
            return PlaneAt(0.0, 0.0, dioptres_of(source.distance.at(frame, mix_distance)))
        case Pinned():
            return through_pins([(at[f"pins.{i}.place"], at[f"pins.{i}.distance"]) for i in range(len(source.pins))])
        case Ground():
            return ground(camera, at["horizon"], at["roll"], source.height.at(frame, mix_linear))
        case Corners():
            try:
                return of_rectangle(camera, [at[f"corners.{i}"] for i in range(4)], source.width.at(frame, mix_linear))
            except ValueError:
                return PlaneAt(0.0, 0.0, 0.0)  # between two keys corners may pass through a line
    raise TypeError(f"{source.kind} is not flat")


def stops_at(source: Line | Round, frame: float, at: Mapping[str, Any]) -> StopsAt:
    """Stops in the order of where they are; of two at one place the later one wins.

    Args:
        at: the source's values that move with it.
    """
    placed = {
        stop.at.at(frame, mix_linear): dioptres_of(at[f"stops.{i}.distance"]) for i, stop in enumerate(source.stops)
    }
    places = sorted(placed)
    return StopsAt(tuple(places), tuple(placed[place] for place in places), source.smooth)
