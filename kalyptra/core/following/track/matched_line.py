"""Matches a closed line to the border of a region: every place of the line gets a place on the border, in order.

Source: cyclic dynamic time warping, after Sakoe and Chiba, IEEE TASSP 1978; the stretch of the line along the border
costs as much as its way there.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled
from kalyptra.core.following.track.border_rings import outwards

Places = NDArray[np.float64]
"""(n, 2) px."""
SPACING = 3.0
"""Px between two places of the border."""
STARTS = 7
"""Places of the border, next to the line's first, that the match is begun from."""
MOST_STEP = 14
"""Places of the border that lie between two neighbours of the line at most."""
STRETCH = 1.0
"""What a px of stretch costs beside a px of way, both squared."""
LARGEST = 0.7
"""The share of a region that its largest part must have to stand for it; otherwise its parts are joined."""


def border_of(region: NDArray[np.float32]) -> Places:
    """The outer border of a region, evenly spaced; empty where there is none. A region in parts is joined to one."""
    solid = (region > 0.5).astype(np.uint8)
    whole = cv2.countNonZero(solid)
    side = 5
    while True:
        borders, _ = cv2.findContours(solid, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        if not borders:
            return np.empty((0, 2))
        largest = max(borders, key=cv2.contourArea)
        if len(borders) == 1 or side > 120 or cv2.contourArea(largest) > LARGEST * whole:
            break
        solid = cv2.morphologyEx(solid, cv2.MORPH_CLOSE, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side)))
        side = side * 2 + 1
    points = largest[:, 0].astype(np.float64) + 0.5
    if len(points) < 8:
        return np.empty((0, 2))
    points += 0.5 * outwards(points)  # the contour runs through the middles of the outermost px
    along = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(points, axis=0, append=points[:1]), axis=1))])
    count = max(8, round(along[-1] / SPACING))
    at = np.arange(count) * along[-1] / count
    closed = np.concatenate([points, points[:1]])
    return np.stack([np.interp(at, along, closed[:, i]) for i in (0, 1)], axis=1)


def matched(line: Places, border: Places) -> Places:
    """(n, 2) the places on a border that a line's places go to; both closed.

    Args:
        line: (n, 2) places, in either direction around.
        border: (m, 2) evenly spaced, m at least 8.
    """
    turned = border[::-1] if _area(border) * _area(line) < 0 else border
    count = len(turned)
    steps = np.linalg.norm(np.diff(line, axis=0, append=line[:1]), axis=1)
    length = float(np.linalg.norm(np.diff(turned, axis=0, append=turned[:1]), axis=1).mean())
    nearest = np.argsort(np.square(turned - line[0]).sum(axis=1))[:STARTS]
    away = np.square(line[:, :1] - turned[:, 0]) + np.square(line[:, 1:] - turned[:, 1])
    best, chosen = np.inf, turned[:0]
    for start in nearest:
        cost = np.concatenate([away[:, start:], away[:, : start + 1]], axis=1)  # once around, and its first place again
        way = np.empty(len(line), np.int64)
        total = _best_way(cost, steps, length, STRETCH, MOST_STEP, way)
        if total < best:
            best, chosen = total, np.asarray(turned[(way + start) % count], np.float64)
    return chosen


def _area(line: Places) -> float:
    after = np.roll(line, -1, axis=0)
    return float((line[:, 0] * after[:, 1] - after[:, 0] * line[:, 1]).sum())


@compiled
def _best_way(cost, steps, length, stretch, most, way):  # type: ignore[no-untyped-def]
    """Fill in `way` with the border's place for each place of the line, and return what it costs."""
    count, places = cost.shape
    best = np.full((count, places), 1e18)
    best[0, 0] = cost[0, 0]
    for i in range(1, count):
        before, now = best[i - 1], best[i]
        for step in range(min(most, places - 1) + 1):
            # All places at once, for the compiler: one step after the other, and not one place after the other.
            away = step * length - steps[i - 1]
            more = stretch * away * away
            ahead = now[step:]
            for j in range(places - step):
                ahead[j] = min(ahead[j], before[j] + more)
        for j in range(places):
            now[j] += cost[i, j]
    at, end = 0, 1e18
    for j in range(places):
        away = (places - 1 - j) * length - steps[count - 1]
        total = best[count - 1, j] + stretch * away * away
        if total < end:
            end, at = total, j
    for i in range(count - 1, 0, -1):
        way[i] = at
        least, back = 1e18, 0
        for step in range(min(most, at) + 1):
            away = step * length - steps[i - 1]
            total = best[i - 1, at - step] + stretch * away * away
            if total < least:
                least, back = total, step
        at -= back
    way[0] = at
    return end
