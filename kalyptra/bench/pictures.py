"""Pictures for the viewer: a frame of a shot's proxy, seen one way, as JPEG."""

from __future__ import annotations

import hashlib
from contextlib import AbstractContextManager, nullcontext
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from django.conf import settings
from numpy.typing import NDArray

from kalyptra.bench.framecache import FrameCache
from kalyptra.core import (
    MATTE_COLOURS,
    Emerging,
    HeldPicture,
    Look,
    MatteCache,
    NotYet,
    PictureSource,
    Quality,
    ReaderPool,
    Setup,
    Sources,
    Tint,
    View,
    coverage_of,
    look_identity,
    pictures_needed,
    render_look,
    resolve,
    shrink,
    want,
)
from kalyptra.library import store
from kalyptra.library.files import local_path
from kalyptra.library.models import Media

JPEG_QUALITY = 88
SIZES = (480, 960)
"""Long sides in px that the viewer asks for: while something is dragged, and at rest."""

_readers = ReaderPool(most=6)
_mattes = MatteCache(most=48)


@lru_cache(maxsize=1)
def _cache() -> FrameCache:
    return FrameCache(settings.FRAME_CACHE, settings.FRAME_CACHE_LIMIT)


def frame_jpeg(
    media: Media, setup: Setup, frame: int, view: View, size: int, subject: str | None, tint: Tint = Tint.APART
) -> bytes:
    """A frame as JPEG, from the cache where it was shown before.

    Args:
        frame: frame number of the clip.
        size: px on the long side, one of SIZES.
        subject: for the views of mattes a subject's id, or None for all.
        tint: the colour of a matte on the picture.

    Raises:
        FrameUnreadable: the proxy has no such frame.
    """
    look = resolve(setup, frame, (media.facts.width, media.facts.height))
    identity = look_identity(look, frame, view, subject, tint)
    key = hashlib.sha256(f"{media.digest}|{media.proxy.name}|{size}|{identity}".encode()).hexdigest()
    return _cache().get(key, lambda: _make(media, setup, look, frame, view, size, subject, tint))


def _make(
    media: Media, setup: Setup, look: Look, frame: int, view: View, size: int, subject: str | None, tint: Tint
) -> bytes:
    store.fetch(pictures_needed(setup, frame, frame))
    try:
        with borrowed(media) as reader:
            footage = HeldPicture(reader.facts, shrink(reader.picture(frame), size))
    except NotYet:
        want(media.emerging_in, frame)
        raise
    sources = Sources(footage, media.facts.width, store.local(), _mattes.of(f"{media.digest}|{frame}"))
    codes = render_look(look, frame, sources, view, subject, Quality.PREVIEW, tint)
    done, data = cv2.imencode(".jpg", cv2.cvtColor(codes, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, JPEG_QUALITY])
    return data.tobytes()


def borrowed(media: Media) -> AbstractContextManager[PictureSource]:
    """The proxy of a clip, open; while it is being made, what of it is there."""
    if media.state == Media.State.PREPARING:
        return nullcontext(Emerging(media.facts, media.emerging_in))
    return _readers.borrow(local_path(media.proxy), media.proxy_facts)


def laid_over_png(stored: NDArray[Any]) -> bytes:
    """A stored matte as a PNG to be laid over its frame: of one colour, as opaque as half of what it covers."""
    alpha = np.rint(coverage_of(stored) * 128).astype(np.uint8)
    whole = np.dstack([np.full((*alpha.shape, 3), MATTE_COLOURS[Tint.PINK][::-1], np.uint8), alpha])
    done, data = cv2.imencode(".png", whole, [cv2.IMWRITE_PNG_COMPRESSION, 1])
    return data.tobytes()
