"""Files that come in chunks, so that an upload that was cut off goes on where it was.

A chunk is appended where the last one ended; what was received lies in the data folder until the file is taken in, or a
day has passed without a chunk (`leftovers`).
"""

from __future__ import annotations

import fcntl
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from django.conf import settings

from kalyptra.library.uploads import check_size

MOST = 16 << 20
"""Bytes of one chunk."""
READ = 1 << 20


class Misplaced(Exception):
    """A chunk does not begin where the last one ended; `offset` says where that is."""

    def __init__(self, offset: int) -> None:
        super().__init__(f"the next chunk begins at byte {offset}")
        self.offset = offset


@dataclass(frozen=True)
class ChunkedUpload:
    """One file on its way.

    Attributes:
        owner: id of the user who sends it.
        project: id of the project it goes to.
        key: what the sender knows it by, hexadecimal.
        size: bytes of the whole.
    """

    owner: int
    project: int
    key: str
    size: int

    @property
    def path(self) -> Path:
        return Path(settings.DATA) / "uploads" / f"{self.project}-{self.owner}-{self.key}-{self.size}.part"

    @property
    def offset(self) -> int:
        """How many bytes were received.

        Raises:
            TooLarge, room.NoRoom: the file cannot be taken.
        """
        check_size(self.size)
        return self.path.stat().st_size if self.path.exists() else 0

    @property
    def whole(self) -> bool:
        return self.path.exists() and self.path.stat().st_size == self.size

    def add(self, offset: int, data: BinaryIO) -> int:
        """Append a chunk; how many bytes there are now.

        Raises:
            Misplaced: it does not begin where the last one ended, or is longer than a chunk or the file may be.
            TooLarge, room.NoRoom: the file cannot be taken.
        """
        check_size(self.size)
        self.path.parent.mkdir(parents=True, exist_ok=True)
        with self.path.open("ab") as file:
            fcntl.flock(file, fcntl.LOCK_EX)
            received = file.seek(0, 2)
            if offset != received:
                raise Misplaced(received)
            left = min(MOST, self.size - offset)
            while part := data.read(READ):
                left -= len(part)
                if left < 0:
                    file.truncate(received)
                    raise Misplaced(received)
                file.write(part)
            return file.tell()

    def forget(self) -> None:
        self.path.unlink(missing_ok=True)
