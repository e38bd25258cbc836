"""The numbers of a shot over time, for charts, sheets and overlays. No pictures are touched."""

from __future__ import annotations

import math
from dataclasses import dataclass

from kalyptra.core.frame import lens_at
from kalyptra.core.setup.document import Setup
from kalyptra.core.setup.resolve import Look, resolve


@dataclass(frozen=True)
class LensReading:
    """What the lens does at one frame. Distances in metres, an infinite one as None; discs in px of the source."""

    frame: int
    focus: float
    near: float
    far: float | None
    hyperfocal: float
    f_number: float
    softness: float
    backdrop: float


@dataclass(frozen=True)
class SubjectReading:
    """A subject at one frame: placement in px of the source and degrees, distance in metres, disc in px."""

    x: float
    y: float
    width: float
    height: float
    turn: float
    distance: float
    blur: float


@dataclass(frozen=True)
class Reading:
    """A shot's numbers at one frame, subjects by their id."""

    lens: LensReading
    subjects: dict[str, SubjectReading]


def read_frame(setup: Setup, frame: int, full_width: int) -> Reading:
    """The numbers at one frame, of every subject that is switched on."""
    look = resolve(setup, frame)
    lens = lens_at(look, full_width)
    near, far = lens.limits(setup.lens.permissible_coc_mm / 1000)
    slope = lens.coc_slope(full_width)

    def disc(distance: float) -> float:
        return slope * abs(1 / distance - 1 / look.focus)

    return Reading(
        lens=LensReading(
            frame=frame,
            focus=look.focus,
            near=near,
            far=None if math.isinf(far) else far,
            hyperfocal=lens.hyperfocal(setup.lens.permissible_coc_mm / 1000),
            f_number=lens.f_number,
            softness=disc(look.backdrop),
            backdrop=look.backdrop,
        ),
        subjects=_subjects(look, disc),
    )


def _subjects(look: Look, disc) -> dict[str, SubjectReading]:  # type: ignore[no-untyped-def]
    return {
        one.id: SubjectReading(
            x=one.placement.x, y=one.placement.y, width=one.placement.width, height=one.placement.height,
            turn=one.placement.turn, distance=one.distance, blur=disc(one.distance),
        )
        for one in look.subjects
    }  # fmt: skip
