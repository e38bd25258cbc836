"""The store of mattes and plates: a folder on this machine, and the shared storage behind it where there is one."""

from __future__ import annotations

import time
from collections.abc import Iterable
from functools import lru_cache
from pathlib import Path

from django.conf import settings
from django.core.files.base import ContentFile
from django.core.files.storage import default_storage

from kalyptra.core import Folder, pictures_named, read_setup

YOUNG = 24 * 3600
"""Seconds for which a picture is kept that no setup names: its maker may not have saved yet."""


MEASURED_FOR = 20.0
"""Seconds for which a store that had room is not measured again: a stroke of the brush must not wait for that."""
_measured: dict[Path, float] = {}


class Full(Exception):
    """The store has no room. The text says how large it is and what to do."""


def store() -> Folder:
    """The store on this machine."""
    return _folder(Path(settings.KEPT))


@lru_cache(maxsize=1)
def _folder(path: Path) -> Folder:
    return Folder(path)


def share(names: Iterable[str]) -> None:
    """Put pictures into the shared storage, so that other machines find them."""
    if _is_local():
        return
    for name in names:
        if not default_storage.exists(_shared(name)):
            default_storage.save(_shared(name), ContentFile(store().path(name).read_bytes()))


def fetch(names: Iterable[str]) -> list[str]:
    """Have pictures on this machine; those that are nowhere."""
    missing = []
    for name in names:
        if store().has(name):
            continue
        if _is_local() or not default_storage.exists(_shared(name)):
            missing.append(name)
            continue
        path = store().path(name)
        path.parent.mkdir(parents=True, exist_ok=True)
        unfinished = path.with_suffix(".fetching")
        with default_storage.open(_shared(name)) as source:
            unfinished.write_bytes(source.read())
        unfinished.replace(path)
    return missing


def size() -> int:
    """Bytes that the store takes on this machine."""
    return sum(path.stat().st_size for path in Path(settings.KEPT).glob("*/*.png"))


def need_room() -> None:
    """Make room by deleting what no setup names.

    Raises:
        Full: the store is at its limit even so.
    """
    now = time.monotonic()
    if now - _measured.get(settings.KEPT, -MEASURED_FOR) < MEASURED_FOR:
        return
    if size() < settings.KEPT_LIMIT:
        _measured[settings.KEPT] = now
        return
    sweep()
    taken = size()
    if taken >= settings.KEPT_LIMIT:
        raise Full(
            f"The store of mattes and plates is full: {taken / (1 << 30):.1f} of {settings.KEPT_LIMIT / (1 << 30):.1f} "
            "GiB. Nothing was changed. Delete shots that are done with, or raise KALYPTRA_STORE_LIMIT."
        )


def sweep(now: float | None = None) -> int:
    """Delete pictures that no revision of any shot names and that are a day old; how many."""
    from kalyptra.library.models import Revision

    named: set[str] = set()
    for document in Revision.objects.values_list("document", flat=True).iterator(chunk_size=50):
        named |= pictures_named(read_setup(document))
    deleted = 0
    for path in Path(settings.KEPT).glob("*/*.png"):
        if path.stem not in named and (now or time.time()) - path.stat().st_mtime > YOUNG:
            path.unlink(missing_ok=True)
            if not _is_local():
                default_storage.delete(_shared(path.stem))
            deleted += 1
    return deleted


def _is_local() -> bool:
    try:
        default_storage.path("kept")
    except NotImplementedError:
        return False
    return True


def _shared(name: str) -> str:
    return f"kept/{name[:2]}/{name}.png"
