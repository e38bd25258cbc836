"""The setup at one frame: every keyed value made plain. No pictures are touched."""

from __future__ import annotations

from dataclasses import dataclass

from kalyptra.core.setup.document import Acts, Lens, PlateSettings, Refine, Setup
from kalyptra.core.setup.keyed import mix_distance
from kalyptra.core.setup.outline_at import OutlineAt, outline_at


@dataclass(frozen=True)
class SubjectAt:
    """A subject at one frame."""

    id: str
    acts: Acts
    outlines: tuple[OutlineAt, ...]
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
    plate: PlateSettings


def resolve(setup: Setup, frame: float) -> Look:
    """The setup at a frame. Subjects that are switched off are left out."""
    return Look(
        subjects=tuple(
            SubjectAt(
                id=subject.id,
                acts=subject.acts,
                outlines=tuple(outline_at(outline, frame) for outline in subject.matte.outlines),
                refine=subject.refine,
                distance=subject.distance.at(frame, mix_distance),
            )
            for subject in setup.subjects
            if subject.enabled
        ),
        backdrop=setup.distance.backdrop.at(frame, mix_distance),
        focus=setup.focus.distance.at(frame, mix_distance),
        lens=setup.lens,
        plate=setup.plate,
    )
