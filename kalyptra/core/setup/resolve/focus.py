"""Focus at a frame: from key to key, each at its mark's distance then and there."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable

from kalyptra.core.setup.document.focus import Focus, FocusKey, Mark
from kalyptra.core.setup.time.easing import Ease, ease_share
from kalyptra.core.setup.time.keyed import mix_linear

Away = Callable[[str, float], float | None]
"""The distance in metres of a subject at a frame; None where there is no such subject."""


def focus_at(focus: Focus, frame: float, away: Away) -> float:
    """The focus distance in metres at a frame. At a key it is exactly the key's."""
    keys, marks = focus.distance.keys, {mark.id: mark for mark in focus.marks}

    def at(key: FocusKey) -> float:
        mark = marks.get(key.mark) if key.mark else None
        return mark_at(mark, frame, away) if mark else key.value

    after = bisect_right(keys, frame, key=lambda key: key.frame)
    if after == 0:
        return at(keys[0])
    left = keys[after - 1]
    if after == len(keys) or left.frame == frame or left.ease is Ease.HOLD:
        return at(left)
    right = keys[after]
    share = ease_share(left.ease, (frame - left.frame) / (right.frame - left.frame))
    return 1 / max(1e-5, mix_linear(1 / at(left), 1 / at(right), share))


def mark_at(mark: Mark, frame: float, away: Away) -> float:
    """A mark's distance at a frame: of one on a subject, as a hand would follow it, later and smoother."""
    if mark.subject is None:
        return mark.distance
    now = frame - mark.lag
    places = [
        (1 + mark.steady - abs(by), distance)
        for by in range(-mark.steady, mark.steady + 1)
        if (distance := away(mark.subject, now + by)) is not None
    ]
    if not places:
        return mark.distance
    if len(places) == 1:
        return places[0][1]
    return sum(weight for weight, _ in places) / sum(weight / distance for weight, distance in places)
