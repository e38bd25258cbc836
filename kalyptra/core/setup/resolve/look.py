"""The setup at one frame: every keyed value made plain. No pictures are touched."""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass, fields, replace

from kalyptra.core.setup.document.blur import Blur, Character
from kalyptra.core.setup.document.distance import Backdrop, Corners, Ground, Pinned, SmoothBy, Stacking, Standing
from kalyptra.core.setup.document.focus import Mark
from kalyptra.core.setup.document.records import remembered
from kalyptra.core.setup.document.setup import (
    Acts,
    Edge,
    FilledBy,
    Lens,
    OutlineMatte,
    PlateSettings,
    PlateSource,
    Refine,
    Setup,
    Subject,
)
from kalyptra.core.setup.document.stored import Fit, ImportedMatte, PlatePatch
from kalyptra.core.setup.geometry.planes import Camera, PlaneAt
from kalyptra.core.setup.resolve.blur import BlurAt, CharacterAt, blur_at, character_at
from kalyptra.core.setup.resolve.finish import FinishAt, finish_at
from kalyptra.core.setup.resolve.focus import Away, focus_at, mark_at
from kalyptra.core.setup.resolve.held import HeldAt, held_at
from kalyptra.core.setup.resolve.move import MoveAt, move_at
from kalyptra.core.setup.resolve.outline import OutlineAt, outline_at
from kalyptra.core.setup.resolve.source import BandAt, LineAt, MapAt, RoundAt, ShapeAt, SourceAt, plane_at, source_at
from kalyptra.core.setup.resolve.space import OWN, CardAt, SpaceAt, focal_length_in, space_at
from kalyptra.core.setup.resolve.standing import standing_at
from kalyptra.core.setup.time.keyed import constant, mix_distance, mix_linear

UNKEYED = {"f_number": constant(1.0), "softness": constant(1.0), "blur": Blur(), "character": Character(), "held": None}
"""What a lens at one frame has instead of values over time: keys elsewhere are none of its business."""
CLOSEST = 1.02
"""Focal lengths of the closest that a lens can be focused."""
FARTHEST = 1 / 1000
"""Dioptres that stand for infinitely far where a distance has to be named."""


Flat = Backdrop | Pinned | Ground | Corners
"""Sources that are a plane of the scene, on which something can stand."""


@dataclass(frozen=True)
class DrawnAt:
    """A matte drawn as outlines, at one frame."""

    outlines: tuple[OutlineAt, ...]


@dataclass(frozen=True)
class StoredAt:
    """A stored matte at one frame; without a name there is none."""

    name: str | None
    fit: Fit = Fit.STRETCH


MatteAt = DrawnAt | StoredAt
Standings = dict[tuple[str, float], float]
"""Distances of those who stand on a ground, metres, by subject and frame, as far as they were asked for."""


@dataclass(frozen=True)
class PlateAt:
    """The picture behind the cut-outs at one frame: a piece that was recovered, or a whole one that was imported."""

    growth: float
    filled_by: FilledBy
    patch: PlatePatch | None = None
    imported: str | None = None
    mend_mattes: bool = False


@dataclass(frozen=True)
class SubjectAt:
    """A subject at one frame."""

    id: str
    acts: Acts
    matte: MatteAt
    nearby: tuple[MatteAt, ...]
    """The mattes of the frames around this one that steady it, in order."""
    refine: Refine
    distance: float
    """Metres."""


@dataclass(frozen=True)
class Numbers:
    """What a frame comes to without its mattes.

    Attributes:
        sources: of distance, those that are switched on.
        backdrop: metres; what a softness is meant for.
        backdrop_named: whether that is a backdrop that is seen; else it is the farthest that any source names.
        space: the card that the picture is on, which says all distances; None where it is on none.
        focus: metres.
        f_number, softness: one of them holds, as the lens says.
        blur, character: what a point becomes, and what the lens adds.
        held: the range that stays sharp by hand.
        away: metres of each subject that is switched on and has a distance, by its id.
        breathing: whether the angle of view changes with focus.
    """

    sources: tuple[SourceAt, ...]
    backdrop: float
    backdrop_named: bool
    space: SpaceAt | None
    focus: float
    lens: Lens
    f_number: float
    softness: float
    blur: BlurAt
    character: CharacterAt
    held: HeldAt | None
    away: dict[str, float]
    breathing: bool


@dataclass(frozen=True)
class Look(Numbers):
    """All that the picture at one frame depends on, besides the footage.

    Attributes:
        subjects: those that are switched on.
        regions: those in whose mattes sources hold, switched on or not.
        smooth: how far the distance map is softened, px of the source.
        effect: whether the lens acts at all.
        move: how the camera moved from where the clip was taken; None where it did not.
        finish: what is done after the lens.
    """

    subjects: tuple[SubjectAt, ...]
    regions: tuple[SubjectAt, ...]
    smooth: float
    smooth_by: SmoothBy
    plate: PlateAt
    effect: bool
    move: MoveAt | None
    finish: FinishAt


def numbers_at(setup: Setup, frame: float, size: tuple[int, int]) -> Numbers:
    """The numbers of a setup at a frame; mattes, which take longest, are left alone.

    Args:
        size: (width, height) of the clip at full size.
    """
    camera = camera_of(setup, size)
    focus, lens = focus_of(setup, frame, camera), setup.lens.model_copy(update=UNKEYED)
    space: SpaceAt | None = None
    sources: tuple[SourceAt, ...]
    if setup.space is not None and setup.space.enabled:
        focal = focal_length_in(setup.space, frame)
        if focal is not None:
            lens = lens.model_copy(update={"focal_length_mm": focal})
            focus = max(focus, focal / 1000 * CLOSEST)
        space = space_at(setup.space, frame, seeing_camera(lens, size))
        sources = tuple(_card_as_source(card) for card in space.cards) or (_card_as_source(None),)
        backdrop, named = space.farthest, False
    else:
        sources = tuple(source_at(source, frame, camera, focus) for source in setup.distance.sources if source.enabled)
        backdrop, named = backdrop_of(setup, frame, sources, camera)
    return Numbers(
        sources=sources,
        backdrop=backdrop,
        backdrop_named=named,
        space=space,
        focus=focus,
        lens=lens,
        f_number=setup.lens.f_number.at(frame, mix_linear),
        softness=setup.lens.softness.at(frame, mix_linear),
        blur=blur_at(setup.lens.blur, frame),
        character=character_at(setup.lens.character, frame),
        held=held_at(setup.lens.held, frame, focus),
        away={subject.id: distance_of(setup, subject, frame, camera) for subject in shown_in(setup)},
        breathing=setup.focus.breathing,
    )


def _card_as_source(card: CardAt | None) -> SourceAt:
    """A card in space says all distances where it is seen; without one all is infinitely far."""
    plane = card.seen.plane if card else PlaneAt(0.0, 0.0, 0.0)
    return SourceAt(card.id if card else OWN, Stacking.REPLACES, 1.0, None, False, plane)


def shown_in(setup: Setup) -> list[Subject]:
    """The subjects that are switched on and have a distance."""
    return [subject for subject in setup.subjects if subject.enabled and subject.acts is not Acts.REGION]


def resolve(setup: Setup, frame: float, size: tuple[int, int]) -> Look:
    """The setup at a frame.

    Args:
        size: (width, height) of the clip at full size.
    """
    numbers = numbers_at(setup, frame, size)
    if not setup.effect:
        numbers = replace(numbers, space=None)  # what is shown is the source
    held = {source.region for source in numbers.sources if source.region}

    def with_matte(subject: Subject) -> SubjectAt:
        away = numbers.away.get(subject.id, 1.0)  # a region has none
        return subject_at(subject, frame, away)

    return Look(
        **{field.name: getattr(numbers, field.name) for field in fields(Numbers)},
        subjects=tuple(with_matte(subject) for subject in setup.subjects if subject.enabled),
        regions=tuple(with_matte(subject) for subject in setup.subjects if subject.id in held),
        smooth=setup.distance.smooth,
        smooth_by=setup.distance.smooth_by,
        plate=plate_at(setup.plate, frame),
        effect=setup.effect,
        move=move_at(setup.move, frame, numbers.focus, camera_of(setup, size).focal) if setup.effect else None,
        finish=finish_at(setup.finish, frame, setup.effect),
    )


def focus_of(setup: Setup, frame: float, camera: Camera) -> float:
    """The focus distance in metres at a frame, longer than the focal length."""
    closest = setup.lens.focal_length_mm / 1000 * CLOSEST
    return max(closest, focus_at(setup.focus, frame, _away_in(setup, camera)))


def mark_of(setup: Setup, mark: Mark, frame: float, size: tuple[int, int]) -> float:
    """A mark's distance in metres at a frame."""
    return mark_at(mark, frame, _away_in(setup, camera_of(setup, size)))


def _away_in(setup: Setup, camera: Camera) -> Away:
    subjects, standing = {subject.id: subject for subject in setup.subjects}, _standing_in(setup, camera)

    def away(name: str, at: float) -> float | None:
        subject = subjects.get(name)
        return _distance(setup, subject, at, camera, standing) if subject else None

    return away


def camera_of(setup: Setup, size: tuple[int, int]) -> Camera:
    """The camera that took the footage: it sees as much as the lens does, unless it is said."""
    angle = setup.distance.view_angle
    if angle is not None:
        return Camera.seeing(size, angle)
    return lens_camera(setup, size)


def lens_camera(setup: Setup, size: tuple[int, int]) -> Camera:
    """A camera with the shot's own lens."""
    return seeing_camera(setup.lens, size)


def seeing_camera(lens: Lens, size: tuple[int, int]) -> Camera:
    """A camera with a lens."""
    return Camera(*size, lens.focal_length_mm / lens.sensor_width_mm * size[0])


def subject_at(subject: Subject, frame: float, distance: float) -> SubjectAt:
    """A subject at a frame, at a distance in metres."""
    return SubjectAt(
        id=subject.id,
        acts=subject.acts,
        matte=matte_at(subject, frame),
        nearby=tuple(
            matte_at(subject, frame + away)
            for away in range(-subject.refine.steady, subject.refine.steady + 1)
            if away and frame + away >= 0
        ),
        refine=subject.refine,
        distance=distance,
    )


def distance_of(setup: Setup, subject: Subject, frame: float, camera: Camera) -> float:
    """A subject's distance in metres at a frame: from the ground it stands on, or from its keys."""
    return _distance(setup, subject, frame, camera, _standing_in(setup, camera))


def _standing_in(setup: Setup, camera: Camera) -> Standings:
    """What is known already of those who stand on a ground. It is asked for once where many distances are."""
    return setup.remembered(("standing", camera), dict)


def _distance(setup: Setup, subject: Subject, frame: float, camera: Camera, standing: Standings) -> float:
    if subject.standing is None:
        return subject.distance.at(frame, mix_distance)
    of_frame = subject.id, frame
    if of_frame not in standing:
        standing[of_frame] = _standing_of(setup, subject, frame, camera)
    return standing[of_frame]


def _standing_of(setup: Setup, subject: Subject, frame: float, camera: Camera) -> float:
    ground = setup.distance.source(subject.standing.on) if subject.standing else None
    if subject.standing and isinstance(ground, Flat):
        stood = standing_at(subject.standing, frame, _under_feet(setup, subject.id, subject.standing, ground, camera))
        if stood is not None:
            return stood
    return subject.distance.at(frame, mix_distance)


def _under_feet(setup: Setup, subject: str, standing: Standing, ground: Flat, camera: Camera) -> tuple[float, ...]:
    """Dioptres of the ground under each foot: worked out once, also for setups that differ in other things."""

    def under() -> tuple[float, ...]:
        return tuple(plane_at(ground, frame, camera).dioptres(x, y) for frame, x, y in standing.feet)

    return setup.remembered(
        ("under", subject, camera),
        lambda: remembered(standing.feet, ("under", ground, camera), under),
    )


def backdrop_of(
    setup: Setup, frame: float, sources: tuple[SourceAt, ...], camera: Camera
) -> tuple[float, bool]:  # fmt: skip
    """What a softness is meant for, metres: the backdrop that is seen, or without one the farthest that is named.

    Returns:
        The distance, and whether it is a backdrop's.
    """
    covering = [i for i, source in enumerate(sources) if source.covers]
    seen = sources[covering[-1] :] if covering else sources
    named = {source.id for source in seen}
    for source in setup.distance.sources:
        if isinstance(source, Backdrop) and source.id in named:
            return source.distance.at(frame, mix_distance), True
    return 1 / max(FARTHEST, min((ends_of(source.shape, camera)[0] for source in seen), default=FARTHEST)), False


def spoken(look: Numbers, size: tuple[int, int]) -> tuple[float, float]:
    """The least and the most dioptres that sources and subjects name: what a chart, a plan or a legend has to show."""
    ends = [*named_by_sources(look, size)]
    ends += [1 / away for away in look.away.values()]
    ends.append(1 / look.focus)
    low, high = min(ends), max(ends)
    room = max((high - low) * 0.04, 0.002)
    return max(0.0, low - room), high + room


def named_by_sources(look: Numbers, size: tuple[int, int]) -> tuple[float, float]:
    """The least and the most dioptres that the sources, or the cards in space, name within the picture."""
    if look.space is not None and look.space.cards:
        return 1 / look.space.farthest, 1 / look.space.nearest
    camera = Camera(*size, 1.0)
    ends = [end for source in look.sources for end in ends_of(source.shape, camera)]
    return (min(ends), max(ends)) if ends else (0.0, 0.0)


def ends_of(shape: ShapeAt, camera: Camera) -> tuple[float, float]:
    """The least and the most dioptres that a source names."""
    match shape:
        case PlaneAt():
            corners = [shape.dioptres(x, y) for x in (0, camera.width) for y in (0, camera.height)]
            return min(corners), max(corners)
        case LineAt() | RoundAt():
            return min(shape.stops.dioptres), max(shape.stops.dioptres)
        case BandAt():
            return shape.dioptres - shape.reach, shape.dioptres + shape.reach
        case MapAt():
            return min(shape.black, shape.white), max(shape.black, shape.white)


def matte_at(subject: Subject, frame: float) -> MatteAt:
    """A subject's matte at a frame, of any kind. Without an edge drawn to the picture its lines count as they are."""
    matte = subject.matte
    if isinstance(matte, OutlineMatte):
        by_line = subject.refine.edge is Edge.NONE
        return DrawnAt(tuple(outline_at(outline, frame, by_line) for outline in matte.outlines))
    fit = matte.fit if isinstance(matte, ImportedMatte) else Fit.STRETCH
    return StoredAt(matte.at(int(frame)), fit)


def plate_at(plate: PlateSettings, frame: float) -> PlateAt:
    """What is known of the picture behind the cut-outs at a frame; the rest is filled."""
    patch, imported = None, None
    if plate.source is PlateSource.RECOVERED:
        at = bisect_left(plate.patches, int(frame), key=lambda patch: patch.frame)
        patch = plate.patches[at] if at < len(plate.patches) and plate.patches[at].frame == int(frame) else None
    elif plate.source is PlateSource.IMPORTED and plate.imported:
        imported = plate.imported.at(int(frame))
    return PlateAt(plate.growth, plate.filled_by, patch, imported, plate.mend_mattes)
