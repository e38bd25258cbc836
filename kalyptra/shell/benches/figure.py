"""One measured figure, with what it should be."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from typing import Any


@dataclass(frozen=True)
class Figure:
    """A figure; `goal` is what it should at least or at most be, as `at_least` says, or None."""

    name: str
    value: float
    unit: str
    goal: float | None = None
    at_least: bool = False

    @property
    def reached(self) -> bool | None:
        if self.goal is None:
            return None
        return self.value >= self.goal if self.at_least else self.value <= self.goal

    def line(self) -> str:
        text = f"  {self.name:<62}{self.value:>9.2f} {self.unit:<8}"
        if self.goal is None:
            return text
        return f"{text}{'at least' if self.at_least else 'at most'} {self.goal:g}: {'yes' if self.reached else 'NO'}"

    def as_dict(self) -> dict[str, Any]:
        return asdict(self) | {"reached": self.reached}


def cpu_ms(work: Callable[[], object], runs: int = 9) -> float:
    """Least CPU milliseconds of a piece of work in this process, all threads, after one warm-up: what is more than the
    least is other work on the machine."""
    return cpu_ms_in_turn([work], runs)[0]


def cpu_ms_in_turn(works: Sequence[Callable[[], object]], runs: int = 9) -> list[float]:
    """The same of several, one after the other again and again, so that a machine that slows down slows all of them."""
    for work in works:
        work()
    taken: list[list[float]] = [[] for _ in works]
    for _ in range(runs):
        for work, times in zip(works, taken, strict=True):
            start = time.process_time()
            work()
            times.append((time.process_time() - start) * 1000)
    return [min(times) for times in taken]


def wall(work: Callable[[], object]) -> float:
    """Wall seconds of a piece of work."""
    start = time.perf_counter()
    work()
    return time.perf_counter() - start
