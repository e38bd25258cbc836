"""The picture behind all cut-outs, and its distance, filled from what surrounds them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple, Self

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.transfer import to_light
from kalyptra.core.plate.detail import fill_detailed
from kalyptra.core.pull_push import fill_in
from kalyptra.core.window import Window, window_of

HIDDEN = 0.02
"""From this coverage on, a cut-out hides the picture behind it."""


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the demo's clips, where no source is named."""

    surroundings: float = 0.04
    """How far around a hole its surroundings are looked at, as a share of the width."""
    same_distance: float = 0.05
    """The share of a cut-out's dioptres by which something must be nearer to be in front of it."""
    seam: float = 2.0
    """Px over which a known plate goes over into the picture around it."""


TUNING = Tuning()


@dataclass(frozen=True)
class KnownPlate:
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


def clean_plate(
    light: NDArray[np.float32], dioptres: NDArray[np.float32], mattes: Sequence[NDArray[np.float32]], growth: float,
    plate: KnownPlate | None = None, detailed: bool = False, nearest: Sequence[float] = (),
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:  # fmt: skip
    """What the cut-outs hide: as far as it is known, else filled.

    Args:
        light: (height, width, 3) linear light.
        dioptres: (height, width) 1/m.
        mattes: (height, width) each, 0 to 1.
        growth: how far beyond its matte a subject is taken to spoil the picture, px.
        plate: what is known.
        detailed: fill along lines that run into the hole, not smoothly.
        nearest: of each cut-out, 1/m: what lies nearer than that is in front of it, and is not filled from.

    Returns:
        Light and dioptres of the plate; the inputs themselves where nothing is hidden.
    """
    if not mattes:
        return light, dioptres
    hidden = np.logical_or.reduce([matte > HIDDEN for matte in mattes]).astype(np.uint8)
    margin = round(TUNING.surroundings * light.shape[1])
    windows = [window_of((matte > HIDDEN).astype(np.uint8), margin) for matte in mattes]
    limits = [*nearest, *[np.inf] * (len(mattes) - len(nearest))]
    seen = [(window, limit) for window, limit in zip(windows, limits, strict=True) if window is not None]
    if not seen:
        return light, dioptres
    behind, distances = light.copy(), dioptres.copy()
    for window, limit in seen:
        known = _known(hidden, window, growth)
        if plate is not None:
            _put_known(behind[window], plate, window, known)
            # What is not even filled there is filled here.
            rest = np.maximum(known, plate.given[window].astype(np.float32))
        else:
            rest = known
        least, most, _, _ = cv2.minMaxLoc(dioptres[window])
        in_front = dioptres[window] > np.float32(limit * (1 + TUNING.same_distance)) if most > limit else None
        _fill_from(behind[window], rest, in_front, detailed)
        if least < most:
            _fill_from(distances[window][..., None], known, in_front, False)
    return behind, distances


def _fill_from(
    values: NDArray[np.float32], known: NDArray[np.float32], in_front: NDArray[np.bool_] | None, detailed: bool
) -> None:
    """Fill what is not known, in place, from what is known and not in front; that itself stays as it is."""
    if detailed and known.min() < 1:
        values[:] = fill_detailed(values, known)
        return
    if in_front is None:
        fill_in(values, known)
        return
    filled = values.copy()
    fill_in(filled, np.where(in_front, np.float32(0), known))
    np.copyto(values, filled, where=(known < 1)[..., None])


def _put_known(light: NDArray[np.float32], plate: KnownPlate, window: Window, known: NDArray[np.float32]) -> None:
    """Lay what is known over the hole, and softly over its rim, in place."""
    away = cv2.distanceTransform((known > 0).astype(np.uint8), cv2.DIST_L2, 3)
    share = np.clip(1 - away / np.float32(TUNING.seam), 0, 1) * plate.given[window]
    light += share[..., None].astype(np.float32) * (plate.light[window] - light)


def _known(hidden: NDArray[np.uint8], window: Window, growth: float) -> NDArray[np.float32]:
    distance: NDArray[np.float32] = cv2.distanceTransform(1 - hidden[window], cv2.DIST_L2, 5)
    return (distance > np.float32(growth)).astype(np.float32)
