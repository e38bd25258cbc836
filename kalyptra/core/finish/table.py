"""Colour tables: `.cube` files, one- or three-dimensional, over the codes of a picture.

OpenColorIO reads them and looks them up: in three dimensions by tetrahedra.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.transfer import code_of, light_of
from kalyptra.core.finish.curve import Curve, curve_of, through_curve

Light = NDArray[np.float32]
Table = NDArray[np.uint16]
"""(1, n, 4): a curve a channel; or (n * n, n, 4): by red, green and blue, which changes fastest; the last is full."""
FULL = 65535
LARGEST_CUBE, CURVE = 65, 4096
"""Places along a side of a cube at most, and of a curve."""


class NotATable(ValueError):
    """A file that is no colour table. The text says why."""


def read_cube(path: Path) -> Table:
    """Read a `.cube` file.

    Raises:
        NotATable: it is none.
    """
    import PyOpenColorIO

    PyOpenColorIO.ClearAllCaches()  # it knows files by their paths, and another one may lie there now
    transform = PyOpenColorIO.FileTransform(str(path), interpolation=PyOpenColorIO.INTERP_BEST)
    try:
        processor = PyOpenColorIO.Config.CreateRaw().getProcessor(transform)
    except PyOpenColorIO.Exception as error:
        words = str(error).splitlines()[0][:200]
        raise NotATable(f"this is no colour table that Kalyptra reads: {words}") from error
    sides = [
        part.getGridSize()
        for part in processor.createGroupTransform()
        if isinstance(part, PyOpenColorIO.Lut3DTransform)
    ]
    if sides:
        side = min(LARGEST_CUBE, max(sides))
        steps = np.linspace(0, 1, side, dtype=np.float32)
        values = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(-1, 3)
        shape: tuple[int, int] = (side * side, side)
    else:
        values = np.repeat(np.linspace(0, 1, CURVE, dtype=np.float32)[:, None], 3, axis=1)
        shape = (1, CURVE)
    values = np.ascontiguousarray(values)
    processor.getDefaultCPUProcessor().applyRGB(values)
    if not np.isfinite(values).all():
        raise NotATable("this colour table holds values that are no numbers")
    table = np.full((*shape, 4), FULL, np.uint16)
    table[..., :3] = np.round(np.clip(values, 0, 1).reshape(*shape, 3) * FULL)
    return table


def with_table(light: Light, table: Table, name: str, strength: float, transfer: Transfer) -> None:
    """Look colours up in a table, in place.

    Args:
        light: (height, width, 3) linear light; changed. Codes beyond 0 and 1 are looked up at the end.
        name: what the table goes by, so that it is made ready once.
        strength: of what was looked up, over what was there.
    """
    codes = np.minimum(through_curve(light, _to_code(transfer)), 1)
    padded = cv2.cvtColor(codes, cv2.COLOR_RGB2RGBA)  # with a fourth channel it is looked up four times as fast
    _ready(name, table.tobytes(), table.shape[0], table.shape[1]).applyRGBA(padded)
    looked_up = through_curve(cv2.cvtColor(padded, cv2.COLOR_RGBA2RGB), _to_light(transfer))
    light += np.float32(strength) * (looked_up - np.minimum(light, 1)) if strength < 1 else looked_up - light


@lru_cache(maxsize=4)
def _ready(name: str, data: bytes, rows: int, columns: int) -> Any:
    import PyOpenColorIO

    values = np.frombuffer(data, np.uint16).reshape(-1, 4)[:, :3].astype(np.float32) / np.float32(FULL)
    if rows == 1:
        lut: Any = PyOpenColorIO.Lut1DTransform(length=columns, inputHalfDomain=False)
    else:
        lut = PyOpenColorIO.Lut3DTransform(gridSize=columns)
        lut.setInterpolation(PyOpenColorIO.INTERP_TETRAHEDRAL)
    lut.setData(np.ascontiguousarray(values).reshape(-1))
    return PyOpenColorIO.Config.CreateRaw().getProcessor(lut).getDefaultCPUProcessor()


@lru_cache(maxsize=2)
def _to_code(transfer: Transfer) -> Curve:
    return curve_of(lambda light: code_of(light, transfer))


@lru_cache(maxsize=2)
def _to_light(transfer: Transfer) -> Curve:
    return curve_of(lambda code: light_of(np.minimum(code, 1), transfer))
