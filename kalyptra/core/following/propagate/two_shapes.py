"""Two shapes that may overlap, registered to what is seen of both together; and which of them is in front."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.contest import px_inside

Mask = NDArray[np.bool_]
Values = NDArray[np.float32]


class Tuning(NamedTuple):
    """What can be tuned. Chosen on clips of the tune half's kinds and surfaces, with seeds of their own."""

    step: int = 6
    """The most px by which one may miss where it is expected, a frame."""
    steady: float = 3.0
    """Px of silhouette that such a px must be worth, once squared."""
    capped: float = 30.0
    """Codes of error at which a px of a picture fits as little as one outside the silhouette."""
    core: int = 5
    least: int = 60
    whole: int = 400
    """Px inside of both from where on their pictures tell who is in front; how many it takes, and how many count as one
    frame's worth."""
    most: float = 15.0
    lasts: float = 0.95
    """Codes that a frame may say about that, and what of it stays from frame to frame."""


TUNING = Tuning()


class Expected(NamedTuple):
    """One of the two as it is expected in a window: (height, width) its matte, (height, width, 3) its picture."""

    matte: Values
    picture: NDArray[np.uint8]

    def shifted(self, by: NDArray[np.float64]) -> Expected:
        """The same some px to the right and down."""
        motion, size = np.array([[1, 0, by[0]], [0, 1, by[1]]], np.float32), self.matte.shape[::-1]
        picture = cv2.warpAffine(self.picture, motion, size, borderMode=cv2.BORDER_REPLICATE)
        return Expected(cv2.warpAffine(self.matte, motion, size), np.asarray(picture, np.uint8))


def registered(both: list[Expected], silhouette: Mask, codes: NDArray[np.uint8]) -> NDArray[np.float64]:
    """(2, 2) px by which each of the two is to be moved so that together they fit what is seen of them.

    What counts is how much of the silhouette is missing or too much, how badly whoever fits better explains the picture
    within it, and that they stay where they are expected. Both are moved together and each by itself, by coordinate
    descent from where they are.
    """
    fits: list[dict[tuple[int, int], tuple[Mask, Values]]] = [{}, {}]

    def fit(i: int, at: tuple[int, int]) -> tuple[Mask, Values]:
        if at not in fits[i]:
            moved = both[i].shifted(np.array(at, np.float64))
            has = moved.matte > 0.5
            fits[i][at] = has, np.where(has, _misfit(moved.picture, codes) / np.float32(TUNING.capped), np.float32(1))
        return fits[i][at]

    def cost(first: tuple[int, int], second: tuple[int, int]) -> float:
        (has, error), (has_second, error_second) = fit(0, first), fit(1, second)
        has = has | has_second
        unlike = np.count_nonzero(has ^ silhouette) + float(np.minimum(error, error_second)[has & silhouette].sum())
        return unlike + TUNING.steady * float(np.square([first, second]).sum())

    at = (0, 0), (0, 0)
    best, better = cost(*at), True
    while better:
        better = False
        for x, y in ((1, 0), (-1, 0), (0, 1), (0, -1)):
            for first, second in ((1, 1), (1, 0), (0, 1)):
                to = (at[0][0] + first * x, at[0][1] + first * y), (at[1][0] + second * x, at[1][1] + second * y)
                if np.abs(to).max() <= TUNING.step and (reached := cost(*to)) < best:
                    best, at, better = reached, to, True
    return np.array(at, np.float64)


def order_after(order: float, both: list[Expected], codes: NDArray[np.uint8]) -> float:
    """Who is in front, after what their pictures say in a window where both are expected."""
    core = np.minimum(*(px_inside(each.matte > 0.5) for each in both)) > TUNING.core
    if np.count_nonzero(core) < TUNING.least:
        return order
    first, second = (_misfit(each.picture, codes)[core] for each in both)
    says = float(np.clip(second - first, -TUNING.most, TUNING.most).mean())
    return TUNING.lasts * order + says * min(1.0, np.count_nonzero(core) / TUNING.whole)


def _misfit(picture: NDArray[np.uint8], codes: NDArray[np.uint8]) -> Values:
    """(height, width) mean codes over channels and 3 x 3 px by which a picture differs, capped."""
    differs = cv2.transform(cv2.absdiff(picture, codes).astype(np.float32), np.full((1, 3), 1 / 3, np.float32))
    return np.asarray(cv2.blur(np.minimum(differs, np.float32(TUNING.capped)), (3, 3)), np.float32)
