"""Following outlines over a range in which they have several keys: between two, from either."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.reader import PictureSource
from kalyptra.core.edit.outline_keys import with_steps
from kalyptra.core.following.both_ways import blended, expected_misses, expected_sizes
from kalyptra.core.following.outlines import LINES_WIDTH, OnLoss, follow_together
from kalyptra.core.following.propagate.look import looked_at
from kalyptra.core.following.track.border_rings import border_rings
from kalyptra.core.matte.drawn import drawn_matte
from kalyptra.core.matte.overlap import overlap
from kalyptra.core.setup.document.outline import Joins, Outline
from kalyptra.core.setup.document.setup import Refine
from kalyptra.core.setup.geometry.border import packed
from kalyptra.core.setup.resolve.outline import OutlineAt, outline_at
from kalyptra.core.setup.time.track import Border, Step, doubt_of

Steps = dict[int, Step]
"""Of an outline, by their frames."""
Matte = NDArray[np.float32]

ENOUGH = 1.0
"""Doubt of all the way ahead, above which it is followed back as well: see `doubt_of`."""


def follow_range(
    outlines: Sequence[Outline],
    footage: PictureSource,
    first: int,
    last: int,
    full_width: int,
    on_loss: OnLoss = OnLoss.CARRY_ON,
) -> list[Outline]:
    """Outlines that are followed from their hand-made keys over all frames from first to last.

    Those with keys at the same frames are followed together. Between two keys they go ahead from the earlier one; where
    any of them came to be in doubt, back from the later one, too. Then a line counts from where it is less in doubt,
    and what was seen of its region either way is blended.

    Raises: as `follow_together`.
    """
    by_keys: dict[tuple[int, ...], list[Outline]] = {}
    for outline in outlines:
        keys = tuple(frame for frame in outline.hand_frames if first <= frame <= last)
        by_keys.setdefault(keys, []).append(outline)
    steps: dict[str, Steps] = {outline.id: {} for outline in outlines}
    for keys, alike in by_keys.items():
        for way in _all_ways(alike, keys, footage, first, last, full_width, on_loss):
            for name, of_outline in way.items():
                steps[name] |= of_outline
    return [with_steps(outline, tuple(steps[outline.id].values())) for outline in outlines]


def _all_ways(
    outlines: Sequence[Outline],
    keys: tuple[int, ...],
    footage: PictureSource,
    first: int,
    last: int,
    full_width: int,
    on_loss: OnLoss,
) -> Iterator[dict[str, Steps]]:
    """What is followed before the first key, between any two, and from the last one on."""
    if not keys:
        return
    yield _along(outlines, footage, range(keys[0], first - 1, -1), full_width, on_loss)
    for a, b in pairwise(keys):
        ahead = _along(outlines, footage, range(a, b + 1), full_width, on_loss)
        yield _with_way_back(outlines, footage, range(a, b + 1), full_width, on_loss, ahead)
    yield _along(outlines, footage, range(keys[-1], last + 1), full_width, on_loss)


def _along(
    outlines: Sequence[Outline], footage: PictureSource, frames: range, full_width: int, on_loss: OnLoss
) -> dict[str, Steps]:
    steps: dict[str, Steps] = {outline.id: {} for outline in outlines}
    if len(frames) > 1:
        for of_frame in follow_together(outlines, footage, frames, full_width, on_loss):
            for name, step in of_frame.items():
                steps[name][step.frame] = step
    return steps


def _with_way_back(
    outlines: Sequence[Outline],
    footage: PictureSource,
    frames: range,
    full_width: int,
    on_loss: OnLoss,
    ahead: Mapping[str, Steps],
) -> dict[str, Steps]:
    """What was followed ahead between two keys, with what is followed back from the later one where that is needed."""
    doubts = np.cumsum([0.0, *(_doubt(ahead, frame) for frame in frames[1:])])
    if doubts[-1] <= ENOUGH:
        return dict(ahead)
    back = _along(outlines, footage, frames[::-1], full_width, on_loss)
    doubts_back = np.cumsum([0.0, *(_doubt(back, frame) for frame in frames[:0:-1])])[::-1]
    # Lines go back to where both ways are as doubtful.
    met = frames[max(int(np.argmax(doubts_back <= doubts)) - 1, 0)]
    scale = looked_at(footage, frames[0], LINES_WIDTH).shape[1] / full_width
    out = {}
    for outline in outlines:
        late = {frame: step for frame, step in back[outline.id].items() if frame > met}
        steps = ahead[outline.id] | late
        borders = _borders(outline, footage, frames, scale, (ahead[outline.id], back[outline.id]))
        out[outline.id] = {frame: _with_border(step, borders) for frame, step in steps.items()}
    return out


def _doubt(steps: Mapping[str, Steps], frame: int) -> float:
    """The doubt that a frame adds; without bounds where nothing was followed."""
    here = [of_outline[frame] for of_outline in steps.values() if frame in of_outline]
    return max(map(doubt_of, here)) if here else np.inf


def _with_border(step: Step, borders: Mapping[int, Border]) -> Step:
    border = step.border and borders.get(step.border.frame)
    if not step.border or not border:
        return step
    return step.model_copy(update={"border": border.model_copy(update={"of": step.border.of})})


def _borders(
    outline: Outline, footage: PictureSource, frames: range, scale: float, ways: tuple[Steps, Steps]
) -> dict[int, Border]:
    """What was seen either way of an outline's region, blended, by frame; none where it was not seen all the way."""
    seen, seen_back = ({step.border.frame: step.border for step in way.values() if step.border} for way in ways)
    if set(frames[1:]) - set(seen) or set(frames[:-1]) - set(seen_back):
        return {}
    size = looked_at(footage, frames[0], LINES_WIDTH).shape[:2]

    def drawn(at: OutlineAt) -> Matte:
        return drawn_matte([at], Refine(), (size[0], size[1]), scale)

    def region(border: Border) -> Matte:
        return drawn(OutlineAt(Joins.ADD, (), border.rings))

    keys = [drawn(outline_at(outline, frame)) for frame in (frames[0], frames[-1])]
    whole = expected_sizes(float(keys[0].sum()), float(keys[1].sum()), len(frames))
    missed = expected_misses([seen[f].sure for f in frames[1:]], overlap(region(seen[frames[-1]]), keys[1]))
    reached = overlap(region(seen_back[frames[0]]), keys[0])
    missed_back = expected_misses([seen_back[f].sure for f in frames[-2::-1]], reached)[::-1]
    borders = {}
    for i, frame in enumerate(frames[1:-1], 1):
        both = seen[frame], seen_back[frame]
        misses = float(missed[i - 1]), float(missed_back[i])
        matte, sure = blended((region(both[0]), region(both[1])), (both[0].sure, both[1].sure), misses, whole[i])
        rings = packed([ring / scale for ring in border_rings(matte)])
        borders[frame] = both[0].model_copy(update={"rings": rings, "sure": round(sure, 3)})
    return borders
