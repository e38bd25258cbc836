"""Small made clips for the tests: encoded here, with what is to be tried about them."""

from __future__ import annotations

import io
import zipfile
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from numpy.typing import NDArray


def card(frame: int, size: tuple[int, int] = (90, 160)) -> NDArray[np.uint8]:
    """A picture that tells its frame: a bright bar that moves over a slope of grey, and a coloured corner."""
    height, width = size
    picture = np.empty((height, width, 3), np.uint8)
    picture[:] = np.linspace(40, 160, width, dtype=np.uint8)[None, :, None]
    picture[: height // 4, : width // 4] = (200, 60, 40)
    x = (frame * 7) % (width - 10)
    picture[height // 2 :, x : x + 10] = 235
    return picture


def bar_of(picture: NDArray[Any]) -> int:
    """Left edge of a card's bar."""
    row = picture[picture.shape[0] * 3 // 4, :, 1].astype(float)
    return int(np.argmax(np.convolve(row, np.ones(10), "valid")))


def video(
    path: Path, frames: int = 30, rate: Fraction = Fraction(25), size: tuple[int, int] = (90, 160), codec: str = "libx264",
    pixels: str = "yuv420p", sound: str | None = "aac", stamps: list[int] | None = None, options: dict[str, str] | None = None,
    click: float | None = None,
) -> Path:  # fmt: skip
    """Write a clip of cards; `stamps` are presentation times in thousandths of a second, for a variable rate.

    It hums at 440 Hz; at `click`, in seconds, it hisses for 20 ms.
    """
    with av.open(str(path), "w") as container:
        stream: Any = container.add_stream(codec, rate=rate, options=options or {"crf": "12", "g": "10"})
        stream.height, stream.width, stream.pix_fmt = *size, pixels
        step = Fraction(1, 1000) if stamps else 1 / rate
        stream.codec_context.time_base = step
        stream.codec_context.colorspace, stream.codec_context.color_range = 1, 1
        audio: Any = None
        if sound:
            audio = container.add_stream(sound, rate=48000)
            audio.layout = "mono"
        for i in range(frames):
            frame = av.VideoFrame.from_ndarray(card(i, size), format="rgb24").reformat(
                format=pixels, dst_colorspace="ITU709", dst_color_range="MPEG"
            )
            frame.pts, frame.time_base = (stamps[i] if stamps else i), step
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
        if audio:
            count = int(frames / rate * 48000)
            tone = (0.2 * np.sin(np.arange(count) * 2 * np.pi * 440 / 48000)).astype(np.float32)[None]
            if click is not None:
                at = int(click * 48000)
                tone[0, at : at + 960] += np.random.default_rng(1).normal(0, 0.4, 960).astype(np.float32)
            for start in range(0, count, 1024):
                piece = av.AudioFrame.from_ndarray(np.ascontiguousarray(tone[:, start : start + 1024]), "fltp", "mono")
                piece.sample_rate = 48000
                if audio.format.name != "fltp":
                    piece = av.AudioResampler(format=audio.format, layout="mono", rate=48000).resample(piece)[0]
                piece.pts, piece.sample_rate, piece.time_base = start, 48000, Fraction(1, 48000)
                container.mux(audio.encode(piece))
            container.mux(audio.encode(None))
    return path


def damaged(path: Path, frame: int) -> Path:
    """The same clip with the data of one frame spoilt (FFV1 in Matroska: each frame is a packet of its own)."""
    data = bytearray(path.read_bytes())
    with av.open(str(path)) as container:
        packet = [bytes(packet) for packet in container.demux(video=0) if packet.size][frame]
    start = bytes(data).index(packet)
    data[start : start + len(packet)] = bytes(byte ^ 0xA5 for byte in packet)
    path.write_bytes(bytes(data))
    return path


def turned_clockwise(path: Path, out: Path) -> Path:
    """The same MP4 with a display matrix of 90 degrees clockwise in its track header (ISO/IEC 14496-12, 8.3.2)."""
    data = bytearray(path.read_bytes())
    box = data.index(b"tkhd")
    # Behind the type: version and flags (4), times and duration (20), reserved, layer, group, volume (16), matrix.
    matrix = box + 4 + 4 + 20 + 16
    one = 1 << 16
    for i, value in enumerate((0, one, 0, -one, 0, 0, 0, 0, 1 << 30)):
        data[matrix + 4 * i : matrix + 4 * i + 4] = value.to_bytes(4, "big", signed=True)
    out.write_bytes(bytes(data))
    return out


def png(picture: NDArray[Any]) -> bytes:
    done, data = cv2.imencode(".png", picture[..., ::-1])
    return data.tobytes()


def archive(path: Path, names: list[str]) -> Path:
    """A ZIP of cards, one a name, frame numbers in the order given."""
    with zipfile.ZipFile(path, "w") as file:
        for i, name in enumerate(names):
            file.writestr(name, png(card(i)))
        file.writestr("__MACOSX/._junk.png", b"no picture")
        file.writestr("notes.txt", "slate 4")
    return path


def huge_png(width: int, height: int) -> bytes:
    """A PNG whose header claims a size; there is next to nothing behind it."""
    import struct
    import zlib

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    header = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    out = io.BytesIO(b"")
    out.write(
        b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", zlib.compress(b"\0" * 100)) + chunk(b"IEND", b"")
    )
    return out.getvalue()
