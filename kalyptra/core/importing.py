"""Bringing mattes and plates that were made elsewhere into the store: a still, a sequence or a clip."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from enum import StrEnum
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import ClipFacts, Kind
from kalyptra.core.clip.guarded import Limits, run_guarded
from kalyptra.core.clip.reader import FrameUnreadable, open_clip, open_container, upright
from kalyptra.core.compiled import one_thread_a_frame
from kalyptra.core.kept import Folder


class Channel(StrEnum):
    """Which part of a picture is the matte; colour takes the picture as it is, for a plate."""

    LUMA = "luma"
    ALPHA = "alpha"
    COLOUR = "colour"


LUMA = np.array([[0.2126, 0.7152, 0.0722]], np.float64)
"""BT.709."""


def import_to_store(
    path: Path, facts: ClipFacts, channel: Channel, kept: Path, on_picture: Callable[[int, str], bool]
) -> None:
    """Bring all pictures of a file into the store, in a guarded process.

    Args:
        on_picture: told how many are done, and the newest one's name; returns whether to go on.

    Raises:
        GuardedFailure: it failed (kind "NoAlpha": the file has none).
    """
    work = {"path": str(path), "facts": facts.model_dump(mode="json"), "channel": channel.value, "kept": str(kept)}
    seconds = 300 + facts.frames * facts.width * facts.height / 2e5
    run_guarded("kalyptra.core.importing:import_here", work, Limits(seconds, 8 << 30, 1 << 30),
                lambda told: on_picture(told["done"], told["name"]))  # fmt: skip


class NoAlpha(Exception):
    """The pictures have no alpha channel."""


def import_here(path: str, facts: dict[str, Any], channel: str, kept: str, report: Callable[..., None]) -> None:
    """Runs inside the guarded process."""
    one_thread_a_frame()
    store = Folder(Path(kept))
    for done, picture in enumerate(pictures(Path(path), ClipFacts.model_validate(facts), Channel(channel)), start=1):
        report(done=done, name=store.keep(picture))


def pictures(path: Path, facts: ClipFacts, channel: Channel) -> Iterator[NDArray[Any]]:
    """The pictures of a file as a store keeps them: grey mattes, or RGBA with a full last channel.

    Raises:
        NoAlpha: alpha was asked for, and there is none.
        FrameUnreadable: a picture is damaged.
    """
    if channel is Channel.ALPHA:
        yield from _alphas(path, facts)
        return
    reader = open_clip(path, facts, threads=2)
    for frame in range(1 if facts.kind is Kind.STILL else facts.frames):
        codes = reader.picture(frame).codes
        top = np.iinfo(codes.dtype).max
        if channel is Channel.COLOUR:
            yield np.dstack([codes, np.full(codes.shape[:2], top, codes.dtype)])
        else:
            grey = cv2.transform(codes.astype(np.float64), LUMA)
            yield np.clip(np.round(grey), 0, top).astype(codes.dtype)
    reader.close()


def _alphas(path: Path, facts: ClipFacts) -> Iterator[NDArray[Any]]:
    if facts.kind is Kind.VIDEO:
        yield from _video_alphas(path, facts)
        return
    if facts.kind is Kind.STILL:
        yield _still_alpha(path.read_bytes(), path.name)
        return
    import zipfile

    with zipfile.ZipFile(path) as archive:
        for name in facts.members:
            yield _still_alpha(archive.read(name), name)


def _still_alpha(data: bytes, name: str) -> NDArray[Any]:
    raw: NDArray[Any] | None = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if raw is None or raw.dtype not in (np.uint8, np.uint16):
        raise FrameUnreadable(f"{name} cannot be read as a picture of 8 or 16 bits a channel")
    if raw.ndim != 3 or raw.shape[2] != 4:
        raise NoAlpha(f"{name} has no alpha channel; bring its luma")
    return np.ascontiguousarray(raw[..., 3])


def _video_alphas(path: Path, facts: ClipFacts) -> Iterator[NDArray[Any]]:
    container = open_container(path)
    stream = container.streams.video[0]
    decoder: Any = stream.codec_context
    if decoder.name == "vp9":
        # The usual decoder of VP9 leaves its alpha out.
        decoder = av.CodecContext.create("libvpx-vp9", "r")
    wanted = set(facts.pts)
    for packet in container.demux(stream):
        for frame in decoder.decode(packet):
            if "a" not in frame.format.name.replace("gray", ""):
                raise NoAlpha(f"the clip is {frame.format.name} and has no alpha channel; bring its luma")
            if frame.pts in wanted:
                whole = frame.reformat(format="rgba64le").to_ndarray()
                yield np.ascontiguousarray(upright(whole, facts)[..., 3])
    container.close()
