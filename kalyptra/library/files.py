"""Files of the storage as paths on this machine: decoding needs one, wherever the storage keeps them."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path

from django.conf import settings
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
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        with storage.open(name) as source, tempfile.NamedTemporaryFile(dir=path.parent, delete=False) as copy:
            shutil.copyfileobj(source, copy)
        Path(copy.name).replace(path)
    return path
