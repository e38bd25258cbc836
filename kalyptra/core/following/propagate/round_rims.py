"""Round rims of a matte: wheels, seen from the side or at an angle.

Circles are found by OpenCV's Hough transform, by gradients and by how much of each is there.
Source: Yuen, Princen, Illingworth and Kittler, Comparative study of Hough transform methods for circle finding, Image
and Vision Computing 8(1), 1990 (from memory).
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.window import window_of

Values = NDArray[np.float32]
Place = NDArray[np.float64]
"""(2, 3) from the unit disc to the picture: where a wheel lies, up to its rim."""


class Tuning(NamedTuple):
    """What can be tuned. Chosen on made-up carts and subjects with rings."""

    stretches: tuple[float, ...] = (1.0, 0.8, 0.6, 0.45)
    """How wide a wheel is beside its height: what stands upright is narrower, seen at an angle."""
    perfect: float = 0.8
    steep: int = 300
    """How much of a circle must be an edge, and how steep that must be: OpenCV's own scales."""
    least: int = 8
    most: int = 80
    """Px of a wheel's radius."""
    there: float = 0.4
    rim: float = 0.85
    """The share from which on a pixel is of the rim, and how much of the rim must be there."""
    open: float = 0.4
    gap: float = 0.3
    """How much of what the rim encloses must be open, and the share below which it is."""
    filled_rim: float = 0.95
    filled_open: float = 0.1
    clear: float = 0.7
    beside: float = 4.0
    """The same of a wheel that is filled in part, as a line that was drawn around it leaves it; how much of what lies
    so many px around it must be open, then."""
    circles: int = 64
    wheels: int = 6
    """The most circles that are tried of each width, and the most wheels: a net has many meshes."""
    margin: int = 12
    apart: float = 0.9
    """Px around a matte that are looked at, and radii between the hubs of two wheels."""


TUNING = Tuning()


class Rim(NamedTuple):
    """Where a wheel lies, and whether some of what its rim encloses is filled, though it may be open."""

    place: Place
    filled: bool


def round_rims(matte: Values) -> list[Rim]:
    """The round rims of a matte (height, width), 0 to 1; the fullest first, and those first that are open."""
    window = window_of((matte > TUNING.there).astype(np.uint8), TUNING.margin)
    if window is None or not _has_holes(matte[window]):
        return []
    corner, matte = np.array([window[1].start, window[0].start]), np.ascontiguousarray(matte[window])
    tried = sorted(
        (_brought_to_its_rim(matte, place) for place in _circles(matte)), key=lambda pair: pair[0], reverse=True
    )
    rims: list[Rim] = []
    for filled in (False, True):
        for _, place in tried:
            apart = all(_apart(place, rim.place) for rim in rims)
            if len(rims) < TUNING.wheels and apart and _is_rim(matte, place, filled):
                rims.append(Rim(place, filled))
    return [Rim(np.column_stack([place[:, :2], place[:, 2] + corner]), filled) for place, filled in rims]


def radius_of(place: Place) -> float:
    """Px, the mean of a wheel's two."""
    return float(abs(np.linalg.det(place[:, :2])) ** 0.5)


def _has_holes(matte: Values) -> bool:
    """Whether something open is enclosed: what has no holes has no wheels."""
    _, kinship = cv2.findContours((matte > TUNING.there).astype(np.uint8), cv2.RETR_CCOMP, cv2.CHAIN_APPROX_SIMPLE)
    return kinship is not None and bool((kinship[0, :, 3] >= 0).any())


def _circles(matte: Values) -> Iterator[Place]:
    """Ellipses with upright axes, each a circle in a picture that is stretched."""
    twice = cv2.resize(matte, None, fx=2, fy=2, interpolation=cv2.INTER_CUBIC)
    for stretch in TUNING.stretches:
        shown = cv2.resize(twice, None, fx=1 / stretch, fy=1, interpolation=cv2.INTER_LINEAR)
        circles = cv2.HoughCircles(
            np.clip(shown * 255, 0, 255).astype(np.uint8), cv2.HOUGH_GRADIENT_ALT, 1.5, 2 * TUNING.least / 1.5,
            param1=TUNING.steep, param2=TUNING.perfect, minRadius=2 * TUNING.least, maxRadius=2 * TUNING.most,
        )  # fmt: skip
        for x, y, r in () if circles is None else circles[0][: TUNING.circles]:
            yield np.array([[stretch * r / 2, 0, (x * stretch - 0.5) / 2], [0, r / 2, (y - 0.5) / 2]], np.float64)


def _brought_to_its_rim(matte: Values, place: Place) -> tuple[float, Place]:
    """How full a rim is, and where that is fullest nearby: an edge's circle lies beside the rim's middle."""
    radius = place[1, 1]
    places = np.repeat(place[None], 8 * 5 * 5, axis=0)
    smaller, right, down = np.meshgrid(np.arange(-2.5, 1.01, 0.5), np.arange(-1, 1.01, 0.5), np.arange(-1, 1.01, 0.5))
    places[:, :, :2] *= ((radius + smaller.ravel()) / radius)[:, None, None]
    places[:, 0, 2] += right.ravel()
    places[:, 1, 2] += down.ravel()
    full = np.minimum(_along(matte, places, 1.0), 0.9).mean(axis=1)
    best = int(full.argmax())
    return float(full[best]), places[best]


def _is_rim(matte: Values, place: Place, filled: bool) -> bool:
    there = (_along(matte, place[None], 1.0) > TUNING.there).mean()
    inside = np.mean([_along(matte, place[None], far) for far in (0.5, 0.65, 0.8)], axis=0)
    is_open = (inside < TUNING.gap).mean()
    if not filled:
        return bool(there >= TUNING.rim and is_open >= TUNING.open)
    clear = (_along(matte, place[None], 1 + TUNING.beside / place[1, 1]) < TUNING.gap).mean()
    return bool(there >= TUNING.filled_rim and is_open >= TUNING.filled_open and clear >= TUNING.clear)


def _along(matte: Values, places: NDArray[np.float64], far: float) -> Values:
    """(n, 72) shares along circles of n places, so many radii from the hub."""
    turn = np.linspace(0, 2 * np.pi, 72, endpoint=False)
    at = places[:, :, :2] @ (far * np.stack([np.cos(turn), np.sin(turn)])) + places[:, :, 2:]
    x, y = (np.ascontiguousarray(at[:, i], np.float32) for i in (0, 1))
    return np.asarray(cv2.remap(matte, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT), np.float32)


def _apart(place: Place, other: Place) -> bool:
    away = float(np.hypot(*(place[:, 2] - other[:, 2])))
    return bool(away > TUNING.apart * max(place[1, 1], other[1, 1]))
