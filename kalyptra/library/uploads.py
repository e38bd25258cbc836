"""Receiving files: refused before they are read where they are too large or the disk has no room for them."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.files.uploadhandler import TemporaryFileUploadHandler

from kalyptra.library import room

LOOK_EVERY = 32 << 20
"""Bytes received between two looks at the disk."""


class TooLarge(Exception):
    """A file is larger than is taken. The text says how large it may be."""


def check_size(size: int) -> None:
    """Whether a file of so many bytes can be taken.

    Raises:
        TooLarge, room.NoRoom: it cannot.
    """
    if size > settings.UPLOAD_LIMIT:
        raise TooLarge(
            f"The file is too large; at most {settings.UPLOAD_LIMIT / (1 << 30):.3g} GiB are taken. Nothing was kept."
        )
    room.need(room.Use.BULK, "The file was not taken", 2 * size)  # it lies twice while it is taken in


class BoundedUploadHandler(TemporaryFileUploadHandler):
    """Files go to the disk, within the limits."""

    def handle_raw_input(self, input_data: Any, META: Any, content_length: int, *more: Any, **named: Any) -> None:  # noqa: N803
        check_size(content_length)

    def receive_data_chunk(self, raw_data: bytes, start: int) -> None:
        if start // LOOK_EVERY != (start + len(raw_data)) // LOOK_EVERY:
            check_size(start)
        super().receive_data_chunk(raw_data, start)
