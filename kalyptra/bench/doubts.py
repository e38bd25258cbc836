"""Where over the picture a subject that needs a look is in doubt."""

from __future__ import annotations

from bisect import bisect_left

import numpy as np

from kalyptra.core import (
    NEEDS_A_LOOK,
    DoubtfulPlace,
    Edge,
    FoundMatte,
    Outline,
    Refine,
    Setup,
    doubtful_bend,
    doubtful_place,
    drawn_matte,
    outline_at,
    outline_trust,
    outlines_of,
    placed_at,
)
from kalyptra.library import store

Disc = tuple[float, float, float]
"""x, y and radius, px of the source."""


SMALL = 480
"""Px of the width that regions are compared at."""


def doubts_at(setup: Setup, frame: int, size: tuple[int, int]) -> dict[str, Disc]:
    """By subject that needs a look at a frame: where the trouble is. `size` is the clip's, (width, height) px."""
    out: dict[str, Disc] = {}
    width, _ = size
    for subject in setup.subjects:
        place = None
        if isinstance(subject.matte, FoundMatte):
            place = _of_matte(subject.matte, frame)
        else:
            by_line = subject.refine.edge is Edge.NONE
            places = (_of_outline(outline, frame, size, by_line) for outline in outlines_of(subject.matte))
            place = next(filter(None, places), None)
        if place:
            out[subject.id] = (place.x * width, place.y * width, place.radius * width)
    return out


def _of_matte(matte: FoundMatte, frame: int) -> DoubtfulPlace | None:
    start = bisect_left(matte.frames, frame - 1, key=lambda step: step.frame)
    steps = {step.frame: step for step in matte.frames[start : start + 3] if step.frame <= frame + 1}
    here = steps.pop(frame, None)
    if here is None or here.sure >= NEEDS_A_LOOK or any(key.frame == frame for key in matte.keys):
        return None
    names = [here.matte, *(step.matte for step in steps.values())]
    if store.fetch(names):  # what is gone says nothing
        return None
    codes, *around = (store.local().picture(name) for name in names)
    return doubtful_place(codes, around)


def _of_outline(outline: Outline, frame: int, size: tuple[int, int], by_line: bool) -> DoubtfulPlace | None:
    if outline_trust(outline, frame, frame, by_line)[0].confidence >= NEEDS_A_LOOK:
        return None
    followed = outline.step_by_frame
    near = [at for at in (frame - 1, frame + 1) if at in followed or at in outline.hand_frames]
    if not by_line and outline.border_at(frame):
        scale = SMALL / size[0]
        small = max(1, round(size[1] * scale)), SMALL
        mattes = [drawn_matte([outline_at(outline, at)], Refine(), small, scale) for at in (frame, *near)]
        codes, *others = (np.round(matte * 255).astype(np.uint8) for matte in mattes)
        return doubtful_place(codes, others)
    line, *around = (placed_at(outline, at).rows[:, :2] for at in (frame, *near))
    return doubtful_bend(line, around, size[0])
