"""Files of the storage as paths on this machine: decoding needs one, wherever the storage keeps them."""

from __future__ import annotations

import os
import shutil
import tempfile
from pathlib import Path

from django.conf import settings
from django.core.files.storage import default_storage


def local_path(name: str) -> Path:
    """The path of a stored file; a storage elsewhere is copied from once.

    Raises:
        FileNotFoundError: the storage has no such file.
    """
    try:
        path = Path(default_storage.path(name))
    except NotImplementedError:
        path = _copy(name)
    if not path.exists():
        raise FileNotFoundError(name)
    return path


def _copy(name: str) -> Path:
    path = settings.LOCAL_COPIES / name
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        with default_storage.open(name) as source, tempfile.NamedTemporaryFile(dir=path.parent, delete=False) as copy:
            shutil.copyfileobj(source, copy)
        os.replace(copy.name, path)
    return path
