"""The setup at one frame: every keyed value made plain. No pictures are touched."""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass

from kalyptra.core.setup.document import (
    Acts,
    AnyMatte,
    FilledBy,
    Lens,
    OutlineMatte,
    PlateSettings,
    PlateSource,
    Refine,
    Setup,
)
from kalyptra.core.setup.keyed import mix_distance
from kalyptra.core.setup.outline_at import OutlineAt, outline_at
from kalyptra.core.setup.stored import Fit, ImportedMatte, PlatePatch


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
class Look:
    """All that the picture at one frame depends on, besides the footage."""

    subjects: tuple[SubjectAt, ...]
    backdrop: float
    """Metres."""
    focus: float
    """Metres."""
    lens: Lens
    plate: PlateAt


def resolve(setup: Setup, frame: float) -> Look:
    """The setup at a frame. Subjects that are switched off are left out."""
    return Look(
        subjects=tuple(
            SubjectAt(
                id=subject.id,
                acts=subject.acts,
                matte=matte_at(subject.matte, frame),
                nearby=tuple(
                    matte_at(subject.matte, frame + away)
                    for away in range(-subject.refine.steady, subject.refine.steady + 1)
                    if away and frame + away >= 0
                ),
                refine=subject.refine,
                distance=subject.distance.at(frame, mix_distance),
            )
            for subject in setup.subjects
            if subject.enabled
        ),
        backdrop=setup.distance.backdrop.at(frame, mix_distance),
        focus=setup.focus.distance.at(frame, mix_distance),
        lens=setup.lens,
        plate=plate_at(setup.plate, frame),
    )


def matte_at(matte: AnyMatte, frame: float) -> MatteAt:
    """A subject's matte at a frame, whatever its kind."""
    if isinstance(matte, OutlineMatte):
        return DrawnAt(tuple(outline_at(outline, frame) for outline in matte.outlines))
    fit = matte.fit if isinstance(matte, ImportedMatte) else Fit.STRETCH
    return StoredAt(matte.at(int(frame)), fit)


def plate_at(plate: PlateSettings, frame: float) -> PlateAt:
    """What is known of the picture behind the cut-outs at a frame; the rest is filled."""
    patch, imported = None, None
    if plate.source is PlateSource.RECOVERED:
        at = bisect_left(plate.patches, int(frame), key=lambda one: one.frame)
        patch = plate.patches[at] if at < len(plate.patches) and plate.patches[at].frame == int(frame) else None
    elif plate.source is PlateSource.IMPORTED and plate.imported:
        imported = plate.imported.at(int(frame))
    return PlateAt(plate.growth, plate.filled_by, patch, imported, plate.mend_mattes)
