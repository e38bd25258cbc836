"""Retiming: which frames of the clip each rendered frame shows, at a speed that may change (a speed ramp)."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from math import ceil, floor

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.transfer import to_codes, to_light
from kalyptra.core.setup.resolve.finish import Timing

Codes = NDArray[np.uint8]
Taps = tuple[tuple[int, float], ...]
"""Frames of the clip and how much of each is seen; the weights add up to 1."""
LEAST = 1e-6
"""A weight below this is rounding."""


def starts_of(timing: Timing) -> NDArray[np.float64]:
    """(frames + 1,) when each frame of the range begins, and when the last one ends, in rendered frames."""
    return np.concatenate([[0.0], np.cumsum(1 / np.asarray(timing.speeds))])


def rendered_frames(timing: Timing) -> int:
    """How many frames are rendered."""
    return max(1, round(float(starts_of(timing)[-1])))


def taps_of(timing: Timing) -> list[Taps]:
    """For each rendered frame what it shows.

    Mixed frames are weighed by a tent as wide as what passes between two rendered frames, at least from one frame to
    the next: linear interpolation where it is slow, an average against strobing where it is fast.
    """
    starts = starts_of(timing)
    places = np.interp(np.arange(rendered_frames(timing)), starts, timing.first + np.arange(len(starts)))
    return [_taps_at(timing, min(float(place), timing.last)) for place in places]


def _taps_at(timing: Timing, place: float) -> Taps:
    first, last = timing.first, timing.last
    if not timing.mixes:
        return ((min(last, floor(place + 0.5)), 1.0),)
    reach = max(1.0, timing.speeds[int(place) - first])
    frames = range(max(first, floor(place - reach) + 1), min(last, ceil(place + reach) - 1) + 1)
    weights = {frame: 1 - abs(frame - place) / reach for frame in frames}
    whole = sum(weights.values())
    return tuple((frame, weight / whole) for frame, weight in weights.items() if weight > LEAST * whole)


def frames_of(taps: Iterable[Taps]) -> list[int]:
    """The frames that are needed, in their order."""
    return sorted({frame for each in taps for frame, _ in each})


def retimed(pictures: Iterable[Codes], taps: list[Taps], transfer: Transfer) -> Iterator[Codes]:
    """Rendered frames out of the clip's; mixed in linear light.

    Args:
        pictures: those of `frames_of(taps)`, in their order.
    """
    frames, coming = iter(frames_of(taps)), iter(pictures)
    at_hand: dict[int, Codes] = {}
    # What a mix reaches back to may lie before what the one before it began with, where the speed rises.
    still = np.minimum.accumulate([each[0][0] for each in reversed(taps)])[::-1]
    for each, oldest in zip(taps, still, strict=True):
        while each[-1][0] not in at_hand:
            at_hand[next(frames)] = next(coming)
        at_hand = {frame: codes for frame, codes in at_hand.items() if frame >= oldest}
        if len(each) == 1:
            yield at_hand[each[0][0]]
            continue
        light = sum((np.float32(weight) * to_light(at_hand[frame], transfer) for frame, weight in each), np.float32(0))
        yield to_codes(np.asarray(light, np.float32), transfer)
