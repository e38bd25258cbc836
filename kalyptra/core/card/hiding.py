"""Which of several cards hides which: an order from back to front, with a piece more where two go through each other.

The dioptres of a plane change evenly over the picture, so two cards meet along a straight line there.
Source: M. E. Newell, R. G. Newell, T. L. Sancha, A solution to the hidden surface problem, ACM National Conference 1972
(an order from back to front, and pieces where there is none).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.setup.geometry.planes import PlaneAt

Light = NDArray[np.float32]
Plane = NDArray[np.float32]
"""(height, width)."""
TOUCHING = 1e-4
"""Share of its dioptres by which a card may lie beyond another one and still count as before it: two that lie on each
other keep their order."""


@dataclass(frozen=True)
class LaidCard:
    """A card as it is seen.

    Attributes:
        light: its own light wherever it covers anything.
        cover: (height, width) how much of each pixel it covers, 0 to 1.
        plane: its distances.
    """

    light: Light
    cover: Plane
    plane: PlaneAt


def back_to_front(cards: Sequence[LaidCard], scale: float) -> list[LaidCard]:
    """Cards in the order in which they are laid over each other. Of one that goes through others there is a second
    piece, laid over them: what of it is the nearest.

    Args:
        cards: those that lie on each other in the order in which they were set up.
        scale: px of the picture for one of the source.
    """
    count = len(cards)
    if count < 2:
        return list(cards)
    nearer = {}
    before = np.zeros((count, count), bool)
    for i in range(count):
        for j in range(i):
            both = (cards[i].cover > 0) & (cards[j].cover > 0)
            if both.any():
                share = _nearer(cards[i].plane, cards[j].plane, scale, (both.shape[0], both.shape[1]))
                nearer[i, j], nearer[j, i] = share, 1 - share
                first = float(share[both].mean()) >= 0.5
                before[i, j], before[j, i] = first, not first
    order = _ordered(before, [_middle(card, scale) for card in cards])
    place = {card: at for at, card in enumerate(order)}
    out = [(float(place[i]), card) for i, card in enumerate(cards)]
    for i, card in enumerate(cards):
        over = np.zeros(card.cover.shape, bool)
        highest = -1
        for j in order[place[i] + 1 :]:
            hides = (nearer[i, j] > 0) & (cards[j].cover > 0) & (card.cover > 0) if (i, j) in nearer else over[:0]
            if hides.any():
                over |= hides
                highest = place[j]
        if highest < 0:
            continue
        cover = np.where(over, card.cover, np.float32(0))
        for j in order[: highest + 1]:
            if (i, j) in nearer:
                cover *= 1 - cards[j].cover * (1 - nearer[i, j])
        if cover.any():
            out.append((highest + 0.5, replace(card, cover=cover)))
    return [card for _, card in sorted(out, key=lambda pair: pair[0])]


def _nearer(a: PlaneAt, b: PlaneAt, scale: float, size: tuple[int, int]) -> Plane:
    """How much of each pixel lies where the first plane is the nearer one, 0 to 1; where they lie on each other all."""
    x, y, constant = ((p - q) for p, q in zip((a.a, a.b, a.c), (b.a, b.b, b.c), strict=True))
    rows, columns = np.mgrid[: size[0], : size[1]].astype(np.float32) + np.float32(0.5)
    ahead = (x * columns + y * rows) / scale + constant
    level = TOUCHING * max(abs(a.dioptres(size[1] / 2 / scale, size[0] / 2 / scale)), 1e-3)
    if float(np.abs(ahead).max()) < level:
        return np.ones(size, np.float32)
    steep = max(float(np.hypot(x, y)) / scale, level / max(size))
    return np.asarray(np.clip(ahead / steep + 0.5, 0, 1), np.float32)


def _middle(card: LaidCard, scale: float) -> float:
    """Dioptres of a card's middle as far as it is seen."""
    rows, columns = np.nonzero(card.cover > 0)
    return card.plane.dioptres(columns.mean() / scale, rows.mean() / scale) if len(rows) else 0.0


def _ordered(before: NDArray[np.bool_], middles: Sequence[float]) -> list[int]:
    """Numbers so that each comes after those that it lies before; where they lie round in a ring, the farthest one is
    first."""
    left, out = set(range(len(middles))), list[int]()
    while left:
        free = [i for i in left if not any(before[i, j] for j in left)] or list(left)
        out.append(min(free, key=lambda i: (middles[i], i)))
        left.remove(out[-1])
    return out
