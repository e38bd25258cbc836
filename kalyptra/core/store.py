"""A store of pictures and records by what they hold: the same one is kept once, and a name only ever means one.

Mattes are grey, 8 or 16 bits; pieces of plates are RGB with how often each pixel was seen as their alpha. All are PNG.
"""

from __future__ import annotations

import hashlib
import json
import os
import re
import zlib
from collections import OrderedDict
from pathlib import Path
from threading import Lock
from typing import Any, Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

NAME = re.compile(r"[0-9a-f]{32}")
PICTURE, RECORD = ".png", ".json-z"
"""Endings of the files: pictures, and records of what was found over frames."""
MOST_RECORD = 64 << 20
"""Bytes of a record, unpacked."""
REMEMBERED = 192 << 20
"""Bytes of decoded pictures that are kept at hand."""


class NotInStore(Exception):
    """A picture that a setup names is not in the store. The text says which."""


class Store(Protocol):
    """Where stored pictures come from."""

    def picture(self, name: str) -> NDArray[Any]:
        """A picture by its name, not to be written to.

        Raises:
            NotKept: it is not there, or damaged.
        """
        ...


class FolderStore:
    """A store in a folder. Writing is safe beside other writers; a file appears whole or not at all."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._held: OrderedDict[str, NDArray[Any]] = OrderedDict()
        self._lock = Lock()

    def keep_record(self, data: bytes) -> str:
        """Keep a record of a setup (JSON), packed; its name."""
        name = name_of(data)
        if not self.touch_record(name):
            self.put(name, zlib.compress(data, 6), RECORD)
        return name

    def record(self, name: str) -> Any:
        """What a record holds.

        Raises:
            NotKept: it is not there, or damaged.
        """
        try:
            unpacker = zlib.decompressobj()
            data = unpacker.decompress(self.path(name, RECORD).read_bytes(), MOST_RECORD)
            values = json.loads(data)
        except (OSError, ValueError, zlib.error) as error:
            raise NotInStore(f"the record {name} of what was found over frames is not there") from error
        if not isinstance(values, list):
            raise NotInStore(f"the record {name} is damaged")
        return values

    def touch_record(self, name: str) -> bool:
        return self.touch(name, RECORD)

    def keep(self, picture: NDArray[Any]) -> str:
        """Keep a picture: (height, width) or (height, width, 4) as RGBA, 8 or 16 bits a channel; its name."""
        data = encoded(picture)
        name = name_of(data)
        if not self.touch(name):
            self.put(name, data)
        return name

    def put(self, name: str, data: bytes, kind: str = PICTURE) -> None:
        """Write a file; whoever reads it meanwhile sees nothing or the whole."""
        path = self.path(name, kind)
        path.parent.mkdir(parents=True, exist_ok=True)
        # A name of its own: two who bring the same picture at once must not write into one file.
        unfinished = path.with_suffix(f".{os.getpid()}.{os.urandom(4).hex()}")
        try:
            unfinished.write_bytes(data)
            unfinished.replace(path)
        except OSError:
            unfinished.unlink(missing_ok=True)
            raise

    def touch(self, name: str, kind: str = PICTURE) -> bool:
        """Note that a file is relied on from now, so that no sweep takes it as old; whether it is there."""
        try:
            os.utime(self.path(name, kind))
        except FileNotFoundError:
            return False
        return True

    def drop_old(self, name: str, before: float, kind: str = PICTURE) -> bool:
        """Delete a file that nobody has touched since `before` (a time); whether it went."""
        path = self.path(name, kind)
        going = path.with_suffix(f".{os.getpid()}.{os.urandom(4).hex()}")
        try:
            if path.stat().st_mtime >= before:
                return False
            # Moved first, then looked at again: one who touches it in between finds it there, or writes it anew.
            path.replace(going)
            if going.stat().st_mtime >= before:
                going.replace(path)
                return False
            going.unlink()
        except FileNotFoundError:
            return False
        return True

    def has(self, name: str) -> bool:
        return self.path(name).exists()

    def path(self, name: str, kind: str = PICTURE) -> Path:
        """Where a picture or a record lies.

        Raises:
            NotKept: that is no name.
        """
        if not NAME.fullmatch(name):
            raise NotInStore(f"{name[:40]!r} is no name of a stored picture")
        return self.folder / name[:2] / f"{name}{kind}"

    def picture(self, name: str) -> NDArray[Any]:
        with self._lock:
            if name in self._held:
                self._held.move_to_end(name)
                return self._held[name]
        try:
            read = decoded(self.path(name).read_bytes())
        except OSError as error:
            raise NotInStore(f"the stored picture {name} is not there") from error
        read.setflags(write=False)
        with self._lock:
            self._held[name] = read
            while sum(picture.nbytes for picture in self._held.values()) > REMEMBERED and len(self._held) > 1:
                self._held.popitem(last=False)
        return read


class EmptyStore:
    """A store that is empty."""

    def picture(self, name: str) -> NDArray[Any]:
        raise NotInStore(f"the stored picture {name} is not there")


def name_of(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()[:32]


def encoded(picture: NDArray[Any]) -> bytes:
    """A picture as PNG, the same bytes for the same picture."""
    if picture.dtype not in (np.uint8, np.uint16) or (picture.ndim == 3 and picture.shape[2] != 4):
        raise ValueError("stored pictures are grey or RGBA, 8 or 16 bits")
    stored = picture if picture.ndim == 2 else cv2.cvtColor(picture, cv2.COLOR_RGBA2BGRA)
    done, data = cv2.imencode(".png", stored, [cv2.IMWRITE_PNG_COMPRESSION, 3])
    if not done:
        raise ValueError("the picture could not be stored")
    return bytes(data.tobytes())


def decoded(data: bytes) -> NDArray[Any]:
    picture: NDArray[Any] | None = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if picture is None:
        raise NotInStore("a stored picture is damaged")
    return np.asarray(cv2.cvtColor(picture, cv2.COLOR_BGRA2RGBA)) if picture.ndim == 3 else picture
