"""The setup at one frame: every keyed value made plain. No pictures are touched."""

from __future__ import annotations

from dataclasses import dataclass

from kalyptra.core.setup.document import Acts, Form, Lens, Placement, PlateSettings, Refine, Setup
from kalyptra.core.setup.keyed import mix_distance, mix_linear


@dataclass(frozen=True)
class SubjectAt:
    """A subject at one frame."""

    id: str
    acts: Acts
    form: Form
    corner: float
    placement: Placement
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
                form=subject.matte.form,
                corner=subject.matte.corner,
                placement=subject.matte.placement.at(frame, mix_placement),
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


def mix_placement(a: Placement, b: Placement, share: float) -> Placement:
    """Between two placements; sizes mix by ratio, so that a steady approach looks steady."""
    return Placement(
        x=mix_linear(a.x, b.x, share),
        y=mix_linear(a.y, b.y, share),
        width=a.width * (b.width / a.width) ** share,
        height=a.height * (b.height / a.height) ** share,
        turn=mix_linear(a.turn, b.turn, share),
    )
