"""How far away a subject is that stands on a ground: the ground's distance where its foot is, steadied over frames.

The steadied way is a straight line fitted to the dioptres of the frames around, nearer ones counting more.
Source: W. S. Cleveland, Robust locally weighted regression and smoothing scatterplots, Journal of the American
Statistical Association 74, 1979: its weights.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Sequence

import numpy as np

from kalyptra.core.setup.document.distance import Standing
from kalyptra.core.setup.time.keyed import mix_distance, mix_linear

FEW = 8
"""Feet on either side that a steadied distance is made of at least."""
LEAST = 1e-4
"""Dioptres of what is as good as infinitely far: a foot above the horizon says nothing."""


def standing_at(standing: Standing, frame: float, under: Sequence[float]) -> float | None:
    """The distance in metres at a frame.

    Args:
        under: dioptres of the ground under each foot.

    Returns:
        None where no foot is known.
    """
    ground = _steadied(standing, frame, under)
    by_hand = standing.by_hand
    if by_hand is None:
        return 1 / ground if ground is not None else None
    left, right, share = by_hand.around(frame)
    if ground is None:
        return by_hand.at(frame, mix_distance)
    amiss = []
    for key in (left, right):
        seen = _steadied(standing, key.frame, under)
        amiss.append(1 / key.value - (ground if seen is None else seen))
    return 1 / max(LEAST, ground + mix_linear(amiss[0], amiss[1], share))


def _steadied(standing: Standing, frame: float, under: Sequence[float]) -> float | None:
    """Dioptres at a frame by the feet around it."""
    feet = standing.feet
    if not feet:
        return None
    at = bisect_left(feet, frame, key=lambda foot: foot[0])
    low = bisect_left(feet, frame - standing.steady, key=lambda foot: foot[0])
    high = bisect_right(feet, frame + standing.steady, key=lambda foot: foot[0])
    if standing.steady:  # where few were seen near by, those before and after speak for it
        low, high = max(0, min(low, at - FEW)), min(len(feet), max(high, at + FEW))
    elif low == high:
        low, high = max(0, min(at - 1, len(feet) - 2)), min(len(feet), max(at + 1, 2))
    known = [(feet[i][0] - frame, under[i]) for i in range(low, high) if under[i] > LEAST]
    if len(known) < 3:
        return float(np.interp(0.0, [time for time, _ in known], [value for _, value in known])) if known else None
    spread = max(standing.steady, *(abs(time) for time, _ in known)) + 1.0
    # A line by weighted least squares; a few numbers are quicker in plain arithmetic.
    weights = [(1 - (abs(time) / spread) ** 3) ** 3 for time, _ in known]
    total = sum(weights)
    middle = sum(weight * time for weight, (time, _) in zip(weights, known, strict=True)) / total
    mean = sum(weight * value for weight, (_, value) in zip(weights, known, strict=True)) / total
    across = sum(weight * (time - middle) ** 2 for weight, (time, _) in zip(weights, known, strict=True))
    along = sum(w * (time - middle) * (value - mean) for w, (time, value) in zip(weights, known, strict=True))
    return max(LEAST, mean - middle * along / across)
