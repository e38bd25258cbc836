"""A source of distance at a frame: its keys, carried along as following found.

From a key made by hand each value goes as what it lies on went. Between two keys it is carried from both, and the one
gives way to the other by the ease of the earlier key, and most where following was in doubt: so a mended frame mends
its neighbours, and keys hold exactly.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np

from kalyptra.core.setup.document.distance import INFINITELY_FAR, Followable, Part, Role
from kalyptra.core.setup.geometry.planes import XY, Camera
from kalyptra.core.setup.geometry.warp import Matrix, mapped
from kalyptra.core.setup.time.keyed import mix_distance, mix_linear, mix_place

MIXES: dict[Role, Callable[[Any, Any, float], Any]] = {Role.PLACE: mix_place, Role.DISTANCE: mix_distance}
REACH = 400.0
"""Px from the middle at which the horizon is carried along."""


def values_at(source: Followable, frame: float, camera: Camera) -> dict[str, Any]:
    """All values of a source that move with it, at a frame, by their paths in it."""
    return {part.path: part_at(source, part, frame, camera) for part in source.parts}


def part_at(source: Followable, part: Part, frame: float, camera: Camera) -> Any:
    """A value of a source at a frame."""
    mix = MIXES.get(part.role, mix_linear)
    if not source.steps or part not in source.carried:
        return part.keyed.at(frame, mix)
    left, right, share = part.keyed.around(frame, source.track.clock)
    here = _carried(source, part, left.value, left.frame, frame, camera)
    return mix(here, _carried(source, part, right.value, right.frame, frame, camera), share) if share else here


def _carried(source: Followable, part: Part, value: Any, since: float, frame: float, camera: Camera) -> Any:
    """What became of a value since a key's frame."""
    motion = source.track.motion(since, frame)
    if part.role is Role.PLACE:
        return _place(motion, value)
    if part.role in (Role.LEVEL, Role.ROLL):
        return _horizon(source, part, value, since, motion, camera)
    about = next(other for other in source.parts if other.path == part.about)
    across, down = _around(motion, part_at(source, about, since, camera))
    growth = math.sqrt(max(1e-9, abs(across[0] * down[1] - across[1] * down[0])))
    if part.role is Role.LENGTH:
        return value * growth
    if part.role is Role.DISTANCE:
        return min(INFINITELY_FAR, max(0.02, value / growth))
    turn = math.radians(value)
    x, y = (math.cos(turn) * across[i] + math.sin(turn) * down[i] for i in (0, 1))
    return value + math.remainder(math.degrees(math.atan2(y, x)) - value, 360)


def _place(motion: Matrix, place: XY) -> XY:
    x, y = mapped(motion, np.array(place, float))
    return float(x), float(y)


def _around(motion: Matrix, place: XY) -> tuple[XY, XY]:
    """What a motion makes of a step to the right and a step down at a place, px a px."""
    x, y = _place(motion, place)
    right, down = _place(motion, (place[0] + 1, place[1])), _place(motion, (place[0], place[1] + 1))
    return (right[0] - x, right[1] - y), (down[0] - x, down[1] - y)


def _horizon(source: Followable, part: Part, value: float, since: float, motion: Matrix, camera: Camera) -> float:
    """A horizon's height at the middle column, or its roll, after a motion of what is far."""
    other = next(other_part for other_part in source.parts if other_part.path != part.path)
    # The roll is carried with the horizon as its keys say, the horizon with the roll as it was carried.
    if part.role is Role.ROLL:
        level, roll = other.keyed.at(since, mix_linear), value
    else:
        level, roll = value, part_at(source, other, since, camera)
    middle, turn = camera.middle[0], math.radians(roll)
    ahead = REACH * math.cos(turn), REACH * math.sin(turn)
    a = _place(motion, (middle - ahead[0], level - ahead[1]))
    b = _place(motion, (middle + ahead[0], level + ahead[1]))
    if part.role is Role.ROLL:
        now = math.degrees(math.atan2(b[1] - a[1], b[0] - a[0]))
        return roll + math.remainder(now - roll, 360)
    wide = b[0] - a[0]
    return a[1] + (b[1] - a[1]) * (middle - a[0]) / wide if abs(wide) > 1 else (a[1] + b[1]) / 2
