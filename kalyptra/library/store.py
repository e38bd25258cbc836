"""The store of mattes, plates and records: a folder on this machine, and the shared storage behind it, if any."""

from __future__ import annotations

import json
import logging
import re
import time
from collections.abc import Iterable
from functools import lru_cache
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.files.base import ContentFile
from django.core.files.storage import default_storage
from django.db import connection
from pydantic_core import to_json

from kalyptra.core import PICTURE, RECORD, FolderStore, NotInStore, Setup, folded, read_setup
from kalyptra.library import room

log = logging.getLogger(__name__)

YOUNG = 24 * 3600
"""Seconds for which a picture is kept that no setup names: its maker may not have saved yet."""


MEASURED_FOR = 20.0
"""Seconds for which a store that had room is not measured again: a stroke of the brush must not wait for that."""
_measured: dict[Path, float] = {}


FINDINGS = r"select distinct unnest(regexp_matches(values::text, '\y[0-9a-f]{32}\y', 'g')) from work_finding"
"""Pictures that are named by findings under way. Renders name nothing that the revision they are of does not."""
NAME = re.compile(r"\b[0-9a-f]{32}\b")


class Full(Exception):
    """The store has no room. The text says how large it is and what to do."""


def local() -> FolderStore:
    """The store on this machine."""
    return _folder(Path(settings.KEPT))


@lru_cache(maxsize=1)
def _folder(path: Path) -> FolderStore:
    return FolderStore(path)


def share(names: Iterable[str], kind: str = PICTURE) -> None:
    """Put pictures or records into the shared storage, so that other machines find them."""
    if _is_local():
        return
    for name in names:
        shared = _shared(name, kind)
        if default_storage.exists(shared):
            if _age(shared, time.time()) < YOUNG / 2:
                continue
            default_storage.delete(shared)  # put there anew below, so that no machine's sweep takes it as old
        default_storage.save(shared, ContentFile(local().path(name, kind).read_bytes()))


def fetch(names: Iterable[str], kind: str = PICTURE) -> list[str]:
    """Have pictures or records on this machine; those that are nowhere."""
    missing = []
    for name in names:
        if local().path(name, kind).exists():
            continue
        if _is_local() or not default_storage.exists(_shared(name, kind)):
            missing.append(name)
            continue
        with default_storage.open(_shared(name, kind)) as source:
            local().put(name, source.read(), kind)
    return missing


class _Records:
    """Records of this machine's store, and of the shared storage behind it."""

    def keep_record(self, data: bytes) -> str:
        name = local().keep_record(data)
        share([name], RECORD)
        return name

    def record(self, name: str) -> Any:
        fetch([name], RECORD)
        return local().record(name)

    def touch_record(self, name: str) -> bool:
        return local().touch_record(name)


records = _Records()


def read(document: Any) -> Setup:
    """A setup of a document, whose records lie in the store.

    Raises:
        SetupError: it is none.
        NotKept: a record is gone.
    """
    return read_setup(document, records)


def document_of(setup: Setup) -> dict[str, Any]:
    """A setup as a small document; what was found over frames is put into the store, where it is new."""
    return folded(setup, records)


def names_in(document: dict[str, Any]) -> tuple[list[str], list[str]]:
    """Names of the pictures and of the records that a document names itself."""
    records, waiting = set[str](), list[Any]([document])
    while waiting:
        part = waiting.pop()
        if isinstance(part, dict):
            records.update(part.get("windows", ()))
        waiting += [
            inner for inner in (part.values() if isinstance(part, dict) else part) if isinstance(inner, dict | list)
        ]
    return sorted(set(NAME.findall(to_json(document).decode())) - records), sorted(records)


def size() -> int:
    """Bytes that the store takes on this machine."""
    return sum(path.stat().st_size for path in Path(settings.KEPT).glob("*/*") if path.suffix in (PICTURE, RECORD))


def need_room(use: room.Use = room.Use.BULK) -> None:
    """Make room by deleting what no setup names.

    Raises:
        Full: the store is at its limit even so.
        room.NoRoom: the disk is.
    """
    room.need(use, "No matte or plate was made")
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
    """Delete pictures that no revision of any shot names and that nobody relied on for a day; how many."""
    at = now or time.time()
    named = _named()
    deleted = 0
    for path in Path(settings.KEPT).glob("*/*"):
        kind = path.suffix
        if kind not in (PICTURE, RECORD):  # left by a writer that was killed
            if at - path.stat().st_mtime > YOUNG:
                path.unlink(missing_ok=True)
        elif path.stem not in named and local().drop_old(path.stem, at - YOUNG, kind):
            if not _is_local() and _age(_shared(path.stem, kind), at) > YOUNG:
                default_storage.delete(_shared(path.stem, kind))
            deleted += 1
    return deleted


def _named() -> set[str]:
    """Names of all that a revision names by its index, that its records name in turn, and that findings name."""
    named: dict[str, set[str]] = {}
    with connection.cursor() as cursor:
        for column in ("names", "records"):
            cursor.execute(f"select distinct unnest({column}) from library_revision")
            named[column] = {name for (name,) in cursor}
        cursor.execute(FINDINGS)
        named["names"].update(name for (name,) in cursor)
    for name in named["records"]:
        try:  # fetched where it lies on another machine alone
            named["names"].update(NAME.findall(json.dumps(records.record(name))))
        except NotInStore as error:  # nobody can name its pictures by it any more; the rest is swept all the same
            log.error("a record cannot be read: %s", error)
    return named["names"] | named["records"]


def _age(shared: str, now: float) -> float:
    try:
        return now - default_storage.get_modified_time(shared).timestamp()
    except (OSError, NotImplementedError):
        return 0.0


def _is_local() -> bool:
    try:
        default_storage.path("kept")
    except NotImplementedError:
        return False
    return True


def _shared(name: str, kind: str) -> str:
    return f"kept/{name[:2]}/{name}{kind}"
