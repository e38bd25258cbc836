"""The pictures of a file of numbers, not light: a distance map as a still, a sequence or a clip, exactly as it is.

Codes of 8 and 16 bits stay what they are, EXR and floating-point TIFF give their numbers. A video's luma is its first
plane; where that is of limited range, or of 10 or 12 bits, it is spread over 16 bits.
"""

from __future__ import annotations

import tempfile
import zipfile
from collections import deque
from collections.abc import Iterator
from enum import StrEnum
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from av.video.reformatter import ColorRange
from numpy.typing import NDArray

from kalyptra.core.clip.archive import ArchiveUnreadable, member_names, open_archive, read_member
from kalyptra.core.clip.facts import ClipFacts
from kalyptra.core.clip.probe import NotFootage, checked_size, sniff
from kalyptra.core.clip.reader import FrameUnreadable, open_container, rgb_codes, upright

EXR = b"\x76\x2f\x31\x01"
SUFFIXES = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".webp", ".exr")
LUMA = np.array([0.2126, 0.7152, 0.0722])
"""BT.709."""
ALPHAS = ("A", "alpha")


class Channel(StrEnum):
    """Which part of a picture is meant; colour takes the picture as it is, for a plate."""

    LUMA = "luma"
    RED = "red"
    GREEN = "green"
    BLUE = "blue"
    ALPHA = "alpha"
    COLOUR = "colour"


class NoSuchChannel(Exception):
    """The pictures do not have the channel that was asked for. The text says what they have."""


def is_map_still(path: Path) -> bool:
    """Whether a file is a still or an archive, which `still_maps` reads; else it may be a video."""
    with path.open("rb") as file:
        return file.read(4) == EXR or sniff(path) in ("picture", "archive")


def still_maps(path: Path, channel: Channel) -> tuple[int, Iterator[NDArray[Any]]]:
    """How many pictures a still or an archive of stills holds, and they in their order.

    Returns:
        Each (height, width) uint8, uint16 or float32.

    Raises:
        NotFootage: it holds none, or they are too large.
        NoSuchChannel, FrameUnreadable: while they are read.
    """
    if not zipfile.is_zipfile(path):
        return 1, iter([still_map(path.read_bytes(), path.name, channel)])
    try:
        with open_archive(path) as archive:
            names = member_names(archive, SUFFIXES)
    except ArchiveUnreadable as refusal:
        raise NotFootage(str(refusal)) from refusal

    def all_of() -> Iterator[NDArray[Any]]:
        with open_archive(path) as archive:
            for name in names:
                try:
                    yield still_map(read_member(archive, name), name, channel)
                except ArchiveUnreadable as error:
                    raise FrameUnreadable(str(error)) from error

    return len(names), all_of()


def still_map(data: bytes, name: str, channel: Channel) -> NDArray[Any]:
    """One picture's channel: (height, width) uint8, uint16 or float32."""
    if data[:4] == EXR:
        return _of_exr(data, name, channel)
    checked_size(data, name)
    raw: NDArray[Any] | None = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if raw is None or raw.dtype not in (np.uint8, np.uint16, np.float32):
        raise FrameUnreadable(f"{name} cannot be read as a map of 8 or 16 bits, or of numbers of 32 bits")
    if raw.ndim == 3:
        raw = raw[..., [2, 1, 0, *range(3, raw.shape[2])]]
    return _channel(raw, name, channel)


def _channel(picture: NDArray[Any], name: str, channel: Channel) -> NDArray[Any]:
    """A channel of a grey, RGB or RGBA picture."""
    if channel is Channel.ALPHA:
        if picture.ndim != 3 or picture.shape[2] != 4:
            raise NoSuchChannel(f"{name} has no alpha channel; bring its luma")
        return np.ascontiguousarray(picture[..., 3])
    if picture.ndim == 2:
        return picture
    if channel is not Channel.LUMA:
        return np.ascontiguousarray(picture[..., (Channel.RED, Channel.GREEN, Channel.BLUE).index(channel)])
    luma = picture[..., :3].astype(np.float64) @ LUMA
    return np.asarray(luma if picture.dtype == np.float32 else np.rint(luma), picture.dtype)


def _of_exr(data: bytes, name: str, channel: Channel) -> NDArray[Any]:
    import OpenEXR

    with tempfile.NamedTemporaryFile(suffix=".exr") as file:
        file.write(data)
        file.flush()
        try:
            low, high = OpenEXR.File(file.name, header_only=True).header()["dataWindow"]
            checked_size((int(high[0] - low[0] + 1), int(high[1] - low[1] + 1)), name)
            planes = {
                item.split(".")[-1]: np.asarray(held.pixels)
                for item, held in OpenEXR.File(file.name, separate_channels=True).channels().items()
            }
        except NotFootage:
            raise
        except Exception as error:
            raise FrameUnreadable(f"{name} cannot be read as an EXR picture") from error
    wanted = {
        Channel.ALPHA: ALPHAS,
        Channel.RED: ("R",),
        Channel.GREEN: ("G",),
        Channel.BLUE: ("B",),
        Channel.LUMA: ("Z", "Y", "depth"),
    }[channel]
    for plane in wanted:
        if plane in planes:
            return planes[plane].astype(np.float32)
    if channel is Channel.LUMA:
        if all(plane in planes for plane in "RGB"):
            mixed = sum(planes[plane].astype(np.float64) * share for plane, share in zip("RGB", LUMA, strict=True))
            return np.asarray(mixed, np.float32)
        if len(planes) == 1:
            return next(iter(planes.values())).astype(np.float32)
    raise NoSuchChannel(f"{name} has no channel for {channel.value}; it has {', '.join(sorted(planes)) or 'none'}")


def video_maps(path: Path, facts: ClipFacts, channel: Channel) -> Iterator[NDArray[Any]]:
    """A video's maps, one for each of its frames after conforming: (height, width) uint8 or uint16."""
    container = open_container(path)
    stream = container.streams.video[0]
    decoder: Any = stream.codec_context
    if channel is Channel.ALPHA and decoder.name == "vp9":
        # The usual decoder of VP9 leaves its alpha out.
        decoder = av.CodecContext.create("libvpx-vp9", "r")
    due, last = deque(facts.pts), None
    for packet in container.demux(stream):
        try:
            frames = decoder.decode(packet)
        except av.FFmpegError:
            continue  # a damaged packet: what comes after it may be sound
        for frame in frames:
            if not due or frame.pts is None or frame.pts < due[0]:
                continue
            picture = upright(_of_frame(frame, facts.bits, channel), facts)
            while due and due[0] < frame.pts:  # those that could not be decoded are the one before, or this one
                due.popleft()
                yield picture if last is None else last
            while due and due[0] == frame.pts:  # a variable rate repeats frames
                due.popleft()
                yield picture
            last = picture
    if due and last is None:
        raise FrameUnreadable("not one frame of the clip can be decoded")
    yield from (last for _ in due if last is not None)
    container.close()


def _of_frame(frame: Any, bits: int, channel: Channel) -> NDArray[Any]:
    name = frame.format.name
    if channel is Channel.ALPHA:
        if "a" not in name.replace("gray", ""):
            raise NoSuchChannel(f"the clip is {name} and has no alpha channel; bring its luma")
        return np.ascontiguousarray(frame.reformat(format="rgba64le").to_ndarray()[..., 3])
    if channel is not Channel.LUMA or frame.format.is_rgb:
        return _channel(rgb_codes(frame, bits), "the clip", channel)
    if name == "gray":
        return np.ascontiguousarray(frame.to_ndarray())
    depth = frame.format.components[0].bits
    if name.startswith("gray"):
        codes = frame.reformat(format="gray16le").to_ndarray() if depth < 16 else frame.to_ndarray(format="gray16le")
        return np.ascontiguousarray(codes)
    plane = frame.planes[0]
    kind = np.uint8 if depth == 8 else np.dtype("<u2")
    codes = np.frombuffer(plane, kind).reshape(plane.height, -1)[:, : plane.width]
    if frame.color_range == ColorRange.JPEG:
        return np.ascontiguousarray(codes) if depth == 8 else _spread(codes, 0, (1 << depth) - 1)
    return _spread(codes, 16 << (depth - 8), 219 << (depth - 8))


def _spread(codes: NDArray[Any], black: int, span: int) -> NDArray[np.uint16]:
    share = (codes.astype(np.float64) - black) / span
    return np.asarray(np.rint(np.clip(share, 0, 1) * 65535), np.uint16)
