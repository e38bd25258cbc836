"""A clip that an earlier test probed or made a proxy of is not opened again: most tests have the same one."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import ExitStack
from hashlib import sha256
from pathlib import Path
from typing import Any
from unittest import mock

from kalyptra.core import ClipFacts, Rate, make_proxy
from kalyptra.core import probe as probe_file

Proxy = tuple[ClipFacts, tuple[int, ...], bytes, bytes]

_facts: dict[tuple[Any, ...], ClipFacts] = {}
_proxies: dict[tuple[Any, ...], Proxy] = {}


def remembering() -> ExitStack:
    """Footage is prepared in earnest once in this process, and remembered."""
    stack = ExitStack()
    stack.enter_context(mock.patch("kalyptra.library.footage.probe", _probe))
    stack.enter_context(mock.patch("kalyptra.work.preparing.make_proxy", _proxy))
    return stack


def _probe(path: Path, rate: Rate, shorten_gaps: bool = False) -> ClipFacts:
    key = (_digest(path), rate, shorten_gaps)
    if key not in _facts:
        _facts[key] = probe_file(path, rate, shorten_gaps)
    return _facts[key]


def _proxy(
    path: Path, facts: ClipFacts, proxy: Path, poster: Path, on_progress: Callable[[dict[str, Any]], bool],
    go_on: Callable[[], bool] | None = None, pictures: Path | None = None,
) -> tuple[ClipFacts, tuple[int, ...]]:  # fmt: skip
    key = (_digest(path), facts)
    if key not in _proxies:
        own, damaged = make_proxy(path, facts, proxy, poster, on_progress, go_on)
        _proxies[key] = own, damaged, proxy.read_bytes(), poster.read_bytes()
    own, damaged, moving, still = _proxies[key]
    proxy.write_bytes(moving)
    poster.write_bytes(still)
    return own, damaged


def _digest(path: Path) -> str:
    return sha256(path.read_bytes()).hexdigest()
