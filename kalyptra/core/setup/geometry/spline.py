"""Closed cubic splines as arrays: splitting them, and going from one to another whose points are not all the same.

A spline is its points' ids and rows (n, 8): x, y, handle before (x, y), handle after (x, y), feather in, feather out.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Rows = NDArray[np.float64]
Ids = tuple[int, ...]


def mix_curves(a: tuple[Ids, Rows], b: tuple[Ids, Rows], share: float) -> tuple[Ids, Rows]:
    """Between two splines. Points keep their identity by id; one that only one of them has comes from the other's line.

    Without a common point the nearer of the two is taken.
    """
    if a[0] == b[0]:
        return a[0], a[1] + (b[1] - a[1]) * share
    if not set(a[0]) & set(b[0]):
        return b if share >= 0.5 else a
    ids = _all_of(a[0], b[0])
    left, right = with_points(a, ids), with_points(b, ids)
    return ids, left + (right - left) * share


def with_points(curve: tuple[Ids, Rows], ids: Ids) -> Rows:
    """The same line with points for all `ids`, in their order; those it lacks are put evenly into its segments."""
    own, rows = curve
    if own == ids:
        return rows
    place = {name: i for i, name in enumerate(own)}
    start = next(i for i, name in enumerate(ids) if name in place)
    order = [*ids[start:], *ids[:start]]
    runs: list[list[int]] = []
    for name in order:
        if name in place:
            runs.append([name])
        else:
            runs[-1].append(name)
    made: dict[int, Rows] = {run[0]: rows[place[run[0]]].copy() for run in runs}
    for run, following in zip(runs, [*runs[1:], runs[0]], strict=True):
        left, right = made[run[0]], made[following[0]]
        parts = len(run)
        for i, name in enumerate(run[1:]):
            made[name] = split(left, right, 1 / (parts - i))
            left = made[name]
    return np.array([made[name] for name in ids])


def split(left: Rows, right: Rows, at: float) -> Rows:
    """Split the segment between two rows; both get their handles shortened in place, the new row is returned.

    Source: de Casteljau's construction.
    """
    p0, p1, p2, p3 = left[0:2].copy(), left[4:6].copy(), right[2:4].copy(), right[0:2].copy()
    q0, q1, q2 = p0 + (p1 - p0) * at, p1 + (p2 - p1) * at, p2 + (p3 - p2) * at
    r0, r1 = q0 + (q1 - q0) * at, q1 + (q2 - q1) * at
    middle = r0 + (r1 - r0) * at
    left[4:6], right[2:4] = q0, q2
    feathers = left[6:8] + (right[6:8] - left[6:8]) * at
    return np.concatenate([middle, r0, r1, feathers])


def on_line(rows: Rows, per_segment: int) -> NDArray[np.float64]:
    """(n, per_segment, 2) points on every segment, at even parameters from 0 up to, not with, 1."""
    u = (np.arange(per_segment) / per_segment)[None, :, None]
    v = 1 - u
    after = np.roll(rows, -1, axis=0)
    p0, p1, p2, p3 = rows[:, None, 0:2], rows[:, None, 4:6], after[:, None, 2:4], after[:, None, 0:2]
    points: NDArray[np.float64] = v**3 * p0 + 3 * v**2 * u * p1 + 3 * v * u**2 * p2 + u**3 * p3
    return points


def _all_of(a: Sequence[int], b: Sequence[int]) -> Ids:
    """The points of both, around: those that only b has come after their neighbour in b."""
    whole = list(a)
    known = set(a)
    start = next(i for i, name in enumerate(b) if name in known)
    before = b[start]
    for name in [*b[start + 1 :], *b[:start]]:
        if name not in known:
            whole.insert(whole.index(before) + 1, name)
        before = name
    return tuple(whole)
