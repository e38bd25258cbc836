"""Dioptres along a way as pieces of cubics: what stops and bands come to.

Straight between stops, or smoothly: monotone cubics that never overshoot a stop.
Source: F. N. Fritsch and J. Butland, A Method for Constructing Local Monotone Piecewise Cubic Interpolants (1984), as
SciPy has it.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.setup.resolve.source import BandAt, StopsAt

Pieces = NDArray[np.float64]
"""(pieces, 6): where a piece begins, one over its length, and four coefficients, lowest power first, of a cubic over
0 to 1 within it. The first begins at minus infinity and the last ends at infinity; both are constant."""


def of_stops(stops: StopsAt) -> Pieces:
    """Pieces over the way from 0 to 1."""
    at, values = np.array(stops.at), np.array(stops.dioptres)
    if len(at) == 1:
        return _held([], float(values[0]), float(values[0]), 0.0)
    slopes = _slopes(at, values) if stops.smooth else None
    inner = []
    for i in range(len(at) - 1):
        long, rise = at[i + 1] - at[i], values[i + 1] - values[i]
        if slopes is None:
            inner.append((at[i], 1 / long, values[i], rise, 0.0, 0.0))
        else:
            first, last = slopes[i] * long, slopes[i + 1] * long
            inner.append((at[i], 1 / long, values[i], first, 3 * rise - 2 * first - last, first + last - 2 * rise))
    return _held(inner, float(values[0]), float(values[-1]), float(at[-1]))


def _slopes(at: NDArray[np.float64], values: NDArray[np.float64]) -> NDArray[np.float64]:
    # Imported here: it takes half a second, and most processes of ours never need it.
    from scipy.interpolate import PchipInterpolator

    return np.asarray(PchipInterpolator(at, values).derivative()(at))


def of_band(band: BandAt) -> Pieces:
    """Pieces over px from the middle of the band towards its near side."""
    half = band.width / 2
    d, reach = band.dioptres, band.reach
    ramp = (0.0, 3.0, -2.0) if band.smooth else (1.0, 0.0, 0.0)  # shares of the reach: smoothstep, or straight
    falling = _ramp(-half - band.fall_far, band.fall_far, d - reach, reach, ramp)
    rising = _ramp(half, band.fall_near, d, reach, ramp)
    return _held([falling, (-half, 0.0, d, 0.0, 0.0, 0.0), rising], d - reach, d + reach, half + band.fall_near)


def _ramp(start: float, long: float, value: float, rise: float, shape: tuple[float, ...]) -> tuple[float, ...]:
    return (start, 1 / long, value, *(rise * place for place in shape))


def _held(inner: Sequence[tuple[float, ...]], before: float, after: float, end: float) -> Pieces:
    first = (-np.inf, 0.0, before, 0.0, 0.0, 0.0)
    last = (end, 0.0, after, 0.0, 0.0, 0.0)
    return np.array([first, *inner, last])
