"""ZIP archives of pictures, read in place; nothing is unpacked."""

from __future__ import annotations

import re
import zipfile
import zlib
from pathlib import Path

MAX_MEMBERS = 20_000
MAX_UNPACKED = 64 << 30
MEMBER_BYTES = 512 << 20
DAMAGE = (
    zipfile.BadZipFile, zipfile.LargeZipFile, RuntimeError, NotImplementedError, EOFError, OSError, ValueError,
    zlib.error,
)  # fmt: skip
"""All that the library raises on a damaged archive, an encrypted one, or one packed in a way that it does not read."""


class ArchiveUnreadable(Exception):
    """An archive, or a picture of it, that cannot be read. The text says why."""


def open_archive(path: Path) -> zipfile.ZipFile:
    """
    Raises:
        ArchiveUnreadable: it is damaged.
    """
    try:
        return zipfile.ZipFile(path)
    except DAMAGE as error:
        raise ArchiveUnreadable(f"The ZIP archive is damaged: {error}") from error


def member_names(archive: zipfile.ZipFile, suffixes: tuple[str, ...]) -> list[str]:
    """The pictures of an archive, in the order that a person counts in.

    Raises:
        ArchiveUnreadable: it holds none, or too much.
    """
    infos = [info for info in archive.infolist() if _is_member(info, suffixes)]
    if not infos:
        raise ArchiveUnreadable(
            "There are no pictures in this ZIP archive that are read here: PNG, JPEG, TIFF or WebP."
        )
    if len(infos) > MAX_MEMBERS or sum(info.file_size for info in infos) > MAX_UNPACKED:
        raise ArchiveUnreadable(f"The archive is too large; at most {MAX_MEMBERS:,} pictures are taken.")
    return [info.filename for info in sorted(infos, key=lambda info: _natural(info.filename))]


def read_member(archive: zipfile.ZipFile, name: str, most: int = MEMBER_BYTES) -> bytes:
    """A picture's data in an archive, at most `most` bytes of it: an archive can claim any size.

    Raises:
        ArchiveUnreadable: it is damaged.
    """
    try:
        with archive.open(name) as member:
            return member.read(most)
    except (*DAMAGE, KeyError) as error:
        raise ArchiveUnreadable(f"{name} in the archive cannot be read: {error}") from error


def _is_member(info: zipfile.ZipInfo, suffixes: tuple[str, ...]) -> bool:
    name = info.filename
    hidden = name.startswith("__MACOSX/") or name.rsplit("/", 1)[-1].startswith(".")
    return not info.is_dir() and not hidden and name.lower().endswith(suffixes)


def _natural(name: str) -> list[tuple[int, str]]:
    """Sorting key that counts: frame 9 before frame 10."""
    return [(int(part), "") if part.isdecimal() else (-1, part) for part in re.split(r"(\d+)", name.lower()) if part]
