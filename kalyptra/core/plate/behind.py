"""The picture behind all cut-outs, and its distance, filled from what surrounds them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Self

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.transfer import to_light
from kalyptra.core.plate.detail import fill_detailed
from kalyptra.core.plate.fill import fill_in
from kalyptra.core.window import Window, window_of

HIDDEN = 0.02
"""From this coverage on, a cut-out hides the picture behind it."""
SURROUNDINGS = 0.04
"""How far around a hole its surroundings are looked at, as a share of the width."""


SEAM = 2.0
"""Px over which a known plate goes over into the picture around it."""


@dataclass(frozen=True)
class Known:
    """What is known of the picture behind.

    Attributes:
        light: (height, width, 3) linear light.
        seen: (height, width) how often each pixel was seen: 0 where it is not known or filled.
        given: (height, width) where there is something at all.
    """

    light: NDArray[np.float32]
    seen: NDArray[np.uint8]
    given: NDArray[np.bool_]

    @classmethod
    def whole(cls, codes: NDArray[Any], size: tuple[int, int], transfer: Transfer) -> Self:
        """A plate that was brought: RGBA codes, stretched over the picture, all of it known."""
        light = to_light(np.ascontiguousarray(codes[..., :3]), transfer)
        if light.shape[:2] != size:
            how = cv2.INTER_AREA if size[0] < light.shape[0] else cv2.INTER_LINEAR
            light = np.asarray(cv2.resize(light, (size[1], size[0]), interpolation=how), np.float32)
        return cls(light, np.full(size, 255, np.uint8), np.ones(size, bool))

    @classmethod
    def patch(
        cls, codes: NDArray[Any], corner: tuple[int, int], size: tuple[int, int], scale: float, transfer: Transfer
    ) -> Self:
        """A piece that was recovered: RGBA codes whose last channel is how often each pixel was seen.

        Args:
            corner: left and top of it, px of the source.
            scale: px of the picture for one px of the source.
        """
        light = np.zeros((*size, 3), np.float32)
        seen, given = np.zeros(size, np.uint8), np.zeros(size, bool)
        left, top = round(corner[0] * scale), round(corner[1] * scale)
        height, width = (max(1, round(side * scale)) for side in codes.shape[:2])
        piece, often = to_light(np.ascontiguousarray(codes[..., :3]), transfer), codes[..., 3]
        if (height, width) != codes.shape[:2]:
            piece = np.asarray(cv2.resize(piece, (width, height), interpolation=cv2.INTER_AREA), np.float32)
            often = np.asarray(cv2.resize(often, (width, height), interpolation=cv2.INTER_NEAREST))
        rows, columns = slice(top, min(size[0], top + height)), slice(left, min(size[1], left + width))
        inner = slice(0, max(0, rows.stop - top)), slice(0, max(0, columns.stop - left))
        light[rows, columns], seen[rows, columns], given[rows, columns] = piece[inner], often[inner], True
        return cls(light, seen, given)


def picture_behind(
    light: NDArray[np.float32], dioptres: NDArray[np.float32], mattes: Sequence[NDArray[np.float32]], growth: float,
    plate: Known | None = None, detailed: bool = False,
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:  # fmt: skip
    """What the cut-outs hide: as far as it is known, else filled.

    Args:
        light: (height, width, 3) linear light.
        dioptres: (height, width) 1/m.
        mattes: (height, width) each, 0 to 1.
        growth: how far beyond its matte a subject is taken to spoil the picture, px.
        plate: what is known.
        detailed: fill along lines that run into the hole, not smoothly.

    Returns:
        Light and dioptres of the plate; the inputs themselves where nothing is hidden.
    """
    if not mattes:
        return light, dioptres
    hidden = np.logical_or.reduce([matte > HIDDEN for matte in mattes]).astype(np.uint8)
    margin = round(SURROUNDINGS * light.shape[1])
    windows = [window_of((matte > HIDDEN).astype(np.uint8), margin) for matte in mattes]
    seen = [window for window in windows if window is not None]
    if not seen:
        return light, dioptres
    behind, distances = light.copy(), dioptres.copy()
    for window in seen:
        known = _known(hidden, window, growth)
        if plate is not None:
            _put_known(behind[window], plate, window, known)
            # What is not even filled there is filled here.
            rest = np.maximum(known, plate.given[window].astype(np.float32))
        else:
            rest = known
        if detailed and rest.min() < 1:
            behind[window] = fill_detailed(behind[window], rest)
        else:
            fill_in(behind[window], rest)
        least, most, _, _ = cv2.minMaxLoc(dioptres[window])
        if least < most:
            fill_in(distances[window][..., None], known)
    return behind, distances


def _put_known(light: NDArray[np.float32], plate: Known, window: Window, known: NDArray[np.float32]) -> None:
    """Lay what is known over the hole, and softly over its rim, in place."""
    away = cv2.distanceTransform((known > 0).astype(np.uint8), cv2.DIST_L2, 3)
    share = np.clip(1 - away / np.float32(SEAM), 0, 1) * plate.given[window]
    light += share[..., None].astype(np.float32) * (plate.light[window] - light)


def _known(hidden: NDArray[np.uint8], window: Window, growth: float) -> NDArray[np.float32]:
    distance: NDArray[np.float32] = cv2.distanceTransform(1 - hidden[window], cv2.DIST_L2, 5)
    return (distance > np.float32(growth)).astype(np.float32)
