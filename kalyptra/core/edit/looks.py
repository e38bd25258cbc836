"""Looks: taken from a setup, and put on another one."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from kalyptra.core.edit.command import ClipExtent, Command, Refused, evolved, made, metres
from kalyptra.core.edit.sources import with_sources
from kalyptra.core.edit.values import KeyHere
from kalyptra.core.setup.document.distance import (
    AnySource,
    Band,
    Corners,
    Followable,
    Ground,
    Line,
    MapFile,
    Pinned,
    Round,
)
from kalyptra.core.setup.document.finish import Finish, Speed
from kalyptra.core.setup.document.focus import FocusCurve, FocusKey
from kalyptra.core.setup.document.named_look import IrisLook, LensLook, LookPart, NamedLook, PullKey
from kalyptra.core.setup.document.setup import Aperture, FNumber, Pixels, Setup
from kalyptra.core.setup.geometry.planes import Camera
from kalyptra.core.setup.resolve.look import camera_of, distance_of, focus_of, numbers_at
from kalyptra.core.setup.time.keyed import Key, Keyed, constant, mix_linear, mix_of

SPREAD = 0.02
"""Dioptres between backdrop and subject from which on a pull between them means something."""
PART_WORDS = {
    LookPart.LENS: "lens", LookPart.IRIS: "iris and character", LookPart.EDGE: "edges of all subjects",
    LookPart.FINISH: "finish", LookPart.PULL: "pull", LookPart.SOURCES: "sources of distance",
}  # fmt: skip


def taken_look(setup: Setup, name: str, parts: Iterable[LookPart], frame: int, clip: ClipExtent) -> NamedLook:
    """A look of a setup's parts, as they are at a frame.

    Raises:
        Refused: there is nothing of a part that could be taken.
    """
    wanted = set(parts)
    fields: dict[str, Any] = {"name": name, "width": clip.width, "height": clip.height}
    lens = setup.lens
    if LookPart.LENS in wanted:
        fields["lens"] = made(LensLook, {
            "focal_length_mm": lens.focal_length_mm, "sensor_width_mm": lens.sensor_width_mm,
            "aperture": lens.aperture, "f_number": lens.f_number.at(frame, mix_linear),
            "softness": lens.softness.at(frame, mix_linear),
        })  # fmt: skip
    if LookPart.IRIS in wanted:
        fields["iris"] = made(IrisLook, {
            "iris": lens.iris, "highlights": lens.highlights, "blur": held_still(lens.blur, frame),
            "character": held_still(lens.character, frame),
        })  # fmt: skip
    if LookPart.EDGE in wanted:
        if not setup.subjects:
            raise Refused("There is no subject whose edge could be taken. Leave the edges out.")
        fields["edge"] = evolved(setup.subjects[0].refine, invert=False)
    if LookPart.FINISH in wanted:
        fields["finish"] = _alone(held_still(setup.finish, frame))
    if LookPart.PULL in wanted:
        fields["pull"] = _taken_pull(setup, clip)
    if LookPart.SOURCES in wanted:
        taken = [source for source in setup.distance.sources if not isinstance(source, MapFile) and not source.region]
        if not taken:
            raise Refused("All sources of distance are files or hold in a matte. Leave the sources out.")
        fields["sources"] = tuple(held_still(_let_go(setup, source, frame, clip), frame) for source in taken)
    return made(NamedLook, fields)


class PutLook(Command):
    """Put parts of a look on a shot."""

    do: Literal["put-look"] = "put-look"
    look: NamedLook
    parts: Annotated[tuple[LookPart, ...], Field(min_length=1, max_length=6)]

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        look = scaled(self.look, clip)
        for part in look.parts:
            if part in self.parts:
                setup = _put(setup, look, part, clip)
        return setup

    @property
    def words(self) -> str:
        return f"the look {self.look.name} was put on"

    def noted(self) -> dict[str, Any]:
        """All of it: what kind a source is, is its default, and has to be read again."""
        return self.model_dump(mode="json")


def replaces(setup: Setup, look: NamedLook, parts: Iterable[LookPart], clip: ClipExtent) -> list[str]:
    """What a look would replace in a setup, in words, a part each; what would stay as it is is left out."""
    told = []
    for part in look.parts:
        if part not in set(parts):
            continue
        try:
            after = PutLook(look=look, parts=(part,)).apply(setup, clip)
        except Refused as refusal:
            told.append(f"{PART_WORDS[part].capitalize()}: cannot be put on. {refusal}")
            continue
        if after != setup:
            told.append(f"{PART_WORDS[part].capitalize()}: {_words(setup, part)} becomes {_words(after, part)}.")
    return told


def _words(setup: Setup, part: LookPart) -> str:
    """What a part of a setup is, in few words."""
    lens = setup.lens
    match part:
        case LookPart.LENS:
            by_number = lens.aperture is Aperture.F_NUMBER
            opening = f"f/{lens.f_number.keys[0].value:g}" if by_number else f"{lens.softness.keys[0].value:g} px soft"
            return f"{lens.focal_length_mm:g} mm, {opening}"
        case LookPart.IRIS:
            shape = f"{lens.iris.blades} blades" if lens.iris.blades else "a disc"
            return f"{shape}, {lens.blur.form.value} blur"
        case LookPart.EDGE:
            edges = {subject.refine.edge.value for subject in setup.subjects}
            return f"{', '.join(sorted(edges)) or 'none'} edge"
        case LookPart.FINISH:
            plain = Finish(grain=setup.finish.grain, stretch=setup.finish.stretch, speed=setup.finish.speed)
            return "no finish" if setup.finish == plain else "a finish of its own"
        case LookPart.PULL:
            count = len(setup.focus.distance.keys)
            return "focus that stays" if count == 1 else f"focus over {count} keys"
        case LookPart.SOURCES:
            return ", ".join(source.name or source.kind for source in setup.distance.sources[:4])


def _put(setup: Setup, look: NamedLook, part: LookPart, clip: ClipExtent) -> Setup:
    lens = setup.lens
    if part is LookPart.LENS and look.lens:
        own = look.lens
        return evolved(setup, lens=evolved(
            lens, focal_length_mm=own.focal_length_mm, sensor_width_mm=own.sensor_width_mm, aperture=own.aperture,
            f_number=constant(own.f_number, FNumber), softness=constant(own.softness, Pixels),
        ))  # fmt: skip
    if part is LookPart.IRIS and look.iris:
        own_iris = look.iris
        return evolved(setup, lens=evolved(
            lens, iris=own_iris.iris, highlights=own_iris.highlights, blur=own_iris.blur, character=own_iris.character
        ))  # fmt: skip
    if part is LookPart.EDGE and look.edge:
        if not setup.subjects:
            raise Refused("This shot has no subject that it could be put on.")
        edge = look.edge
        subjects = (evolved(subject, refine=evolved(edge, invert=subject.refine.invert)) for subject in setup.subjects)
        return evolved(setup, subjects=tuple(subjects))
    if part is LookPart.FINISH and look.finish:
        grain = evolved(look.finish.grain, measured=setup.finish.grain.measured)
        return evolved(
            setup, finish=evolved(look.finish, grain=grain, stretch=setup.finish.stretch, speed=setup.finish.speed)
        )
    if part is LookPart.PULL:
        return _put_pull(setup, look.pull, clip)
    return with_sources(setup, look.sources)


def _let_go(setup: Setup, source: AnySource, frame: int, clip: ClipExtent) -> AnySource:
    """A source at a frame, without what was followed: another clip moves in another way."""
    if not isinstance(source, Followable) or not source.steps:
        return source
    paths = tuple(f"distance.sources.{source.id}.{part.path}" for part in source.carried)
    keyed = KeyHere(paths=paths, frame=frame).apply(setup, clip).distance.source(source.id)
    assert isinstance(keyed, Followable)
    return evolved(keyed, steps=())


def held_still(model: Any, frame: int) -> Any:
    """A value whose keyed parts keep what they are at a frame."""
    if isinstance(model, tuple):
        return tuple(held_still(part, frame) for part in model)
    if isinstance(model, Keyed):  # one of several, as a corner is
        return _still(model, "", frame)
    if not isinstance(model, BaseModel):
        return model
    changed = {}
    for name in type(model).model_fields:
        value = getattr(model, name)
        if isinstance(value, Keyed):
            changed[name] = _still(value, name, frame)
        elif isinstance(value, BaseModel | tuple):
            changed[name] = held_still(value, frame)
    return model.model_copy(update=changed) if changed else model


def _still(keyed: Keyed[Any], name: str, frame: int) -> Keyed[Any]:
    first = keyed.keys[0]
    key: Key[Any] = first.model_copy(update={"frame": 0, "value": keyed.at(frame, mix_of(name, first.value))})
    return keyed.model_copy(update={"keys": (key,)})


def _alone(finish: Finish) -> Finish:
    """A finish that names nothing of its shot."""
    return evolved(
        finish, stretch=None, speed=Speed(), grain=evolved(finish.grain, measured=None),
        outside=evolved(finish.outside, subject=None), flat=evolved(finish.flat, subject=None),
        whole=evolved(finish.whole, table=None),
    )  # fmt: skip


def scaled(look: NamedLook, clip: ClipExtent) -> NamedLook:
    """A look in px of another clip: lengths go with the width, places with width and height."""
    across, down = clip.width / look.width, clip.height / look.height
    if across == 1 and down == 1:
        return look
    fields: dict[str, Any] = {"width": clip.width, "height": clip.height}
    if look.lens:
        fields["lens"] = evolved(look.lens, softness=look.lens.softness * across)
    if look.iris:
        blur, character = look.iris.blur, look.iris.character
        centre = _places(blur.centre, across, down) if blur.centre else None
        fields["iris"] = evolved(
            look.iris, blur=evolved(blur, centre=centre),
            character=evolved(character, glow_size=min(1000.0, max(1.0, character.glow_size * across))),
        )  # fmt: skip
    if look.edge:
        lengths = ("grow", "feather_in", "feather_out")
        width = min(200.0, max(1.0, look.edge.edge_width * across))
        fields["edge"] = evolved(
            look.edge, edge_width=width, **{name: getattr(look.edge, name) * across for name in lengths}
        )
    if look.finish:
        outside, flat, framing = look.finish.outside, look.finish.flat, look.finish.framing
        place = _places(framing.place, across, down) if framing.place else None
        fields["finish"] = evolved(
            look.finish, framing=evolved(framing, place=place), flat=evolved(flat, softness=flat.softness * across),
            outside=evolved(outside, blur_from=outside.blur_from * across, blur_to=outside.blur_to * across),
        )  # fmt: skip
    if look.sources:
        fields["sources"] = tuple(_scaled_source(source, across, down) for source in look.sources)
    return evolved(look, **fields)


def _scaled_source(source: Any, across: float, down: float) -> Any:
    match source:
        case Pinned():
            pins = (evolved(pin, place=_places(pin.place, across, down)) for pin in source.pins)
            return evolved(source, pins=tuple(pins))
        case Ground():
            return evolved(source, horizon=_lengths(source.horizon, down))
        case Corners():
            return evolved(source, corners=tuple(_places(corner, across, down) for corner in source.corners))
        case Line():
            return evolved(source, start=_places(source.start, across, down), end=_places(source.end, across, down))
        case Round():
            return evolved(source, centre=_places(source.centre, across, down), across=_lengths(source.across, across),
                           down=_lengths(source.down, down))  # fmt: skip
        case Band():
            names = ("width", "fall_near", "fall_far")
            return evolved(source, centre=_places(source.centre, across, down),
                           **{name: _lengths(getattr(source, name), down) for name in names})  # fmt: skip
    return source


def _lengths(keyed: Keyed[Any], by: float) -> Keyed[Any]:
    return keyed.model_copy(update={"keys": tuple(k.model_copy(update={"value": k.value * by}) for k in keyed.keys)})


def _places(keyed: Keyed[Any], across: float, down: float) -> Keyed[Any]:
    keys = (k.model_copy(update={"value": (k.value[0] * across, k.value[1] * down)}) for k in keyed.keys)
    return keyed.model_copy(update={"keys": tuple(keys)})


def _ends(setup: Setup, frame: int, camera: Camera, clip: ClipExtent) -> tuple[float, float]:
    """Dioptres of the backdrop and of the nearest subject at a frame.

    Raises:
        Refused: there is no subject, or nothing between the two.
    """
    shown = [subject for subject in setup.subjects if subject.enabled and subject.acts.value != "region"]
    if not shown:
        raise Refused("A pull goes from the backdrop to a subject, and there is no subject here.")
    far = 1 / numbers_at(setup, frame, clip.size).backdrop
    near = max(1 / distance_of(setup, subject, frame, camera) for subject in shown)
    if near - far < SPREAD:
        raise Refused("A pull goes from the backdrop to a subject, and here they are equally far away.")
    return far, near


def _taken_pull(setup: Setup, clip: ClipExtent) -> tuple[PullKey, ...]:
    first, last = setup.footage.first, setup.footage.last
    camera = camera_of(setup, clip.size)
    keys = [key for key in setup.focus.distance.keys if first <= key.frame <= last]
    if len(keys) < 2:
        raise Refused("The focus stays in this shot: there is no pull to take. Leave the pull out.")
    taken = []
    for key in keys:
        far, near = _ends(setup, key.frame, camera, clip)
        depth = (1 / focus_of(setup, key.frame, camera) - far) / (near - far)
        time = (key.frame - first) / max(1, last - first)
        taken.append(PullKey(time=round(time, 6), depth=round(min(3.0, max(-2.0, depth)), 5), ease=key.ease))
    return tuple(taken)


def _put_pull(setup: Setup, pull: tuple[PullKey, ...], clip: ClipExtent) -> Setup:
    first, last = setup.footage.first, setup.footage.last
    camera = camera_of(setup, clip.size)
    keys: dict[int, FocusKey] = {}
    for key in pull:
        frame = first + round(key.time * (last - first))
        far, near = _ends(setup, frame, camera, clip)
        value = metres(1 / max(far + key.depth * (near - far), 1e-5))
        keys[frame] = FocusKey(frame=frame, value=value, ease=key.ease)
    curve = made(FocusCurve, {"keys": tuple(keys[frame] for frame in sorted(keys))})
    return evolved(setup, focus=evolved(setup.focus, distance=curve))
