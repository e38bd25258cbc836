"""Files of the storage as paths on this machine: decoding needs one, wherever the storage keeps them."""

from __future__ import annotations

import contextlib
import os
import shutil
import tempfile
from pathlib import Path

from django.conf import settings
from django.core.files import File
from django.core.files.storage import Storage
from django.db.models.fields.files import FieldFile


def local_path(file: FieldFile) -> Path:
    """The path of a stored file; a storage elsewhere is copied from once.

    Raises:
        FileNotFoundError: the storage has no such file.
    """
    name = file.name or ""
    try:
        path = Path(file.storage.path(name))
    except NotImplementedError:
        path = _copy(file.storage, name)
    if not path.exists():
        raise FileNotFoundError(name)
    return path


def _copy(storage: Storage, name: str) -> Path:
    path = settings.LOCAL_COPIES / name
    if path.exists():
        with contextlib.suppress(OSError):
            os.utime(path)  # used: others go before it
        return path
    path.parent.mkdir(parents=True, exist_ok=True)
    keep_within(settings.LOCAL_COPIES, settings.LOCAL_COPIES_LIMIT, storage.size(name))
    with tempfile.NamedTemporaryFile(dir=path.parent, delete=False) as copy:
        try:
            with storage.open(name) as source:
                shutil.copyfileobj(source, copy)
        except BaseException:
            Path(copy.name).unlink(missing_ok=True)
            raise
    Path(copy.name).replace(path)
    return path


def keep_within(folder: Path, limit: int, more: int = 0) -> None:
    """Delete the files of a cache that were used least lately, until it and `more` bytes keep within a limit."""
    files = []
    for path in folder.rglob("*"):
        try:
            stat = path.stat()
        except OSError:
            continue
        if not path.is_dir():
            files.append((stat.st_mtime, stat.st_size, path))
    total = sum(size for _, size, _ in files) + more
    if total <= limit:
        return
    for _, size, path in sorted(files):
        path.unlink(missing_ok=True)
        total -= size
        if total <= limit * 0.9:
            return


def put_file(field: FieldFile, name: str, path: Path) -> None:
    """Copy a file into a row's field; what a run that was cut short left at its place goes. The row is not saved."""
    field.storage.delete(field.field.generate_filename(field.instance, name))
    with path.open("rb") as file:
        field.save(name, File(file), save=False)


def delete_file(storage: Storage, name: str) -> None:
    """Delete a stored file, and its folder where that was the last one in it."""
    storage.delete(name)
    with contextlib.suppress(NotImplementedError, OSError):
        Path(storage.path(name)).parent.rmdir()
