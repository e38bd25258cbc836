"""Following outlines over a range in which they have several keys: between two, from either."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import chain, pairwise

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

Steps = Mapping[int, Step]
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

    Those with keys at the same frames are followed together, ahead from each key to the next and back before the first
    one; then as `follow_back` says.

    Raises: as `follow_together`.
    """
    ways = [
        (alike, way)
        for keys, alike in _by_keys(outlines, first, last).items()
        for way in (range(keys[0], first - 1, -1), *(range(a, b + 1) for a, b in pairwise((*keys, last))))
        if len(way) > 1
    ]
    ahead = (follow_together(alike, footage, way, full_width, on_loss) for alike, way in ways)
    followed = _gone_along(outlines, chain.from_iterable(ahead))
    return _gone_along(followed, follow_back(followed, footage, first, last, full_width, on_loss))


def _gone_along(outlines: Sequence[Outline], found: Iterable[dict[str, Step]]) -> list[Outline]:
    """Outlines with the steps that were found, the later ones in the place of earlier ones of the same frame."""
    steps: dict[str, list[Step]] = {outline.id: [] for outline in outlines}
    for of_frame in found:
        for name, step in of_frame.items():
            steps[name].append(step)
    return [with_steps(outline, tuple(steps[outline.id])) for outline in outlines]


def follow_back(
    outlines: Sequence[Outline],
    footage: PictureSource,
    first: int,
    last: int,
    full_width: int,
    on_loss: OnLoss = OnLoss.CARRY_ON,
) -> Iterator[dict[str, Step]]:
    """Follow outlines back from each of their keys to the one before, where the way ahead came to be in doubt.

    A line counts from where it is less in doubt; what was seen of its region either way is blended.

    Args:
        outlines: with their steps ahead, from the first of the frames to the last.

    Yields:
        Steps that take the place of those ahead, by the outlines' ids; none while they are still being found.

    Raises: as `follow_together`.
    """
    for keys, alike in _by_keys(outlines, first, last).items():
        for a, b in pairwise(keys):
            yield from _back(alike, footage, range(a, b + 1), full_width, on_loss)


def _by_keys(outlines: Sequence[Outline], first: int, last: int) -> dict[tuple[int, ...], list[Outline]]:
    """Outlines that have hand-made keys in a range, by the frames of those."""
    by_keys: dict[tuple[int, ...], list[Outline]] = {}
    for outline in outlines:
        keys = tuple(frame for frame in outline.hand_frames if first <= frame <= last)
        if keys:
            by_keys.setdefault(keys, []).append(outline)
    return by_keys


def _back(
    outlines: Sequence[Outline], footage: PictureSource, frames: range, full_width: int, on_loss: OnLoss
) -> Iterator[dict[str, Step]]:
    """Between two keys, at the first and the last of the frames."""
    ahead = {
        outline.id: {frame: step for frame, step in outline.step_by_frame.items() if frame in frames[1:]}
        for outline in outlines
    }
    doubts = np.cumsum([0.0, *(_doubt(ahead, frame) for frame in frames[1:])])
    if doubts[-1] <= ENOUGH:
        return
    back: dict[str, dict[int, Step]] = {outline.id: {} for outline in outlines}
    for of_frame in follow_together(outlines, footage, frames[::-1], full_width, on_loss):
        for name, step in of_frame.items():
            back[name][step.frame] = step
        yield {}
    doubts_back = np.cumsum([0.0, *(_doubt(back, frame) for frame in frames[:0:-1])])[::-1]
    # Lines go back to where both ways are as doubtful.
    met = frames[max(int(np.argmax(doubts_back <= doubts)) - 1, 0)]
    height, width = looked_at(footage, frames[0], LINES_WIDTH).shape[:2]
    for outline in outlines:
        ways = ahead[outline.id], back[outline.id]
        steps = ways[0] | {frame: step for frame, step in ways[1].items() if frame > met}
        borders: dict[int, Border] = {}
        for border in _borders(outline, frames, ways, (height, width), width / full_width):
            borders[border.frame] = border
            yield {}
        for step in steps.values():
            yield {outline.id: _with_border(step, borders)}


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
    outline: Outline, frames: range, ways: tuple[Steps, Steps], size: tuple[int, int], scale: float
) -> Iterator[Border]:
    """What was seen either way of an outline's region, blended; nothing where it was not seen all the way.

    Args:
        size, scale: (height, width) at which they are blended, and px there for one px of the source.
    """
    seen, seen_back = ({step.border.frame: step.border for step in way.values() if step.border} for way in ways)
    if set(frames[1:]) - set(seen) or set(frames[:-1]) - set(seen_back):
        return

    def drawn(at: OutlineAt) -> Matte:
        return drawn_matte([at], Refine(), size, scale)

    def region(border: Border) -> Matte:
        return drawn(OutlineAt(Joins.ADD, (), border.rings))

    keys = [drawn(outline_at(outline, frame)) for frame in (frames[0], frames[-1])]
    whole = expected_sizes(float(keys[0].sum()), float(keys[1].sum()), len(frames))
    missed = expected_misses([seen[f].sure for f in frames[1:]], overlap(region(seen[frames[-1]]), keys[1]))
    reached = overlap(region(seen_back[frames[0]]), keys[0])
    missed_back = expected_misses([seen_back[f].sure for f in frames[-2::-1]], reached)[::-1]
    for i, frame in enumerate(frames[1:-1], 1):
        both = seen[frame], seen_back[frame]
        misses = float(missed[i - 1]), float(missed_back[i])
        matte, sure = blended((region(both[0]), region(both[1])), (both[0].sure, both[1].sure), misses, whole[i])
        rings = packed([ring / scale for ring in border_rings(matte)])
        yield both[0].model_copy(update={"rings": rings, "sure": round(sure, 3)})
