"""Find people frame by frame: look at the whole picture, then closer at each, and go on from where they were.

One look at the whole loses the limbs of a small figure, so that each person is looked at again in a window of its own.
Where somebody was found before, the window suffices. When there is nobody, parts of the picture are looked at in turn.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.people.model import person_share
from kalyptra.core.matte.guided_filter import guided_filter
from kalyptra.core.window import window_of

Matte = NDArray[np.float32]
Box = tuple[int, int, int, int]
"""Left, top, right, bottom, px."""


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the demo's clips, where no source is named."""

    margin: float = 0.2
    """How much wider than the person the window is, as a share of its sides."""
    look_around: int = 12
    """Frames after which the whole picture is looked at again."""
    most: int = 3
    """People that are looked at closer."""
    least: float = 0.0015
    """The smallest person, as a share of the picture."""
    held: float = 0.5
    """How much of the frame before a pixel keeps that shows the same, which steadies the edge."""
    same: float = 10.0
    """Codes of difference at which that falls to 1/e."""
    edge_share: float = 1 / 120
    edge_eps: float = 0.0001
    steeper: float = 1.3


TUNING = Tuning()


TILES = ((0.0, 0.5), (0.25, 0.75), (0.5, 1.0), (0.0, 0.34), (0.33, 0.67), (0.66, 1.0))
"""Parts of the width that are looked at when nobody is seen: two sizes of them."""


@dataclass(frozen=True)
class PersonSeen:
    """People in a frame.

    Attributes:
        matte: (height, width) 0 to 1.
        share: the same before its edge was drawn to the picture.
        boxes: around each of them.
        codes: the frame.
        sure: 0 to 1; 0 where there is nobody.
        since: frames since the whole picture was looked at.
    """

    matte: Matte
    share: Matte
    boxes: tuple[Box, ...]
    codes: NDArray[np.uint8]
    sure: float
    since: int = 0


def find_people(
    codes: NDArray[np.uint8], before: PersonSeen | None = None, spot: tuple[float, float] | None = None
) -> PersonSeen:
    """The people in a frame.

    Args:
        codes: (height, width, 3) RGB in 8 bits.
        before: what was seen in the frame before.
        spot: (x, y) px, points at the one person to find; where `before` is given, it is not looked at: the person
            who was found goes on.
    """
    alone = spot is not None
    boxes = before.boxes if before else ()
    since = before.since + 1 if before else 0
    if not boxes or (since >= TUNING.look_around and not alone):
        people = _looked_over(codes)
        if spot is not None and not boxes:
            people = _pointed_at(people, spot)
        elif alone and before is None:
            people = people[:1]
        boxes, since = people or boxes, 0
    share = np.zeros(codes.shape[:2], np.float32)
    for box in boxes[: TUNING.most]:
        _look_closer(codes, box, share)
    if before is not None and before.codes.shape == codes.shape:
        _steady(share, codes, before)
    parts = _parts(share)
    if alone and boxes:
        parts = _going_on(parts, boxes)
    if not parts:
        return PersonSeen(np.zeros_like(share), np.zeros_like(share), (), codes, 0.0, since)
    share = share * _only(share, parts)
    matte = _edged(codes, share, parts)
    solid = share > 0.5
    return PersonSeen(matte, share, tuple(parts), codes, float(share[solid].mean()) if solid.any() else 0.0, since)


def looked_closer(codes: NDArray[np.uint8], near: Matte) -> Matte:
    """(height, width) how surely each pixel shows a person, around each that a matte shows.

    Args:
        codes: (height, width, 3) RGB in 8 bits.
        near: (height, width) where people are by and large.
    """
    share = np.zeros(codes.shape[:2], np.float32)
    for box in _parts(near)[: TUNING.most]:
        _look_closer(codes, box, share)
    return share


def _looked_over(codes: NDArray[np.uint8]) -> tuple[Box, ...]:
    """Boxes of people in the whole picture; where there is nobody, in parts of it."""
    height, width = codes.shape[:2]
    parts = _parts(_at(person_share(codes), (height, width)))
    if parts:
        return tuple(parts)
    for start, end in TILES:
        left, right = int(start * width), int(end * width)
        side = right - left
        for top in sorted({0, max(0, (height - side) // 2), max(0, height - side)}):
            bottom = min(height, top + side)
            inner = _parts(_at(person_share(codes[top:bottom, left:right]), (bottom - top, right - left)))
            if inner:
                return tuple((a + left, b + top, c + left, d + top) for a, b, c, d in inner)
    return ()


def _look_closer(codes: NDArray[np.uint8], box: Box, share: Matte) -> None:
    """Look at one person in a window of its own, into `share`. Beyond the frame the picture goes on as at its edge, so
    that a limb that leaves it does not fade out there."""
    height, width = share.shape
    left, top, right, bottom = box
    dx, dy = round((right - left) * TUNING.margin) + 4, round((bottom - top) * TUNING.margin) + 4
    a, b, c, d = left - dx, top - dy, right + dx, bottom + dy
    inner = codes[max(0, b) : min(height, d), max(0, a) : min(width, c)]
    outer = (max(0, -b), max(0, d - height), max(0, -a), max(0, c - width))
    window = cv2.copyMakeBorder(inner, *outer, cv2.BORDER_REPLICATE) if any(outer) else inner
    closer = _at(person_share(window), window.shape[:2])
    closer = closer[outer[0] : closer.shape[0] - outer[1], outer[2] : closer.shape[1] - outer[3]]
    place = share[max(0, b) : min(height, d), max(0, a) : min(width, c)]
    np.maximum(place, closer, out=place)


def _steady(share: Matte, codes: NDArray[np.uint8], before: PersonSeen) -> None:
    """Keep some of the frame before where the picture is the same, in place."""
    window = window_of((share > 0.2).astype(np.uint8), 4)
    if window is None:
        return
    change = cv2.transform(cv2.absdiff(codes[window], before.codes[window]), np.full((1, 3), 1 / 3, np.float32))
    held = np.float32(TUNING.held) * np.exp(cv2.blur(change.astype(np.float32), (5, 5)) / np.float32(-TUNING.same))
    share[window] += held * (before.share[window] - share[window])


def _parts(share: Matte) -> list[Box]:
    """Boxes of the people in it, the largest first."""
    count, _, stats, _ = cv2.connectedComponentsWithStats((share > 0.5).astype(np.uint8))
    least = TUNING.least * share.size
    sizes = sorted(range(1, count), key=lambda i: -int(stats[i, cv2.CC_STAT_AREA]))
    boxes = [tuple(int(v) for v in stats[i, :4]) for i in sizes if stats[i, cv2.CC_STAT_AREA] >= least]
    return [(x, y, x + w, y + h) for x, y, w, h in boxes]


def _only(share: Matte, boxes: Sequence[Box]) -> NDArray[np.bool_]:
    """Where the people of these boxes are, and a little around them: others may stand in the same box."""
    count, names, stats, _ = cv2.connectedComponentsWithStats((share > 0.5).astype(np.uint8))
    corners = {(x, y, x + w, y + h): i for i, (x, y, w, h) in enumerate(stats[:, :4].tolist()) if 0 < i < count}
    mine = np.isin(names, [corners[box] for box in boxes if box in corners]).astype(np.uint8)
    return np.asarray(cv2.dilate(mine, np.ones((9, 9), np.uint8)) > 0)


def _pointed_at(boxes: Sequence[Box], spot: tuple[float, float]) -> tuple[Box, ...]:
    """The box that a spot lies in, or the nearest one."""
    x, y = spot

    def away(box: Box) -> float:
        left, top, right, bottom = box
        return float(max(left - x, 0, x - right) + max(top - y, 0, y - bottom))

    return (min(boxes, key=lambda box: (away(box), (box[2] - box[0]) * (box[3] - box[1]))),) if boxes else ()


def _going_on(boxes: Sequence[Box], before: Sequence[Box]) -> list[Box]:
    """Of the people of a frame the one who overlaps most with the one before."""
    a = before[0]

    def overlap(b: Box) -> int:
        return max(0, min(a[2], b[2]) - max(a[0], b[0])) * max(0, min(a[3], b[3]) - max(a[1], b[1]))

    best = max(boxes, key=overlap, default=None)
    return [best] if best and overlap(best) else []


def _edged(codes: NDArray[np.uint8], share: Matte, boxes: Sequence[Box]) -> Matte:
    """Edges drawn to the picture, in the windows of the people alone."""
    matte = np.zeros_like(share)
    radius = max(2, round(codes.shape[1] * TUNING.edge_share))
    for left, top, right, bottom in boxes:
        rows = slice(max(0, top - 2 * radius), bottom + 2 * radius)
        window = (rows, slice(max(0, left - 2 * radius), right + 2 * radius))
        part = guided_filter(
            np.ascontiguousarray(codes[window]), share[window], radius, TUNING.edge_eps, TUNING.steeper, smaller=2
        )
        np.maximum(matte[window], part, out=matte[window])
    return matte


def _at(share: Matte, size: tuple[int, ...]) -> Matte:
    return np.asarray(cv2.resize(share, (size[1], size[0]), interpolation=cv2.INTER_LINEAR))
