"""Solve the edge of a matte from the picture: closed-form matting in a band around the line, tile by tile.

Source: Levin, Lischinski and Weiss, A closed-form solution to natural image matting, PAMI 2008; PyMatting's Laplacian,
solved with its incomplete Cholesky preconditioner.
"""

from __future__ import annotations

import importlib.util
import sys
from collections.abc import Callable
from pathlib import Path
from threading import Lock
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

Matte = NDArray[np.float32]

_loading = Lock()


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the demo's clips, where no source is named."""

    tile: int = 192
    overlap: int = 16
    """Px of a tile, and of what it shares with the next one."""
    faith: float = 100.0
    """How firmly known pixels hold."""
    turns: int = 300
    close: float = 1e-05


TUNING = Tuning()


def solved_edge(picture: NDArray[np.uint8], matte: Matte, band: float) -> Matte:
    """A matte whose edge follows from the colours on either side.

    Args:
        picture: (height, width, 3) codes in 8 bits.
        matte: (height, width) 0 to 1; what is nearly 0 or 1 and further from the line than the band is taken as known.
        band: px on either side of the line.
    """
    solid = (matte > 0.5).astype(np.uint8)
    to_line = np.where(
        solid > 0, cv2.distanceTransform(solid, cv2.DIST_L2, 5), cv2.distanceTransform(1 - solid, cv2.DIST_L2, 5)
    )
    open_ = (to_line <= band) | ((matte > 0.05) & (matte < 0.95) & (to_line <= 2 * band))
    known = np.where(open_, np.float32(0.5), solid.astype(np.float32))
    out = np.where(open_, matte, known).astype(np.float32)
    height, width = matte.shape
    for top in range(0, height, TUNING.tile):
        for left in range(0, width, TUNING.tile):
            inner = slice(top, min(height, top + TUNING.tile)), slice(left, min(width, left + TUNING.tile))
            if not open_[inner].any():
                continue
            rows = slice(max(0, top - TUNING.overlap), min(height, top + TUNING.tile + TUNING.overlap))
            columns = slice(max(0, left - TUNING.overlap), min(width, left + TUNING.tile + TUNING.overlap))
            if min(rows.stop - rows.start, columns.stop - columns.start) < 4:
                continue
            part = _solve(picture[rows, columns], known[rows, columns], open_[rows, columns], matte[rows, columns])
            y, x = top - rows.start, left - columns.start
            alpha = part[y : y + inner[0].stop - top, x : x + inner[1].stop - left]
            np.copyto(out[inner], alpha, where=open_[inner])
    return out


def _solve(codes: NDArray[np.uint8], known: Matte, open_: NDArray[np.bool_], guess: Matte) -> Matte:
    """One tile: known pixels hold, the rest follows from the matting Laplacian; the guess where it has no answer."""
    from scipy.sparse import diags

    if open_.all():
        return guess
    cf_laplacian, ichol, cg = map(of_pymatting, ("laplacian.cf_laplacian", "preconditioner.ichol", "solver.cg"))
    picture = codes.astype(np.float64) / 255
    fixed = (~open_).astype(np.float64).ravel()
    try:
        matrix = cf_laplacian(picture, epsilon=1e-6, radius=1, is_known=~open_)
        matrix = (matrix + diags(TUNING.faith * fixed)).tocsc()
        right = TUNING.faith * fixed * known.astype(np.float64).ravel()
        alpha = cg(
            matrix, right, M=ichol(matrix), x0=guess.astype(np.float64).ravel(), maxiter=TUNING.turns, rtol=TUNING.close
        )
    except ValueError:
        return guess
    return np.asarray(np.clip(alpha.reshape(known.shape), 0, 1), np.float32)


def of_pymatting(place: str) -> Callable[..., Any]:
    """A function of PyMatting, by its module, which has its name.

    The package compiles all that it has when it is imported, which takes a minute on a fresh machine; a module alone
    takes 3 s.
    """
    name = f"pymatting.{place}"
    with _loading:
        if name not in sys.modules:
            package = importlib.util.find_spec("pymatting")
            assert package and package.origin
            path = Path(package.origin).parent.joinpath(*place.split(".")).with_suffix(".py")
            spec = importlib.util.spec_from_file_location(name, path)
            assert spec and spec.loader
            module = importlib.util.module_from_spec(spec)
            sys.modules[name] = module  # what was compiled names its module, and is looked for there
            try:
                spec.loader.exec_module(module)
            except BaseException:
                del sys.modules[name]
                raise
        function: Callable[..., Any] = getattr(sys.modules[name], place.rpartition(".")[2])
    return function
