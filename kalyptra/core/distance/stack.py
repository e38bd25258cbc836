"""The distance map: sources laid one over the other, then zones; per pixel, in dioptres (1/m)."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled
from kalyptra.core.distance.along import draw, drawing_of
from kalyptra.core.distance.imported import ImportedDistances
from kalyptra.core.distance.toned import Toned, toned
from kalyptra.core.setup.document.distance import Stacking
from kalyptra.core.setup.geometry.planes import PlaneAt
from kalyptra.core.setup.resolve.source import BandAt, LineAt, RoundAt

ROWS = 32
"""Rows that are worked on at once, so that they stay in the processor's cache."""
CODES = {Stacking.REPLACES: 0, Stacking.NEARER: 1, Stacking.FARTHER: 2}


@dataclass(frozen=True)
class Layer:
    """What one source lays over those before it.

    Attributes:
        shape: how far away it is.
        region: (height, width) where it holds, 0 to 1; None for everywhere.
        outside: it holds where the region is not.
        curve: what becomes of its distances.
    """

    shape: PlaneAt | LineAt | RoundAt | BandAt | ImportedDistances
    joins: Stacking = Stacking.REPLACES
    strength: float = 1.0
    region: NDArray[np.float32] | None = None
    outside: bool = False
    curve: Toned | None = None


def stack(size: tuple[int, int], scale: float, layers: Sequence[Layer]) -> NDArray[np.float32]:
    """Lay sources one over the other; where a source holds in part, distances are mixed in dioptres.

    Args:
        size: (height, width) in px.
        scale: px of the picture for one px of the source.
        layers: in their order; under the first all is infinitely far.

    Returns:
        (height, width) float32, 1/m.
    """
    out = np.zeros(size, np.float32)
    layers = layers[_seen_from(layers) :]
    values = np.empty((min(ROWS, size[0]), size[1]), np.float32)
    drawn = [
        (layer, None if isinstance(layer.shape, ImportedDistances) else drawing_of(layer.shape, scale), _shares(layer))
        for layer in layers
    ]
    for top in range(0, size[0], ROWS):
        rows = out[top : top + ROWS]
        for layer, drawing, (always, inside) in drawn:
            region = rows if layer.region is None else layer.region[top : top + ROWS]
            if drawing is not None:
                laid = values[: rows.shape[0]]
                draw(drawing, top, laid)
                known = laid
            else:
                assert isinstance(layer.shape, ImportedDistances)
                laid, known = layer.shape.dioptres[top : top + ROWS], layer.shape.given[top : top + ROWS]
            if layer.curve is not None:
                laid = toned(laid, layer.curve)
            _join(rows, laid, known, drawing is None, region, CODES[layer.joins], always, inside)
    return out


def _seen_from(layers: Sequence[Layer]) -> int:
    """The first source that can be seen: one that replaces all before it hides them."""
    for i in range(len(layers) - 1, -1, -1):
        layer = layers[i]
        whole = layer.region is None and not isinstance(layer.shape, ImportedDistances)
        if whole and layer.joins is Stacking.REPLACES and layer.strength >= 1:
            return i
    return 0


def _shares(layer: Layer) -> tuple[np.float32, np.float32]:
    """How much a source counts everywhere, and how much more within its region."""
    strength = np.float32(layer.strength)
    if layer.region is None:
        return strength, np.float32(0)
    return (strength, -strength) if layer.outside else (np.float32(0), strength)


@compiled
def _join(rows, laid, known, partly, region, joins, always, inside):  # type: ignore[no-untyped-def]
    for j in range(rows.shape[0]):
        for i in range(rows.shape[1]):
            before, value = rows[j, i], laid[j, i]
            if joins == 1:
                value = max(before, value)
            elif joins == 2:
                value = min(before, value)
            share = always
            if inside != np.float32(0):
                share += inside * region[j, i]
            if partly:
                share *= known[j, i]
            rows[j, i] = before + share * (value - before)


def with_zones(dioptres: NDArray[np.float32], zones: Iterable[tuple[NDArray[np.float32], float]]) -> None:
    """Lay zones over a map, in place: for each its matte (height, width) and its distance in metres."""
    for matte, distance in zones:
        dioptres += matte * (np.float32(1.0 / distance) - dioptres)
