"""The numbers of a shot over time, for charts, sheets and overlays. No pictures are touched."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np

from kalyptra.core.focus.breathing import enlargement
from kalyptra.core.layered import opening_at
from kalyptra.core.lens.iris import outline
from kalyptra.core.proof.advice import Note
from kalyptra.core.proof.pulls import PullMoment, pull_notes
from kalyptra.core.setup.document.distance import INFINITELY_FAR, Followable
from kalyptra.core.setup.document.setup import Setup
from kalyptra.core.setup.geometry.planes import Camera
from kalyptra.core.setup.resolve.followed import part_at
from kalyptra.core.setup.resolve.look import FARTHEST, camera_of, ends_of, mark_of, named_by_sources, numbers_at
from kalyptra.core.setup.resolve.source import ShapeAt


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
    backdrop_named: bool
    """Whether a backdrop is seen; else the farthest that is named stands for it."""
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
    sources: tuple[tuple[float, float | None], ...]
    """Nearest and farthest metres that each source names; None is infinitely far."""


def read_frame(setup: Setup, frame: int, size: tuple[int, int]) -> Reading:
    """The numbers at one frame, of every subject that is switched on; size is (width, height) of the clip."""
    look, full_width = numbers_at(setup, frame, size), size[0]
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
            far=None if far >= INFINITELY_FAR else far,
            hyperfocal=lens.hyperfocal(setup.lens.permissible_coc_mm / 1000),
            f_number=lens.f_number,
            softness=disc(look.backdrop),
            backdrop=look.backdrop,
            backdrop_named=look.backdrop_named,
            nearest=1 / max(most, FARTHEST),
            farthest=1 / least if least > FARTHEST else None,
        ),
        subjects={name: SubjectReading(distance=away, blur=disc(away)) for name, away in look.away.items()},
        sources=tuple(_span_of(source.shape, size) for source in look.sources),
    )


def _span_of(shape: ShapeAt, size: tuple[int, int]) -> tuple[float, float | None]:
    least, most = ends_of(shape, Camera(*size, 1.0))
    return 1 / max(most, 1e-5), 1 / least if least > FARTHEST else None


def carried_values(setup: Setup, frame: int, size: tuple[int, int]) -> dict[str, dict[str, Any]]:
    """Of sources of distance that were followed, the values at a frame that go along, by their paths in the source."""
    camera = camera_of(setup, size)
    return {
        source.id: {part.path: part_at(source, part, frame, camera) for part in source.carried}
        for source in setup.distance.sources
        if isinstance(source, Followable) and source.steps
    }


def speeds(read: Sequence[Reading], rate: float) -> list[float]:
    """How fast focus moves from each frame that was read to the next, dioptres a second; nearer is positive."""
    return [(1 / b.lens.focus - 1 / a.lens.focus) * rate / (b.lens.frame - a.lens.frame) for a, b in pairwise(read)] + [
        0.0
    ]


def focus_notes(setup: Setup, read: Sequence[Reading], rate: float) -> list[Note]:
    """What is likely amiss with the focus curve over the frames that were read."""
    depth = {subject.id: subject.depth / 2 for subject in setup.subjects}
    focal = setup.lens.focal_length_mm / 1000
    moments = []
    for numbers in read:
        things: list[tuple[float, float | None]] = [
            (max(0.01, subject.distance - depth[name]), subject.distance + depth[name])
            for name, subject in numbers.subjects.items()
        ]
        things += numbers.sources
        lens = numbers.lens
        moments.append(
            PullMoment(lens.frame, lens.focus, lens.near, lens.far, tuple(things), enlargement(focal, lens.focus))
        )
    return pull_notes(setup.focus, moments, rate)


def marks_at(setup: Setup, frame: int, size: tuple[int, int]) -> dict[str, float]:
    """The distances of all marks at a frame, metres."""
    return {mark.id: mark_of(setup, mark, frame, size) for mark in setup.focus.marks}


def iris_outline(setup: Setup) -> list[tuple[float, float]]:
    """The outline of the iris, closed, with the area of a unit disc: for a small picture of it."""
    return [(float(x), float(y)) for x, y in outline(setup.lens.iris, 144)]
