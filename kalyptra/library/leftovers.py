"""What a crash can leave behind on this machine's disk, and taking it away."""

from __future__ import annotations

import shutil
import time
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.core.files.storage import default_storage
from django.utils import timezone

from kalyptra.library.files import delete_file
from kalyptra.library.models import Media

OLD = 24 * 3600
"""Seconds after which a file that belongs to nothing is no one's work under way."""
SCRATCH = ("work", "uploads")
"""Folders of the data folder in which nothing is meant to stay."""
STORED = ("footage", "renders", "brought")
"""Folders of the storage with a folder for each row that has files."""


def sweep(named: set[str], now: float | None = None) -> int:
    """Delete footage without a shot, stored files without a row, and files of work that never ended; how many.

    Args:
        named: names of all files of renders and of brought files.
    """
    deleted = 0
    for media in Media.objects.filter(shots=None, added__lt=timezone.now() - timedelta(hours=1)):
        for field in (media.file, media.proxy, media.poster):
            if field.name:
                delete_file(field.storage, field.name)
        media.delete()
        deleted += 1
    before = (now or time.time()) - OLD
    for name in SCRATCH:
        for path in (settings.DATA / name).glob("*"):
            deleted += _drop(path, before)
    try:
        storage = Path(default_storage.path(""))
    except NotImplementedError:
        return deleted
    for fields in Media.objects.values_list("file", "proxy", "poster"):
        named.update(fields)
    folders = {str(Path(name).parent) for name in named if name}
    for name in STORED:
        for path in (storage / name).glob("*"):
            if f"{name}/{path.name}" not in folders:
                deleted += _drop(path, before)
    return deleted


def _drop(path: Path, before: float) -> int:
    """Delete a file or folder in which nothing changed since `before` (a time)."""
    try:
        times = [entry.stat().st_mtime for entry in (path, *path.rglob("*"))]
    except FileNotFoundError:
        return 0
    if max(times) >= before:
        return 0
    if path.is_dir():
        shutil.rmtree(path, ignore_errors=True)
    else:
        path.unlink(missing_ok=True)
    return 1
