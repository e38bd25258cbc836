"""Rendered pictures on disk, by what they show. Bounded in size; any file of it may be deleted at any time."""

from __future__ import annotations

import os
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path

from kalyptra.library import room
from kalyptra.library.files import keep_within

SWEEP_EVERY = 30.0
"""Seconds between two looks at the size."""


class FrameCache:
    """A folder of files named after their contents' key.

    Args:
        folder: made when it is missing.
        limit: bytes; when more lie there, those that were used least lately go first.
    """

    def __init__(self, folder: Path, limit: int) -> None:
        self._folder, self._limit = folder, limit
        self._swept = 0.0
        self._sweeping = threading.Lock()

    def get(self, key: str, make: Callable[[], bytes]) -> bytes:
        """The data for a key, made now if it is not kept."""
        path = self._folder / key[:2] / key
        try:
            data = path.read_bytes()
            os.utime(path)
        except OSError:
            data = make()
            self._keep(path, data)
        return data

    def _keep(self, path: Path, data: bytes) -> None:
        if not room.enough(room.Use.BULK):
            self._sweep_now_and_then()
            return
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            with tempfile.NamedTemporaryFile(dir=path.parent, prefix=".", delete=False) as file:
                file.write(data)
            Path(file.name).replace(path)
        except OSError:
            return  # a full disk or a folder that was just deleted: the picture is shown, only not kept
        self._sweep_now_and_then()

    def _sweep_now_and_then(self) -> None:
        if time.monotonic() - self._swept > SWEEP_EVERY and self._sweeping.acquire(blocking=False):
            try:
                self.sweep()
            finally:
                self._swept = time.monotonic()
                self._sweeping.release()

    def sweep(self) -> None:
        """Delete what was used least lately until the rest is at most nine tenths of the limit; all where the disk is
        nearly full."""
        keep_within(self._folder, self._limit if room.enough(room.Use.BULK) else 0)
