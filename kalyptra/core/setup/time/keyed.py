"""Values over time: keys, and the value between two of them."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable
from itertools import pairwise
from typing import Annotated, Any, Generic, Self, TypeVar, cast

from pydantic import Field, model_validator

from kalyptra.core.setup.frozen import Frozen
from kalyptra.core.setup.time.easing import Ease, Handles, ease_share

T = TypeVar("T")


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


def mix_of(name: str, value: Any) -> Callable[[Any, Any, float], Any]:
    """How values of a name are mixed: distances as light does it, places each way, all others evenly."""
    if isinstance(value, tuple):
        return mix_place
    return mix_distance if name in ("distance", "near", "far") else mix_linear


def constant(value: T, of: Any = None) -> Keyed[T]:
    """A value that stays: one key at frame 0.

    Args:
        of: its class as a document has it, where that is not its own.
    """
    kind: Any = of or type(value)  # the same class that a document with this value is read as
    return cast("Keyed[T]", Keyed[kind](keys=(Key[kind](frame=0, value=value),)))
