"""How far mattes can be trusted over time: of the stretch that the page shows, and where in the whole range to look."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby
from typing import NamedTuple

from ninja import Schema

from kalyptra.core import (
    NEEDS_A_LOOK,
    AnyMatte,
    Edge,
    Followable,
    FoundMatte,
    How,
    ImportedMatte,
    Setup,
    TrustKind,
    outline_trust,
    outlines_of,
    trust,
)

LETTERS = {How.FOLLOWED: "f", How.PREDICTED: "p", How.PERSON: "s", How.NOBODY: "n"}
HAND, BETWEEN, REGION, NOTHING = "h", "b", "r", "-"
TOLD = {*LETTERS.values(), BETWEEN, REGION} - {"n"}
"""Letters of frames whose confidence says something."""


class Frame(NamedTuple):
    """How a frame's matte came about, as a letter; its confidence in per cent; and whether it needs a look."""

    kind: str
    sure: int
    look: bool


class Health(Schema):
    """A matte over time.

    Attributes:
        frames: of the stretch that was asked for, every n-th; each stands for the worst of those around it.
        looks: first and last frame of each stretch of the whole range that needs a look.
        followed: whether anything of it was found over frames.
    """

    frames: list[Frame]
    looks: list[tuple[int, int]]
    followed: bool


def health_of(setup: Setup, shown: range) -> dict[str, dict[str, Health]]:
    """By subject and outline; a matte that is a picture a frame goes by an empty name."""
    first, last = setup.footage.first, setup.footage.last
    out: dict[str, dict[str, Health]] = {}
    for subject in setup.subjects:
        over = {"": _of_matte(subject.matte, first, last)} if not outlines_of(subject.matte) else {}
        for outline in outlines_of(subject.matte):
            if outline.steps:
                known = outline_trust(outline, first, last, subject.refine.edge is Edge.NONE)
                over[outline.id] = [_frame(_letter(at.kind), at.confidence) for at in known]
        out[subject.id] = {name: _health(frames, first, shown) for name, frames in over.items()}
    return out


def source_health_of(setup: Setup, shown: range) -> dict[str, Health]:
    """By source of distance, of those that were followed."""
    first, last = setup.footage.first, setup.footage.last
    followed = [source for source in setup.distance.sources if isinstance(source, Followable) and source.steps]
    return {
        source.id: _health([_frame(_letter(at.kind), at.confidence) for at in trust(source, first, last)], first, shown)
        for source in followed
    }


def _health(frames: Sequence[Frame], first: int, shown: range) -> Health:
    worst = [
        min(frames[at - first : at - first + shown.step], key=lambda frame: (not frame.look, frame.sure))
        for at in shown
    ]
    looks, at = list[tuple[int, int]](), first
    for look, run in groupby(frames, key=lambda frame: frame.look):
        end = at + sum(1 for _ in run)
        if look:
            looks.append((at, end - 1))
        at = end
    return Health(frames=worst, looks=looks, followed=any(frame.kind not in (HAND, NOTHING) for frame in frames))


def _of_matte(matte: AnyMatte, first: int, last: int) -> list[Frame]:
    frames = range(first, last + 1)
    if isinstance(matte, FoundMatte):
        at = {followed.frame: _frame(LETTERS[followed.how], followed.sure) for followed in matte.frames}
        at |= {key.frame: _frame(HAND, 1) for key in matte.keys}
        return [at.get(frame, _frame(NOTHING, 0)) for frame in frames]
    if isinstance(matte, ImportedMatte):
        return [_frame(BETWEEN, 1) if matte.at(frame) else _frame(NOTHING, 0) for frame in frames]
    return []


def _letter(kind: TrustKind) -> str:
    return kind.value[0]


def _frame(kind: str, sure: float) -> Frame:
    return Frame(kind, round(sure * 100), kind in TOLD and sure < NEEDS_A_LOOK)
