"""How a value eases from one key to the next."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Literal

from pydantic import Field

from kalyptra.core.setup.frozen import Frozen


class Ease(StrEnum):
    """How a value travels from its key to the next one."""

    HOLD = "hold"
    LINEAR = "linear"
    EASED = "eased"


class Handles(Frozen):
    """A free ease: the two inner points of a unit cubic, as in the W3C's cubic-bezier(x1, y1, x2, y2)."""

    kind: Literal["handles"] = "handles"
    x1: Annotated[float, Field(ge=0, le=1)]
    y1: float
    x2: Annotated[float, Field(ge=0, le=1)]
    y2: float


EASED = Handles(x1=0.42, y1=0.0, x2=0.58, y2=1.0)


def ease_share(ease: Ease | Handles, time: float) -> float:
    """How far along a value is when `time` (0 to 1) of the way to the next key has passed.

    Source: W3C, CSS Easing Functions Level 1, cubic Bezier easing.
    """
    if ease is Ease.HOLD:
        return 0.0
    if ease is Ease.LINEAR:
        return time
    curve = ease if isinstance(ease, Handles) else EASED
    return _cubic(curve.y1, curve.y2, _parameter(curve, time))


def _cubic(first: float, second: float, u: float) -> float:
    """A unit cubic from 0 to 1 with two inner values, at its parameter u."""
    v = 1.0 - u
    return 3.0 * v * v * u * first + 3.0 * v * u * u * second + u * u * u


def _parameter(curve: Handles, time: float) -> float:
    """The parameter at which the curve's x equals time; x never falls, so halving always finds it."""
    low, high = 0.0, 1.0
    for _ in range(48):
        middle = (low + high) / 2
        if _cubic(curve.x1, curve.x2, middle) < time:
            low = middle
        else:
            high = middle
    return (low + high) / 2
