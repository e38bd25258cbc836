"""Remembers the newest results of slow work by what they were made of, so that a drag does not make them again."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Generic, TypeVar

T = TypeVar("T")


class LRU(Generic[T]):
    """Safe to use from several threads; two that ask for the same at once may both make it.

    Args:
        most: how many results are remembered.
    """

    def __init__(self, most: int) -> None:
        self._most = most
        self._held: OrderedDict[Hashable, T] = OrderedDict()
        self._lock = Lock()

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        """The result for a key, made now if it is not remembered. It must not be changed by anybody."""
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
                return self._held[key]
        made = make()
        with self._lock:
            self._held[key] = made
            while len(self._held) > self._most:
                self._held.popitem(last=False)
        return made
