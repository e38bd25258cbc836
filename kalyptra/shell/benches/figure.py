"""One measured figure, with what it should be."""

from __future__ import annotations

import time
from collections.abc import Callable
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
    work()
    taken = []
    for _ in range(runs):
        start = time.process_time()
        work()
        taken.append((time.process_time() - start) * 1000)
    return min(taken)


def wall(work: Callable[[], object]) -> float:
    """Wall seconds of a piece of work."""
    start = time.perf_counter()
    work()
    return time.perf_counter() - start
