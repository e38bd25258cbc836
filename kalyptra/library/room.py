"""Room on the disk. Work is refused before the disk is full, what can best wait first, so that saving goes on longest.

The data folder's disk is looked at. A database on a disk of its own has to be watched by its owner.
"""

from __future__ import annotations

import shutil
import time
from enum import Enum

from django.conf import settings

LOOKED_FOR = 0.5
"""Seconds for which a look at the disk holds."""
_looked: tuple[float, int] = (-LOOKED_FOR, 0)


class NoRoom(Exception):
    """The disk is nearly full. The text says what was refused, what is kept, and what to do."""


class Use(Enum):
    """What wants room, and the share of the reserve that must be left for it."""

    BULK = 1.0
    """Uploads, renders, following, cached frames."""
    UNDER_WAY = 0.5
    """Work that has begun."""
    MATTE = 0.25
    """A matte from a stroke."""
    SAVE = 0.125


def free() -> int:
    """Bytes free where the data lies."""
    global _looked
    now = time.monotonic()
    if now - _looked[0] >= LOOKED_FOR:
        _looked = now, shutil.disk_usage(settings.DATA).free
    return _looked[1]


def enough(use: Use, more: int = 0) -> bool:
    """Whether there is room; `more` is how many bytes it will take."""
    return free() - more >= settings.RESERVE * use.value


def need(use: Use, refused: str, more: int = 0) -> None:
    """Make sure that there is room.

    Args:
        refused: what happened, in words: "The file was not taken".

    Raises:
        NoRoom: there is not enough.
    """
    if not enough(use, more):
        raise NoRoom(
            f"The disk is nearly full: {free() / (1 << 20):,.0f} MB are free, and {settings.RESERVE / (1 << 20):,.0f} "
            f"MB are held in reserve. {refused}; all that was saved is safe. Free some space, or delete shots that are "
            "done with, and try again."
        )
