"""The matte of drawn outlines: coverage, feather, growth, and how outlines join."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled
from kalyptra.core.matte.coverage import coverage
from kalyptra.core.matte.distance_field import PIECE, distance_field
from kalyptra.core.matte.polyline import bounds, pieces_of
from kalyptra.core.matte.refine import grown
from kalyptra.core.setup.document.outline import Joins
from kalyptra.core.setup.document.setup import Profile, Refine
from kalyptra.core.setup.geometry.border import rings_of
from kalyptra.core.setup.geometry.curve import Curve
from kalyptra.core.setup.resolve.outline import OutlineAt
from kalyptra.core.window import Window

Matte = NDArray[np.float32]

_PROFILES = {Profile.EVEN: 0, Profile.SMOOTH: 1, Profile.LATE: 2}


def drawn_matte(outlines: Sequence[OutlineAt], refine: Refine, size: tuple[int, int], scale: float) -> Matte:
    """Coverage of outlines, each acting on those before it.

    Outlines join as independent coverages do. Source: Porter and Duff, Compositing digital images, SIGGRAPH 1984.

    Args:
        outlines: px of the full-size source. What was followed of one's region counts in the place of its line, without
            the points' own feathers.
        refine: grow, feather (px of the full-size source), profile and invert.
        size: (height, width) of the matte in px.
        scale: px of the matte for one px of the source.

    Returns:
        (height, width) float32, 0 to 1, anti-aliased.
    """
    whole = np.zeros(size, np.float32)
    for i, outline in enumerate(outlines):
        if outline.border is None:
            window, part = _part(np.array(outline.rows) * scale, refine, size, scale)
        else:
            window, part = _region(outline.border, refine, size, scale)
        under = whole[window]
        if i == 0 or outline.joins is Joins.ADD:  # the first has nothing to act on
            under += part - under * part
        elif outline.joins is Joins.TAKE_AWAY:
            under *= 1 - part
        else:
            inside = under * part
            whole = np.zeros(size, np.float32)
            whole[window] = inside
    return 1 - whole if refine.invert else whole


def outline_matte(rows: NDArray[np.float64], refine: Refine, size: tuple[int, int], scale: float = 1.0) -> Matte:
    """Coverage of one outline; `rows` as in `pieces_of`, in px of the matte.

    Without feather and growth it is exact. A feather ramps along the distance from the grown line, from 1 at the
    feather inwards to 0 at the feather outwards; each point adds its own to the subject's.
    """
    matte = np.zeros(size, np.float32)
    window, part = _part(rows, refine, size, scale)
    matte[window] = part
    return matte


def curve_matte(curve: Curve, refine: Refine, size: tuple[int, int], scale: float) -> Matte:
    """Coverage of one curve in px of the full-size source; the rest as in `drawn_matte`."""
    rows = curve.rows.copy()
    rows[:, :6] *= scale
    return outline_matte(rows, refine, size, scale)


def _part(rows: NDArray[np.float64], refine: Refine, size: tuple[int, int], scale: float) -> tuple[Window, Matte]:
    """The window of a matte that an outline touches, and its coverage there."""
    grow, inwards, outwards = refine.grow * scale, refine.feather_in * scale, refine.feather_out * scale
    own_in, own_out = float(rows[:, 6].max()), float(rows[:, 7].max())
    plain = grow == 0 and inwards + outwards + own_in + own_out == 0
    reach = 0.0 if plain else max(grow + outwards + own_out, inwards + own_in - grow) + 1
    pieces = pieces_of(rows, 1e9 if plain else PIECE)
    left, top, right, bottom = bounds(pieces)
    margin = int(reach) + 2
    seen = _within((top - margin, bottom + margin), size[0]), _within((left - margin, right + margin), size[1])
    window = slice(*seen[0]), slice(*seen[1])
    height, width = seen[0][1] - seen[0][0], seen[1][1] - seen[1][0]
    if plain or height * width == 0:
        return window, coverage([pieces], (seen[1][0], seen[0][0]), (height, width))
    # The line may leave the picture and still lie within reach of it.
    origin = (max(left - margin, -margin), max(top - margin, -margin))
    end = (min(right + margin, size[1] + margin), min(bottom + margin, size[0] + margin))
    extent = (end[1] - origin[1], end[0] - origin[0])
    y, x = seen[0][0] - origin[1], seen[1][0] - origin[0]
    inside = coverage([pieces], (seen[1][0], seen[0][0]), (height, width))
    # Only what is seen is worked out: a wide feather reaches far beyond the picture.
    distance, own = distance_field(pieces, origin, extent, reach, (slice(y, y + height), slice(x, x + width)))
    made = np.empty((height, width), np.float32)
    _ramp(made, inside, distance, own, grow, inwards, outwards, _PROFILES[refine.profile])
    return window, made


def _region(border: str, refine: Refine, size: tuple[int, int], scale: float) -> tuple[Window, Matte]:
    """The window of a matte that a region touches, and its coverage there."""
    rings = [ring * scale for ring in rings_of(border)]
    window: Window = (slice(0, 0), slice(0, 0))
    if rings:
        reach = math.ceil(max(refine.grow + refine.feather_out, 0) * scale) + 1
        left, top, right, bottom = bounds(np.concatenate(rings))
        rows, columns = _within((top - reach, bottom + reach), size[0]), _within((left - reach, right + reach), size[1])
        window = slice(*rows), slice(*columns)
    origin, extent = (
        (window[1].start, window[0].start),
        (window[0].stop - window[0].start, window[1].stop - window[1].start),
    )
    if 0 in extent:
        return window, np.zeros(extent, np.float32)
    return window, grown(coverage(rings, origin, extent), refine, scale)


def _within(span: tuple[int, int], length: int) -> tuple[int, int]:
    low = min(max(0, span[0]), length)
    return low, min(length, max(low, span[1]))


@compiled
def _ramp(out, inside, distance, own, grow, inwards, outwards, profile):  # type: ignore[no-untyped-def]
    for row in range(out.shape[0]):
        for column in range(out.shape[1]):
            signed = -distance[row, column] if inside[row, column] > 0.5 else distance[row, column]
            low, high = inwards + own[row, column, 0], outwards + own[row, column, 1]
            feathered = low + high > 1.0
            if not feathered:  # one pixel of ramp at least: that is the edge's anti-aliasing
                low, high = low + (1.0 - low - high) / 2, high + (1.0 - low - high) / 2
            t = min(max((high - (signed - grow)) / (low + high), 0.0), 1.0)
            if feathered and profile == 1:
                t = t * t * (3 - 2 * t)
            elif feathered and profile == 2:
                t = t * t
            out[row, column] = t
