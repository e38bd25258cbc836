"""What was found over frames, kept beside the setup: records of a window of frames each, named by what they hold.

In a program a field of that kind is a plain tuple. In a document it is either the list itself, or the names of its
records: `{"windows": [name, ...], "count": n, "first": frame, "last": frame}`. So a setup stays small, however long
the shot is, and resolving needs no store.
"""

from __future__ import annotations

import itertools
import json
from collections import OrderedDict
from collections.abc import Callable, Hashable, Sequence
from threading import Lock
from typing import Any, Protocol, TypeVar, cast

from pydantic import GetCoreSchemaHandler
from pydantic_core import core_schema

WINDOW = 512
"""Frames in one record: a change rewrites the records of its windows alone."""
MOST_WINDOWS = 2000
REMEMBERED = 96
"""Fields whose records are at hand, read and checked."""
T = TypeVar("T")


class Records(Protocol):
    """Where records are kept."""

    def keep_record(self, data: bytes) -> str:
        """Keep a record; its name."""
        ...

    def record(self, name: str) -> Any:
        """What a record holds.

        Raises:
            NotKept: it is not there.
        """
        ...

    def touch_record(self, name: str) -> bool:
        """Note that a record is relied on; whether it is there."""
        ...


class Recorded(tuple[T, ...]):
    """A tuple that came from records. It remembers their names, and what follows from it alone."""

    windows: tuple[str, ...] = ()
    _memory: dict[Hashable, Any]

    def remembered(self, key: Hashable, make: Callable[[], Any]) -> Any:
        if key not in self._memory:
            self._memory[key] = make()
        return self._memory[key]


def remembered(values: Sequence[Any], key: Hashable, make: Callable[[], T]) -> T:
    """What follows from a field's values alone: worked out once where they came from records."""
    return cast("T", values.remembered(key, make)) if isinstance(values, Recorded) else make()


class InRecords:
    """Marks a field of a setup, a tuple, as one that may lie in records.

    Args:
        frame: of a value, its frame; where a value has none, its place is its number.
    """

    def __init__(self, frame: Callable[[Any], int] | None) -> None:
        self._frame = frame

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> core_schema.CoreSchema:
        plain = handler(source)
        return core_schema.with_info_wrap_validator_function(
            self._read, plain, serialization=core_schema.wrap_serializer_function_ser_schema(
                self._write, schema=plain, info_arg=True
            ),
        )  # fmt: skip

    def _read(self, value: Any, plainly: Callable[[Any], Any], info: Any) -> Any:
        if isinstance(value, Recorded) or not isinstance(value, dict):
            return value if isinstance(value, Recorded) else plainly(value)
        windows = value.get("windows")
        if not isinstance(windows, list) or len(windows) > MOST_WINDOWS or not all(isinstance(w, str) for w in windows):
            raise ValueError("records are named by a list of windows")
        records: Records | None = (info.context or {}).get("records")
        if records is None:
            raise ValueError("what was found over frames lies in records, and no store of them is at hand")
        return _read_once((id(self), *windows), lambda: self._load(tuple(windows), records, plainly))

    def _load(self, windows: tuple[str, ...], records: Records, plainly: Callable[[Any], Any]) -> Recorded[Any]:
        values: list[Any] = []
        for name in windows:
            values += records.record(name)
        recorded = Recorded(plainly(values))
        recorded.windows, recorded._memory = windows, {}
        return recorded

    def _write(self, value: Any, plainly: Callable[[Any], Any], info: Any) -> Any:
        records: Records | None = (info.context or {}).get("records")
        if records is None or not value:
            return plainly(value)
        windows = value.windows if isinstance(value, Recorded) else ()
        if not windows or not all(records.touch_record(name) for name in windows):
            windows = tuple(records.keep_record(_encoded(plainly(part))) for part in self._windows(value))
        first, last = (self._number(value, i) for i in (0, len(value) - 1))
        return {"windows": list(windows), "count": len(value), "first": first, "last": last}

    def _number(self, values: Sequence[Any], i: int) -> int:
        return i if self._frame is None else int(self._frame(values[i]))

    def _windows(self, values: tuple[Any, ...]) -> list[tuple[Any, ...]]:
        parts: dict[int, list[Any]] = {}
        for i, value in enumerate(values):
            parts.setdefault(self._number(values, i) // WINDOW, []).append(value)
        return [tuple(part) for part in parts.values()]


def _encoded(values: Any) -> bytes:
    return json.dumps(values, separators=(",", ":")).encode()


_at_hand: OrderedDict[Hashable, Recorded[Any]] = OrderedDict()
_lock = Lock()


def _read_once(key: Hashable, make: Callable[[], Recorded[Any]]) -> Recorded[Any]:
    """Records never change: what was read and checked once is at hand for a while."""
    with _lock:
        if key in _at_hand:
            _at_hand.move_to_end(key)
            return _at_hand[key]
    value = make()
    with _lock:
        _at_hand[key] = value
        while len(_at_hand) > REMEMBERED:
            _at_hand.popitem(last=False)
    return value


def need_order(values: Sequence[Any], frame: Callable[[Any], int], words: str) -> None:
    """Make sure that values are in the order of their frames, one a frame.

    Raises:
        ValueError: they are not; `words` says so.
    """

    def in_order() -> bool:
        frames = [frame(value) for value in values]
        return all(a < b for a, b in itertools.pairwise(frames))

    if not remembered(values, "in order", in_order):
        raise ValueError(words)
