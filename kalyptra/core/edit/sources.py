"""Commands on the sources of distance."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any, Literal

from pydantic import Field

from kalyptra.core.edit.at import with_value
from kalyptra.core.edit.command import ClipExtent, Command, Id, Refused, evolved, metres
from kalyptra.core.edit.recipes import Recipe, as_read, held_metres, held_place, with_recipe
from kalyptra.core.setup.document.distance import (
    MOST_SOURCES,
    AnySource,
    Backdrop,
    Band,
    Corners,
    CurvePoints,
    Distance,
    Ground,
    Height,
    Length,
    Line,
    MapFile,
    Pin,
    Pinned,
    Place,
    Reads,
    Round,
    Share,
    Stacking,
    Stop,
)
from kalyptra.core.setup.document.setup import FrameNumber, Setup
from kalyptra.core.setup.resolve.look import camera_of, focus_of
from kalyptra.core.setup.time.keyed import Keyed, constant, mix_distance, mix_linear

NewKind = Literal["backdrop", "pins", "ground", "corners", "line", "round", "band"]
NAMES = {
    "backdrop": "Backdrop", "pins": "Plane", "ground": "Ground", "corners": "Four corners", "line": "Stops",
    "round": "Round", "band": "Band", "map": "Map file",
}  # fmt: skip


class AddSource(Command):
    """A new source over all others, laid into the picture around the focus."""

    do: Literal["add-source"] = "add-source"
    id: Id
    kind: NewKind
    frame: FrameNumber

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        focus = focus_of(setup, self.frame, camera_of(setup, clip.size))
        return with_sources(setup, (*_room_in(setup, self.id), new_source(self.kind, self.id, focus, clip)))

    @property
    def words(self) -> str:
        return f"a source of distance was added: {NAMES[self.kind].lower()}"


class CopySource(Command):
    """A copy of a source, right over it."""

    do: Literal["copy-source"] = "copy-source"
    source: Id
    id: Id

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        sources = _room_in(setup, self.id)
        source = source_of(setup, self.source)
        at = sources.index(source) + 1
        return with_sources(setup, (*sources[:at], evolved(source, id=self.id), *sources[at:]))

    @property
    def words(self) -> str:
        return "a source of distance was copied"


class RemoveSource(Command):
    """Take a source away. Subjects that stood on it keep the distance that their keys say."""

    do: Literal["remove-source"] = "remove-source"
    id: Id

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        source_of(setup, self.id)
        left = tuple(source for source in setup.distance.sources if source.id != self.id)
        if not left:
            raise Refused("The last source stays: something must say how far away things are.")
        subjects = tuple(
            evolved(subject, standing=None) if subject.standing and subject.standing.on == self.id else subject
            for subject in setup.subjects
        )
        return evolved(setup, subjects=subjects, distance=evolved(setup.distance, sources=left))

    @property
    def words(self) -> str:
        return "a source of distance was removed"


class PutRegion(Command):
    """Say where a source holds: within a subject's matte, outside of it, or everywhere."""

    do: Literal["put-region"] = "put-region"
    source: Id
    subject: Id | None = None
    outside: bool = False

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        if self.subject is not None and all(subject.id != self.subject for subject in setup.subjects):
            raise Refused("The subject whose matte it shall hold in is not there any more.")
        region = {"subject": self.subject, "outside": self.outside} if self.subject else None
        return changing_source(setup, self.source, lambda source: evolved(source, region=region))

    @property
    def words(self) -> str:
        return "the region of a source was set"


class BendSource(Command):
    """Put a curve over the distances of a source, or take it away."""

    do: Literal["bend-source"] = "bend-source"
    source: Id
    curve: CurvePoints = ()

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        return changing_source(setup, self.source, lambda source: evolved(source, curve=self.curve))

    @property
    def words(self) -> str:
        return "a source's curve was drawn" if self.curve else "a source's curve was taken away"


class TurnSource(Command):
    """Turn a source round: what was near is far."""

    do: Literal["turn-source"] = "turn-source"
    source: Id

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        return changing_source(setup, self.source, self._turned)

    def _turned(self, source: AnySource) -> AnySource:
        if isinstance(source, MapFile):
            return evolved(source, white_is_near=not source.white_is_near)
        if not isinstance(source, Pinned):
            raise Refused("Only a plane by pins and a map can be turned round.")
        distances = [pin.distance for pin in source.pins][::-1]
        pins = (evolved(pin, distance=distance) for pin, distance in zip(source.pins, distances, strict=True))
        return evolved(source, pins=tuple(pins))

    @property
    def words(self) -> str:
        return "a source of distance was turned round"


class ReadMapAs(Command):
    """Say what the values of a map file are.

    Of maps of blur white is blurred most, of all others white is near (common practice, no source).
    """

    do: Literal["read-map-as"] = "read-map-as"
    source: Id
    reads: Reads

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        def read(source: AnySource) -> AnySource:
            if not isinstance(source, MapFile):
                raise Refused("Only a map file has values to be read.")
            if (source.reads is Reads.BLUR) == (self.reads is Reads.BLUR):
                return evolved(source, reads=self.reads)
            return evolved(source, reads=self.reads, white_is_near=self.reads is not Reads.BLUR)

        return changing_source(setup, self.source, read)

    @property
    def words(self) -> str:
        return "a map's values were named"


class AddStop(Command):
    """One more stop on the way, with the distance that the way has there."""

    do: Literal["add-stop"] = "add-stop"
    source: Id
    at: Share
    frame: FrameNumber

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        return changing_source(setup, self.source, self._with_stop)

    def _with_stop(self, source: AnySource) -> AnySource:
        stops = _stops(source)
        places = sorted((self._place(stop), stop.distance.at(self.frame, mix_distance)) for stop in stops)
        before = max((place for place in places if place[0] <= self.at), default=places[0])
        after = min((place for place in places if place[0] >= self.at), default=places[-1])
        wide = after[0] - before[0]
        share = (self.at - before[0]) / wide if wide > 0 else 0.0
        distance = metres(mix_distance(before[1], after[1], share))
        stop = Stop(at=constant(self.at, Share), distance=constant(distance, Distance))
        return evolved(source, stops=tuple(sorted((*stops, stop), key=self._place)))

    def _place(self, stop: Stop) -> float:
        return stop.at.at(self.frame, mix_linear)

    @property
    def words(self) -> str:
        return "a stop was added"


class RemoveStop(Command):
    """Take a stop away. Two stay: a way has two ends."""

    do: Literal["remove-stop"] = "remove-stop"
    source: Id
    stop: Annotated[int, Field(ge=0, le=31)]

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        def without(source: AnySource) -> AnySource:
            stops = _stops(source)
            if len(stops) <= 2:
                raise Refused("Two stops stay: a way has two ends.")
            if self.stop >= len(stops):
                raise Refused("This stop is not there any more.")
            return evolved(source, stops=(*stops[: self.stop], *stops[self.stop + 1 :]))

        return changing_source(setup, self.source, without)

    @property
    def words(self) -> str:
        return "a stop was removed"


class ThirdPin(Command):
    """Give a plane a third pin, or take it away."""

    do: Literal["third-pin"] = "third-pin"
    source: Id
    on: bool
    frame: FrameNumber

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        def other(source: AnySource) -> AnySource:
            if not isinstance(source, Pinned):
                raise Refused("Only a plane has pins.")
            if not self.on:
                return evolved(source, pins=source.pins[:2])
            if len(source.pins) == 3:
                raise Refused("The plane has its third pin already.")
            distance = source.pins[0].distance.at(self.frame, mix_distance)
            place = (float(round(clip.width * 0.8)), float(round(clip.height * 0.6)))
            third = Pin(place=constant(place, Place), distance=constant(metres(distance), Distance))
            return evolved(source, pins=(*source.pins, third))

        return changing_source(setup, self.source, other)

    @property
    def words(self) -> str:
        return "the third pin was added" if self.on else "the third pin was removed"


class UseRecipe(Command):
    """Set distances, and where it is part of it focus and softness, up anew."""

    do: Literal["use-recipe"] = "use-recipe"
    recipe: Recipe
    frame: FrameNumber

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        recipe = with_recipe(setup, self.recipe, self.frame, clip.size)
        lost = {source.id for source in setup.distance.sources} - {source.id for source in recipe.distance.sources}
        subjects = tuple(
            evolved(subject, standing=None) if subject.standing and subject.standing.on in lost else subject
            for subject in recipe.subjects
        )
        return evolved(recipe, subjects=subjects)

    @property
    def words(self) -> str:
        return f"the recipe {self.recipe.value} was used"


def new_source(kind: NewKind, name: str, focus: float, clip: ClipExtent) -> AnySource:
    """A source as it begins, px of the source and metres. Where it lies: common practice, no source."""
    w, h = float(clip.width), float(clip.height)
    near, here, far = (metres(focus * share) for share in (0.6, 1.0, 4.0))
    stops = _new_stop(0, near), _new_stop(1, far)
    corners = [(w * 0.3, h * 0.25), (w * 0.7, h * 0.25), (w * 0.82, h * 0.8), (w * 0.18, h * 0.8)]
    kinds: dict[str, tuple[type[AnySource], Callable[[], dict[str, Any]]]] = {
        "backdrop": (Backdrop, lambda: {"distance": held_metres(far)}),
        "pins": (
            Pinned,
            lambda: {
                "pins": (
                    Pin(place=held_place(w / 2, h * 0.85), distance=held_metres(near)),
                    Pin(place=held_place(w / 2, h * 0.2), distance=held_metres(far)),
                )
            },
        ),
        "ground": (
            Ground,
            lambda: {
                "horizon": constant(round(h * 0.42, 1)), "height": constant(1.5, Height), "joins": Stacking.NEARER,
            },
        ),
        "corners": (Corners, lambda: {"corners": tuple(held_place(*at) for at in corners), "width": constant(0.21)}),
        "line": (
            Line,
            lambda: {"start": held_place(w / 2, h * 0.85), "end": held_place(w / 2, h * 0.2), "stops": stops},
        ),
        "round": (
            Round,
            lambda: {
                "centre": held_place(w * 0.45, h * 0.5), "across": _length(w * 0.35), "down": _length(h * 0.45),
                "stops": (_new_stop(0, here), _new_stop(0.4, here), stops[1]),
            },
        ),
        "band": (
            Band,
            lambda: {
                "centre": held_place(w / 2, h * 0.58), "width": _length(h * 0.14), "fall_near": _length(h * 0.36),
                "fall_far": _length(h * 0.42), "distance": held_metres(here),
                "reach": constant(float(f"{0.8 / here:.3g}")),
            },
        ),
    }  # fmt: skip
    model, fields = kinds[kind]
    made: AnySource = as_read(model.model_construct(id=name, name=NAMES[kind], **fields()))
    return made


def source_of(setup: Setup, name: str) -> AnySource:
    """
    Raises:
        Refused: it is not there any more.
    """
    source = setup.distance.source(name)
    if source is None:
        raise Refused("This source of distance is not there any more. It was removed meanwhile.")
    return source


def changing_source(setup: Setup, name: str, change: Callable[[AnySource], AnySource]) -> Setup:
    """The setup with a source changed.

    Raises:
        Refused: it is not there any more, or becomes out of bounds.
    """
    source_of(setup, name)
    return with_value(setup, f"distance.sources.{name}", change)


def with_sources(setup: Setup, sources: tuple[AnySource, ...]) -> Setup:
    return evolved(setup, distance=evolved(setup.distance, sources=sources))


def _room_in(setup: Setup, name: str) -> tuple[AnySource, ...]:
    sources = setup.distance.sources
    if any(source.id == name for source in sources):
        raise Refused("This source of distance is there already.")
    if len(sources) >= MOST_SOURCES:
        raise Refused(f"There are {MOST_SOURCES} sources of distance already. Remove one first.")
    return sources


def _stops(source: AnySource) -> tuple[Stop, ...]:
    if not isinstance(source, Line | Round):
        raise Refused("Only stops and a round source have stops.")
    return source.stops


def _length(value: float) -> Keyed[Length]:
    return constant(round(value, 1), Length)


def _new_stop(at: float, distance: float) -> Stop:
    return Stop(at=constant(float(at), Share), distance=held_metres(distance))
