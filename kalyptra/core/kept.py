"""A store of pictures by what they hold: the same picture is kept once, and a name can only ever mean one picture.

Mattes are grey, 8 or 16 bits; pieces of plates are RGB with how often each pixel was seen as their alpha. All are PNG.
"""

from __future__ import annotations

import hashlib
import os
import re
from collections import OrderedDict
from pathlib import Path
from threading import Lock
from typing import Any, Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

NAME = re.compile(r"[0-9a-f]{32}")
REMEMBERED = 192 << 20
"""Bytes of decoded pictures that are kept at hand."""


class NotKept(Exception):
    """A picture that a setup names is not in the store. The text says which."""


class Kept(Protocol):
    """Where stored pictures come from."""

    def picture(self, name: str) -> NDArray[Any]:
        """A picture by its name, not to be written to.

        Raises:
            NotKept: it is not there, or damaged.
        """
        ...


class Folder:
    """A store in a folder. Writing is safe beside other writers; a file appears whole or not at all."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._held: OrderedDict[str, NDArray[Any]] = OrderedDict()
        self._lock = Lock()

    def keep(self, picture: NDArray[Any]) -> str:
        """Keep a picture: (height, width) or (height, width, 4) as RGBA, 8 or 16 bits a channel; its name."""
        data = encoded(picture)
        name = name_of(data)
        path = self.path(name)
        if not path.exists():
            path.parent.mkdir(parents=True, exist_ok=True)
            unfinished = path.with_suffix(f".{os.getpid()}.{os.urandom(4).hex()}")
            unfinished.write_bytes(data)
            unfinished.replace(path)
        return name

    def has(self, name: str) -> bool:
        return self.path(name).exists()

    def path(self, name: str) -> Path:
        """Where a picture lies.

        Raises:
            NotKept: that is no name.
        """
        if not NAME.fullmatch(name):
            raise NotKept(f"{name[:40]!r} is no name of a stored picture")
        return self.folder / name[:2] / f"{name}.png"

    def picture(self, name: str) -> NDArray[Any]:
        with self._lock:
            if name in self._held:
                self._held.move_to_end(name)
                return self._held[name]
        try:
            found = decoded(self.path(name).read_bytes())
        except OSError as error:
            raise NotKept(f"the stored picture {name} is not there") from error
        found.setflags(write=False)
        with self._lock:
            self._held[name] = found
            while sum(one.nbytes for one in self._held.values()) > REMEMBERED and len(self._held) > 1:
                self._held.popitem(last=False)
        return found


class Nothing:
    """A store that is empty."""

    def picture(self, name: str) -> NDArray[Any]:
        raise NotKept(f"the stored picture {name} is not there")


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
    found: NDArray[Any] | None = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if found is None:
        raise NotKept("a stored picture is damaged")
    return np.asarray(cv2.cvtColor(found, cv2.COLOR_BGRA2RGBA)) if found.ndim == 3 else found
