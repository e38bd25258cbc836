"""Pictures out of a clip, by frame number: video, archive of pictures, or still."""

from __future__ import annotations

import threading
from bisect import bisect_right
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

import av
import cv2
import numpy as np
from av.video.reformatter import ColorRange, Colorspace
from numpy.typing import NDArray

from kalyptra.core.clip.archive import ArchiveUnreadable, open_archive, read_member
from kalyptra.core.clip.facts import ClipFacts, Codes, FootageKind, Transfer

FORMATS = "mov,matroska,avi,mpegts"
CODECS = (
    "h264,hevc,vp8,vp9,libdav1d,av1,prores,dnxhd,mpeg4,mjpeg,ffv1,qtrle,png,rawvideo,"
    "aac,mp3float,mp3,opus,vorbis,flac,ac3,alac,pcm_s16le,pcm_s24le,pcm_s16be,pcm_s24be,pcm_f32le"
)
MAX_PIXELS = 8192 * 4608


@dataclass(frozen=True)
class Picture:
    """One picture as stored: RGB codes and the curve they follow.

    Attributes:
        codes: (height, width, 3), 8 or 16 bits a channel.
    """

    codes: Codes
    transfer: Transfer

    @property
    def size(self) -> tuple[int, int]:
        """(height, width) in px."""
        return self.codes.shape[0], self.codes.shape[1]


class PictureSource(Protocol):
    """Anything that hands out the pictures of a clip."""

    @property
    def facts(self) -> ClipFacts: ...

    def picture(self, frame: int) -> Picture:
        """The picture at a frame of the clip.

        Raises:
            FrameUnreadable: the frame is damaged or outside the clip.
        """
        ...

    def close(self) -> None: ...


class FrameUnreadable(Exception):
    """A frame that cannot be decoded. The text says which and why."""


def open_container(path: Path) -> Any:
    """Open a media file for reading with everything that could reach elsewhere switched off."""
    return av.open(
        f"file:{path}",
        options={
            "format_whitelist": FORMATS,
            "codec_whitelist": CODECS,
            "protocol_whitelist": "file",
            "max_streams": "32",
            "max_pixels": str(MAX_PIXELS),
            "probesize": str(10 << 20),
        },
        metadata_errors="replace",
    )


def open_clip(path: Path, facts: ClipFacts, threads: int = 1) -> PictureSource:
    """Open a clip whose facts are known.

    Args:
        threads: how many the video decoder may use.
    """
    if facts.kind is FootageKind.VIDEO:
        return VideoReader(path, facts, threads)
    if facts.kind is FootageKind.SEQUENCE:
        return SequenceReader(path, facts)
    return StillReader(path, facts)


class VideoReader:
    """Frames of a video by exact time stamp: reads on where it can, seeks where it must."""

    def __init__(self, path: Path, facts: ClipFacts, threads: int = 1) -> None:
        self.facts = facts
        self._container = open_container(path)
        self._stream = self._container.streams.video[0]
        self._stream.codec_context.thread_count = threads
        self._stream.codec_context.thread_type = "AUTO"
        self._decoded: Iterator[Any] = iter(())
        self._at: int | None = None
        self._last: Picture | None = None
        self._order = sorted(set(facts.pts))
        self._stamps = set(facts.pts)

    def picture(self, frame: int) -> Picture:
        if not 0 <= frame < self.facts.frames:
            raise FrameUnreadable(f"frame {frame} lies outside the clip's {self.facts.frames} frames")
        wanted = self.facts.pts[frame]
        if self._at == wanted and self._last is not None:
            return self._last
        # Reading on is cheaper than a seek while the wanted frame lies a little ahead.
        ahead = 0 if self._at is None else bisect_right(self._order, wanted) - bisect_right(self._order, self._at)
        if not 0 < ahead <= 16:
            self._seek(wanted)
        decoded = self._read_until(wanted)
        self._last = Picture(upright(rgb_codes(decoded, self.facts.bits), self.facts), self.facts.transfer)
        self._at = wanted
        return self._last

    def close(self) -> None:
        self._decoded = iter(())
        self._container.close()

    def _seek(self, pts: int) -> None:
        try:
            self._container.seek(pts, stream=self._stream, backward=True)
        except av.FFmpegError:
            self._container.seek(0)
        self._decoded = self._frames()

    def _frames(self) -> Iterator[Any]:
        """Packet by packet, so that what comes after a damaged one is still decoded."""
        for packet in self._container.demux(self._stream):
            try:
                decoded = packet.decode()
            except av.FFmpegError:
                continue
            yield from decoded

    def _read_until(self, pts: int) -> Any:
        nearest = None
        while True:
            try:
                decoded = next(self._decoded)
            except (StopIteration, av.FFmpegError):
                break
            if decoded.pts is None:
                continue
            nearest = decoded
            if decoded.pts >= pts:
                break
        self._at = None
        # A later frame of the clip in its place means that this one is lost.
        if nearest is None or nearest.pts < pts or (nearest.pts > pts and nearest.pts in self._stamps):
            raise FrameUnreadable(f"the frame at {pts} could not be decoded: the file is damaged there")
        return nearest


def rgb_codes(frame: Any, bits: int) -> Codes:
    """RGB codes of a decoded frame, full range; 16 bits where the source has more than 8."""
    matrix = frame.colorspace
    if matrix not in (Colorspace.ITU709, Colorspace.ITU601, Colorspace.SMPTE240M, Colorspace.FCC):
        matrix = Colorspace.ITU709 if frame.height >= 720 else Colorspace.ITU601
    source_range = ColorRange.JPEG if frame.color_range == ColorRange.JPEG else ColorRange.MPEG
    if frame.format.is_rgb:
        converted = frame.reformat(format="rgb48le" if bits > 8 else "rgb24")
    else:
        converted = frame.reformat(
            format="rgb48le" if bits > 8 else "rgb24",
            src_colorspace=matrix,
            dst_colorspace=Colorspace.ITU709,
            src_color_range=source_range,
            dst_color_range=ColorRange.JPEG,
        )
    codes: Codes = converted.to_ndarray()
    return codes


def upright(codes: Any, facts: ClipFacts) -> Any:
    """Turn a stored picture upright and make its pixels square."""
    if facts.rotation:
        turned: Codes = np.ascontiguousarray(np.rot90(codes, -facts.rotation // 90))  # type: ignore[assignment]
        codes = turned
    if codes.shape[:2] != (facts.height, facts.width):
        return resized(codes, (facts.width, facts.height))
    return codes


def resized(codes: Codes, size: tuple[int, int]) -> Codes:
    """A picture scaled to (width, height): averaged where it shrinks, cubic where it grows."""
    shrinks = size[0] < codes.shape[1]
    scaled: Codes = cv2.resize(codes, size, interpolation=cv2.INTER_AREA if shrinks else cv2.INTER_CUBIC)
    return scaled


class SequenceReader:
    """Frames of pictures in a ZIP archive, read from it in place; nothing is unpacked."""

    def __init__(self, path: Path, facts: ClipFacts) -> None:
        self.facts = facts
        try:
            self._archive = open_archive(path)
        except ArchiveUnreadable as error:
            raise FrameUnreadable(str(error)) from error

    def picture(self, frame: int) -> Picture:
        if not 0 <= frame < self.facts.frames:
            raise FrameUnreadable(f"frame {frame} lies outside the sequence's {self.facts.frames} pictures")
        name = self.facts.members[frame]
        try:
            codes = decode_still(read_member(self._archive, name), name)
        except ArchiveUnreadable as error:
            raise FrameUnreadable(str(error)) from error
        return Picture(upright(codes, self.facts), self.facts.transfer)

    def close(self) -> None:
        self._archive.close()


class StillReader:
    """One picture, held for as long as the clip lasts."""

    def __init__(self, path: Path, facts: ClipFacts) -> None:
        self.facts = facts
        self._picture = Picture(upright(decode_still(path.read_bytes(), path.name), facts), facts.transfer)

    def picture(self, frame: int) -> Picture:
        if not 0 <= frame < self.facts.frames:
            raise FrameUnreadable(f"frame {frame} lies outside the {self.facts.frames} frames")
        return self._picture

    def close(self) -> None:
        pass


class Mended:
    """A clip in which a frame that cannot be decoded is the nearest one before it that can, or else the nearest after.

    The rule is the same wherever a clip is worked through, and depends on nothing but the clip and the frame.
    """

    def __init__(self, reader: PictureSource) -> None:
        self._reader = reader
        self._damaged: dict[int, int] = {}

    @property
    def facts(self) -> ClipFacts:
        return self._reader.facts

    @property
    def damaged(self) -> tuple[int, ...]:
        """Frames that another one stood in for, so far."""
        return tuple(sorted(self._damaged))

    def picture(self, frame: int) -> Picture:
        if frame in self._damaged:
            return self._reader.picture(self._damaged[frame])
        try:
            return self._reader.picture(frame)
        except FrameUnreadable:
            if not 0 <= frame < self.facts.frames:
                raise
            before = self._damaged.get(frame - 1, frame)
            if before < frame:  # the one before is damaged, too, and what stands in for it is known
                self._damaged[frame] = before
                return self._reader.picture(before)
            for other in [*range(frame - 1, -1, -1), *range(frame + 1, self.facts.frames)]:
                try:
                    neighbour = self._reader.picture(other)
                except FrameUnreadable:
                    continue
                self._damaged[frame] = other
                return neighbour
            raise

    def close(self) -> None:
        self._reader.close()


def damage_words(damaged: Sequence[int]) -> str:
    """What to tell of frames that others stood in for; nothing where there are none."""
    if not damaged:
        return ""
    listed = ", ".join(map(str, damaged[:12])) + (" and more" if len(damaged) > 12 else "")
    return f"Damaged in the source, shown as the frame before: {listed}."


@dataclass(frozen=True)
class HeldPicture:
    """One decoded picture as a source: readers serve one thread at a time, renders run in many."""

    facts: ClipFacts
    held: Picture

    def picture(self, frame: int) -> Picture:
        return self.held

    def close(self) -> None:
        pass


def eight_bits(codes: NDArray[Any]) -> NDArray[np.uint8]:
    """Codes in 8 bits a channel, whatever they have."""
    return np.ascontiguousarray((codes >> 8) if codes.dtype == np.uint16 else codes, np.uint8)


def shrink(picture: Picture, long_side: int) -> Picture:
    """The picture scaled down to `long_side` px on its long side; smaller ones stay as they are."""
    factor = long_side / max(picture.size)
    if factor >= 1:
        return picture
    height, width = (max(1, round(side * factor)) for side in picture.size)
    return Picture(resized(picture.codes, (width, height)), picture.transfer)


def decode_still(data: bytes, name: str) -> Codes:
    """RGB codes, 8 or 16 bits, of a PNG, JPEG, TIFF or WebP; transparency is laid over black.

    Raises:
        FrameUnreadable: the data is no such picture.
    """
    # A JPEG is turned upright as its camera noted; only without that may the decoder keep transparency.
    how = cv2.IMREAD_ANYCOLOR | cv2.IMREAD_ANYDEPTH if data[:2] == b"\xff\xd8" else cv2.IMREAD_UNCHANGED
    raw: NDArray[Any] | None = cv2.imdecode(np.frombuffer(data, np.uint8), how)
    if raw is None or raw.dtype not in (np.uint8, np.uint16):
        raise FrameUnreadable(f"{name} cannot be read as a picture of 8 or 16 bits a channel")
    if raw.ndim == 2:
        raw = cv2.cvtColor(raw, cv2.COLOR_GRAY2BGR)
    elif raw.shape[2] == 4:
        top = np.iinfo(raw.dtype).max
        raw = np.round(raw[..., :3] * (raw[..., 3:] / top)).astype(raw.dtype)
    codes: Codes = cv2.cvtColor(raw, cv2.COLOR_BGR2RGB)
    return codes


class ReaderPool:
    """Keeps a few clips open between requests; a reader serves one thread at a time."""

    def __init__(self, most: int = 8) -> None:
        self._most = most
        self._idle: list[tuple[Path, PictureSource]] = []
        self._lock = threading.Lock()

    @contextmanager
    def borrow(self, path: Path, facts: ClipFacts) -> Iterator[PictureSource]:
        with self._lock:
            idle = next((pair for pair in reversed(self._idle) if pair[0] == path), None)
            if idle:
                self._idle.remove(idle)
        reader = idle[1] if idle else open_clip(path, facts)
        try:
            yield reader
        except BaseException:
            reader.close()
            raise
        with self._lock:
            self._idle.append((path, reader))
            surplus = self._idle[: -self._most]
            del self._idle[: len(surplus)]
        for _, old in surplus:
            old.close()
