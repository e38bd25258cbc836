"""A pull that was performed by hand: freed of tremor, and fitted to few keys.

Sources: A. Savitzky and M. J. E. Golay, Smoothing and Differentiation of Data (1964), in SciPy; the splitting is that
of P. J. Schneider, An Algorithm for Automatically Fitting Digitized Curves (Graphics Gems, 1990), over time.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.setup.document.focus import FocusKey
from kalyptra.core.setup.time.easing import Ease, Handles

TREMOR_SECONDS = 0.36
"""What a hand does within less than this is tremor (common practice, no source)."""
THIRD = 1 / 3
FLAT = 1e-9


@dataclass(frozen=True)
class Fitted:
    """Keys, and by how many dioptres they are off the cleaned recording at most."""

    keys: tuple[FocusKey, ...]
    error: float


def cleaned(samples: Sequence[tuple[float, float]], rate: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """A recording, one value a frame, without tremor.

    Args:
        samples: frames and metres, in the order of time; several may fall on a frame, and frames may be missing.
        rate: frames a second.

    Returns:
        Frames, and dioptres there.

    Raises:
        ValueError: there are fewer than two frames.
    """
    table = np.array([(frame, 1 / distance) for frame, distance in samples], float).reshape(-1, 2)
    whole = np.unique(np.round(table[:, 0]))
    if len(whole) < 2:
        raise ValueError("a recording has at least two frames")
    frames = np.arange(whole[0], whole[-1] + 1)
    order = np.argsort(table[:, 0], kind="stable")
    dioptres = np.interp(frames, table[order, 0], table[order, 1])
    window = 2 * round(rate * TREMOR_SECONDS / 2) + 1
    if len(frames) > window > 3:
        from scipy.signal import savgol_filter  # here: it takes half a second, and most processes never need it

        dioptres = savgol_filter(dioptres, window, 2, mode="interp")
    return frames, np.maximum(dioptres, 1e-5)


def fit_keys(frames: NDArray[np.float64], dioptres: NDArray[np.float64], tolerance: float) -> Fitted:
    """As few keys as stay within `tolerance` dioptres of a curve.

    Between two keys 1/z is a cubic in time, which a key's handles can say.
    """
    keys: list[FocusKey] = []
    worst = 0.0

    def split(first: int, last: int) -> None:
        nonlocal worst
        ease, error, at = _piece(frames[first : last + 1], dioptres[first : last + 1])
        if error > tolerance and last - first > 1:
            split(first, first + at)
            split(first + at, last)
            return
        worst = max(worst, error)
        keys.append(_key(frames[first], dioptres[first], ease))

    split(0, len(frames) - 1)
    keys.append(_key(frames[-1], dioptres[-1], Ease.HOLD))
    return Fitted(tuple(keys), worst)


def _piece(t: NDArray[np.float64], d: NDArray[np.float64]) -> tuple[Ease | Handles, float, int]:
    """The best ease over a piece, how far it is off at most, and where that is."""
    rise = d[-1] - d[0]
    u = (t - t[0]) / (t[-1] - t[0])
    if len(t) == 2:
        return Ease.LINEAR, 0.0, 1
    choices: list[tuple[Ease | Handles, NDArray[np.float64]]] = [(Ease.LINEAR, d[0] + rise * u)]
    if abs(rise) > FLAT:
        v = 1 - u
        basis = np.stack([3 * v * v * u, 3 * v * u * u], axis=1)
        inner = np.linalg.lstsq(basis, (d - d[0]) / rise - u**3, rcond=None)[0]
        handles = Handles(x1=THIRD, y1=float(inner[0]), x2=2 * THIRD, y2=float(inner[1]))
        choices.append((handles, d[0] + rise * (basis @ inner + u**3)))
    errors = [np.abs(fit - d) for _, fit in choices]
    best = min(range(len(choices)), key=lambda i: float(errors[i].max()))
    at = int(np.clip(np.argmax(errors[best]), 1, len(t) - 2))
    return choices[best][0], float(errors[best].max()), at


def _key(frame: float, dioptres: float, ease: Ease | Handles) -> FocusKey:
    return FocusKey(frame=int(frame), value=float(1 / dioptres), ease=ease)
