"""The numbers of a shot over time, for charts, sheets and overlays. No pictures are touched."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from kalyptra.core.frame import opening_at
from kalyptra.core.lens.iris import outline
from kalyptra.core.setup.document import Acts, Setup
from kalyptra.core.setup.resolve import FARTHEST, Look, named_by_sources, resolve


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
    nearest: float
    farthest: float | None
    """The ends of what the sources of distance name."""


@dataclass(frozen=True)
class SubjectReading:
    """A subject at one frame: distance in metres, disc in px of the source."""

    distance: float
    blur: float


@dataclass(frozen=True)
class Reading:
    """A shot's numbers at one frame, subjects by their id."""

    lens: LensReading
    subjects: dict[str, SubjectReading]


def read_frame(setup: Setup, frame: int, size: tuple[int, int]) -> Reading:
    """The numbers at one frame, of every subject that is switched on; size is (width, height) of the clip."""
    look, full_width = resolve(setup, frame, size), size[0]
    opening = opening_at(look, full_width)
    lens, held = opening.lens, opening.held
    least, most = named_by_sources(look, size)
    near, far = (held.near, held.far) if held else lens.limits(setup.lens.permissible_coc_mm / 1000)

    def disc(distance: float) -> float:
        return abs(float(opening.coc(np.array(1 / distance, np.float32), full_width)))

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
            nearest=1 / max(most, FARTHEST),
            farthest=1 / least if least > FARTHEST else None,
        ),
        subjects=_subjects(look, disc),
    )


def iris_outline(setup: Setup) -> list[tuple[float, float]]:
    """The outline of the iris, closed, with the area of a unit disc: for a small picture of it."""
    return [(float(x), float(y)) for x, y in outline(setup.lens.iris, 144)]


def _subjects(look: Look, disc: Callable[[float], float]) -> dict[str, SubjectReading]:
    shown = [one for one in look.subjects if one.acts is not Acts.REGION]
    return {one.id: SubjectReading(distance=one.distance, blur=disc(one.distance)) for one in shown}
