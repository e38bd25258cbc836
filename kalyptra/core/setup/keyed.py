"""Values over time: keys, and how a value eases from one key to the next."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable
from enum import StrEnum
from itertools import pairwise
from typing import Annotated, Any, Generic, Literal, Self, TypeVar, cast

from pydantic import BaseModel, ConfigDict, Field, model_validator

T = TypeVar("T")


class Frozen(BaseModel):
    """Base of everything in a setup: immutable, strict about unknown fields, finite numbers only."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


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


class Key(Frozen, Generic[T]):
    """A value at a frame, and the ease from here to the next key."""

    frame: Annotated[int, Field(ge=0, le=10_000_000)]
    value: T
    ease: Ease | Handles = Ease.EASED


def mix_linear(a: float, b: float, share: float) -> float:
    return a + (b - a) * share


def mix_distance(a: float, b: float, share: float) -> float:
    """Mix two distances in metres the way light does: in dioptres (1/m)."""
    return 1.0 / mix_linear(1.0 / a, 1.0 / b, share)


class Keyed(Frozen, Generic[T]):
    """A value over time: one key or more, in the order of their frames."""

    keys: Annotated[tuple[Key[T], ...], Field(min_length=1, max_length=100_000)]

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        frames = [key.frame for key in self.keys]
        if any(a >= b for a, b in pairwise(frames)):
            raise ValueError("keys must be in the order of their frames, one a frame")
        return self

    def at(self, frame: float, mix: Callable[[T, T, float], T]) -> T:
        """The value at a frame: exactly the key's at a key, the nearest key's outside the keys.

        Args:
            frame: a frame number; need not be whole.
            mix: mixes two values; its third argument is the second one's share, 0 to 1 for every ease
                that does not overshoot.
        """
        left, right, share = self.around(frame)
        return mix(left.value, right.value, share) if share else left.value

    def around(
        self, frame: float, clock: Callable[[float, float, float], float] | None = None
    ) -> tuple[Key[T], Key[T], float]:
        """The keys before and after a frame, and the second one's share; at a key or outside all, one twice and 0.

        Args:
            clock: of two frames and one between them, which share of the time has passed; even without it.
        """
        after = bisect_right(self.keys, frame, key=lambda key: key.frame)
        if after == 0:
            return self.keys[0], self.keys[0], 0.0
        left = self.keys[after - 1]
        if after == len(self.keys) or left.frame == frame or left.ease is Ease.HOLD:
            return left, left, 0.0
        right = self.keys[after]
        passed = (clock or _even)(left.frame, right.frame, frame)
        return left, right, ease_share(left.ease, passed)


def _even(start: float, end: float, now: float) -> float:
    return (now - start) / (end - start)


def mix_place(a: tuple[float, float], b: tuple[float, float], share: float) -> tuple[float, float]:
    return mix_linear(a[0], b[0], share), mix_linear(a[1], b[1], share)


def constant(value: T, of: Any = None) -> Keyed[T]:
    """A value that stays: one key at frame 0.

    Args:
        of: its class as a document has it, where that is not its own.
    """
    kind: Any = of or type(value)  # the same class that a document with this value is read as
    return cast("Keyed[T]", Keyed[kind](keys=(Key[kind](frame=0, value=value),)))


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
