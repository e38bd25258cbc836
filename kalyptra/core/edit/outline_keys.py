"""Keys made by hand: an outline drawn anew at a frame becomes a key that has the points of the outline it corrects."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.setup.document.followed import Motion, merged
from kalyptra.core.setup.document.outline import Joins, Outline
from kalyptra.core.setup.geometry.curve import Curve, Point
from kalyptra.core.setup.geometry.fit import fit_cubic
from kalyptra.core.setup.geometry.spline import Rows, on_line
from kalyptra.core.setup.geometry.warp import UNMOVED, Warp, inverse, mapped, numbers_of, similarity_between
from kalyptra.core.setup.resolve.outline import carried, placed_at
from kalyptra.core.setup.time.easing import Ease
from kalyptra.core.setup.time.keyed import Key, Keyed
from kalyptra.core.setup.time.track import Step

SAMPLES = 24
"""Places on a segment at which a point may come to lie."""
WAY = 0.15
"""What going the other way costs, as a distance in shares of the outline's size."""
STRAY = 3.0
"""Px by which the key may stray from the drawn line before it takes over one of its corners."""


def changed(outline: Outline, **fields: Any) -> Outline:
    """The outline with other fields; what was worked out from the old ones is not taken along."""
    return Outline(**{**{name: getattr(outline, name) for name in Outline.model_fields}, **fields})


def with_steps(outline: Outline, steps: tuple[Step, ...]) -> Outline:
    """The outline with new steps in place of those at the same frames. Keys made by hand stay."""
    return changed(outline, steps=merged(outline.steps, steps))


def drawn_outline(
    name: str, frame: int, drawn: Curve, joins: Joins = Joins.ADD, motion: Motion = Motion.FREE
) -> Outline:
    """A new outline with its first hand-made key at a frame."""
    shape = Keyed[Curve](keys=(Key[Curve](frame=frame, value=drawn, ease=Ease.LINEAR),))
    placement = Keyed[Warp](keys=(Key[Warp](frame=frame, value=UNMOVED, ease=Ease.LINEAR),))
    return Outline(id=name, joins=joins, motion=motion, shape=shape, placement=placement)


def keyed_by_hand(outline: Outline, frame: int, drawn: Curve) -> Outline:
    """Make a hand-made key of a line drawn at a frame, px of the source; it need not have the same points.

    Each point of the outline takes the place on the drawn line that corresponds; corners that the line has besides
    become new points. The placement moves, turns and scales along, so that the shape changes as little as it must.
    """
    placed = placed_at(outline, frame)
    ids, rows = matched(placed.ids, placed.rows, drawn.rows)
    known = [ids.index(i) for i in placed.ids]
    matrix = similarity_between(placed.rows[:, :2], rows[known, :2]) @ placed.matrix
    curve = curve_of(ids, carried(inverse(matrix), rows), drawn)
    shape = _with_key(outline.shape, Key[Curve](frame=frame, value=curve, ease=Ease.LINEAR))
    placement = _with_key(outline.placement, Key[Warp](frame=frame, value=numbers_of(matrix), ease=Ease.LINEAR))
    return changed(outline, shape=shape, placement=placement)


def curve_of(ids: tuple[int, ...], rows: Rows, like: Curve | None = None) -> Curve:
    """A curve as a document keeps it."""
    smooth = {point.id: point.smooth for point in like.points} if like else {}
    return Curve(
        points=tuple(
            Point(id=name, x=round(x, 4), y=round(y, 4), before=(round(bx - x, 4), round(by - y, 4)),
                  after=(round(ax - x, 4), round(ay - y, 4)), feather_in=max(low, 0.0), feather_out=max(high, 0.0),
                  smooth=smooth.get(name, False))
            for name, (x, y, bx, by, ax, ay, low, high) in zip(ids, rows.tolist(), strict=True)
        )
    )  # fmt: skip


def matched(ids: tuple[int, ...], rows: Rows, drawn: Rows) -> tuple[tuple[int, ...], Rows]:
    """A drawn line with the points of another one.

    Args:
        ids, rows: the points to find on it.
        drawn: (m, 8) the line; it may run the other way around.

    Returns:
        Ids and rows of the drawn line: all of `ids` in their order, and its own corners between them.
    """
    places = on_line(drawn, SAMPLES).reshape(-1, 2)
    if _area(rows[:, :2]) * _area(drawn[:, :2]) < 0:
        drawn = drawn[::-1][:, [0, 1, 4, 5, 2, 3, 6, 7]]
        places = on_line(drawn, SAMPLES).reshape(-1, 2)
    laid_over = mapped(similarity_between(_outer(rows), _outer(drawn)), rows[:, :2])
    (_, at) = min((_in_order(there, rows, drawn, places) for there in (rows[:, :2], laid_over)), key=lambda row: row[0])
    return _with_places(ids, drawn, places, at)


def _with_places(
    ids: tuple[int, ...], drawn: Rows, places: NDArray[np.float64], at: NDArray[np.int64]
) -> tuple[tuple[int, ...], Rows]:
    """The line as one cubic between each two places, and with its own corners where one is not enough."""
    names: list[int] = []
    pieces: list[NDArray[np.float64]] = []
    new = max(ids) + 1
    for name, start, end in zip(ids, at, np.roll(at, -1), strict=True):
        length = int((end - start) % len(places)) or len(places)
        run = places[(start + np.arange(length + 1)) % len(places)]
        piece, stray = fit_cubic(run)
        names.append(name)
        if stray <= STRAY or length <= SAMPLES:
            pieces.append(piece)
            continue
        inner = list(range(-(-(start + 1) // SAMPLES) * SAMPLES, start + length, SAMPLES))
        cuts = [0, *(int(c - start) for c in inner), length]
        for i, (low, high) in enumerate(pairwise(cuts)):
            if i:
                names.append(new)
                new += 1
            pieces.append(fit_cubic(run[low : high + 1])[0])
    rows = np.zeros((len(pieces), 8))
    for i, piece in enumerate(pieces):
        rows[i, 0:2], rows[i, 4:6] = piece[0], piece[1]
        rows[(i + 1) % len(pieces), 2:4] = piece[2]
    return tuple(names), rows


def _in_order(
    there: NDArray[np.float64], rows: Rows, drawn: Rows, places: NDArray[np.float64]
) -> tuple[float, NDArray[np.int64]]:
    """For each point its place on a closed line, going round once in the points' order: near, and where the line goes
    the same way. The least sum of squares, by dynamic programming from each of a few starts; and the places.
    """
    size = float(np.ptp(drawn[:, :2], axis=0).max())
    cost = ((there[:, None] - places[None]) ** 2).sum(axis=2)
    cost += (WAY * size) ** 2 * (1 - _ways(rows)[::SAMPLES] @ _ways(drawn).T)
    best, best_path = np.inf, np.arange(len(there))
    for start in np.argsort(cost[0])[:12]:
        total, path = _once_around(np.roll(cost, -int(start), axis=1))
        if total < best:
            best, best_path = total, (path + start) % len(places)
    return best, best_path


def _ways(rows: Rows) -> NDArray[np.float64]:
    """The direction of the line at every place, as unit vectors."""
    places = on_line(rows, SAMPLES).reshape(-1, 2)
    along = np.roll(places, -2, axis=0) - np.roll(places, 2, axis=0)
    return np.asarray(along / np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-9))


def _once_around(cost: NDArray[np.float64]) -> tuple[float, NDArray[np.int64]]:
    rows, count = cost.shape
    total = np.full(count, np.inf)
    total[0] = cost[0, 0]
    came = np.zeros((rows, count), np.int64)
    for i in range(1, rows):
        # The least of all places before this one.
        reach = np.minimum.accumulate(total)
        origin = np.where(total == reach, np.arange(count), 0)
        origin = np.maximum.accumulate(origin)
        total = np.full(count, np.inf)
        total[1:] = reach[:-1] + cost[i, 1:]
        came[i, 1:] = origin[:-1]
    path = np.zeros(rows, np.int64)
    path[-1] = int(np.argmin(total))
    for i in range(rows - 1, 0, -1):
        path[i - 1] = came[i, path[i]]
    return float(total.min()), path


def _outer(rows: Rows) -> NDArray[np.float64]:
    """Four places that say where a line lies and how large it is."""
    places = on_line(rows, 8).reshape(-1, 2)
    low, high = places.min(axis=0), places.max(axis=0)
    return np.array([low, [high[0], low[1]], high, [low[0], high[1]]])


def _area(points: NDArray[np.float64]) -> float:
    after = np.roll(points, -1, axis=0)
    return float((points[:, 0] * after[:, 1] - after[:, 0] * points[:, 1]).sum())


def _with_key(keyed: Any, key: Any) -> Any:
    keys = sorted([*(other for other in keyed.keys if other.frame != key.frame), key], key=lambda key: key.frame)
    return type(keyed)(keys=tuple(keys))
