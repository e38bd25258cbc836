"""Small files of every kind that is taken, and ways to damage them; the same ones for the same seed."""

from __future__ import annotations

import io
import random
import zipfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Sample:
    """A sound file.

    Attributes:
        goes: where it is brought: footage, matte-file, plate-file, map-file, svg or csv.
    """

    name: str
    goes: str
    data: bytes


def picture(i: int) -> NDArray[np.uint8]:
    """A lantern that wanders over a quay."""
    made = np.full((90, 160, 3), (40, 36, 60), np.uint8)
    cv2.circle(made, (20 + 9 * i, 40), 12, (90, 170, 240), -1)
    return np.asarray(made, np.uint8)


def clip(
    folder: Path, suffix: str, codec: str, pixels: str, frames: int = 12, stamps: list[int] | None = None
) -> bytes:
    """A short clip; `stamps` are its presentation times in hundredths of a second."""
    path = folder / f"clip{suffix}"
    with av.open(str(path), "w") as container:
        stream: Any = container.add_stream(codec, rate=25)
        stream.width, stream.height, stream.pix_fmt = 160, 90, pixels
        for i in range(frames):
            frame = av.VideoFrame.from_ndarray(picture(i % 12), format="bgr24").reformat(format=pixels)
            if stamps:
                from fractions import Fraction

                frame.pts, frame.time_base = stamps[i], Fraction(1, 100)
                stream.codec_context.time_base = Fraction(1, 100)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path.read_bytes()


def still(suffix: str, depth: Any = np.uint8) -> bytes:
    top = 257 if depth == np.uint16 else 1
    return bytes(cv2.imencode(suffix, (picture(3).astype(np.uint32) * top).astype(depth))[1].tobytes())


def packed(suffix: str, count: int = 4) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for i in range(count):
            archive.writestr(f"quay-{i:03}{suffix}", cv2.imencode(suffix, picture(i))[1].tobytes())
    return out.getvalue()


def exr(folder: Path) -> bytes:
    import OpenEXR

    path = folder / "depth.exr"
    ramp = np.tile(np.linspace(1, 20, 160, dtype=np.float32), (90, 1))
    OpenEXR.File({"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}, {"Z": ramp}).write(str(path))
    return path.read_bytes()


SVG = (
    '<svg xmlns="http://www.w3.org/2000/svg" width="160" height="90"><g data-frame="2">'
    '<path d="M20 20C40 10 60 10 80 20L80 60Z"/></g><rect x="10" y="10" width="30" height="20"/>'
    '<circle cx="60" cy="40" r="12" transform="rotate(20)"/></svg>'
)
CSV = "frame,timecode,distance_m,near_m,far_m,f_number\n0,00:00:00:00,2.5,2,3,1.8\n12,00:00:00:12,0.9,0.8,1,1.8\n"


def samples(folder: Path) -> list[Sample]:
    """One of each kind."""
    video = [
        ("a.mp4", clip(folder, ".mp4", "libx264", "yuv420p")),
        ("a.mkv", clip(folder, ".mkv", "ffv1", "yuv420p")),
        ("a.avi", clip(folder, ".avi", "mjpeg", "yuvj420p")),
        ("a.webm", clip(folder, ".webm", "libvpx-vp9", "yuv420p")),
        ("a.mov", clip(folder, ".mov", "prores_ks", "yuv422p10le")),
        ("slow.mkv", clip(folder, ".mkv", "libx264", "yuv420p", 10, [0, 4, 8, 12, 60, 64, 68, 700, 704, 2_000_000])),
    ]
    stills = [
        ("a.png", still(".png")), ("a16.png", still(".png", np.uint16)), ("a.jpg", still(".jpg")),
        ("a.tif", still(".tif")), ("a.webp", still(".webp")), ("a.zip", packed(".png")), ("b.zip", packed(".jpg")),
    ]  # fmt: skip
    samples = [Sample(name, "footage", data) for name, data in (*video, *stills)]
    samples += [Sample(name, goes, data) for goes in ("matte-file", "plate-file", "map-file")
              for name, data in (video[0], video[1], stills[0], stills[1], stills[5])]  # fmt: skip
    samples += [Sample("depth.exr", "map-file", exr(folder)), Sample("a.svg", "svg", SVG.encode())]
    samples += [Sample("nested.svg", "svg", nested().encode()), Sample("a.csv", "csv", CSV.encode())]
    return samples


def nested(levels: int = 12, width: int = 4) -> str:
    """An element used again and again within itself: a few bytes that would grow beyond all bounds."""
    parts = ['<path id="u0" d="M0 0L9 0L9 9Z"/>']
    for level in range(1, levels):
        parts.append(f'<g id="u{level}">' + f'<use href="#u{level - 1}"/>' * width + "</g>")
    return f'<svg xmlns="http://www.w3.org/2000/svg">{"".join(parts)}<use href="#u{levels - 1}"/></svg>'


def damaged(data: bytes, chance: random.Random) -> bytes:
    """A file that is broken one way or another; one in eight stays as it is."""
    damaged = bytearray(data)
    length = len(damaged)
    way = chance.randrange(8)
    if way == 1:
        del damaged[chance.randrange(length) :]
    elif way == 2:
        for _ in range(chance.choice((1, 8, 64))):
            damaged[chance.randrange(length)] = chance.randrange(256)
    elif way == 3:
        start = chance.randrange(length)
        damaged[start : start + chance.randrange(1, 4096)] = bytes(min(4096, length - start))
    elif way == 4:
        start = chance.randrange(length)
        damaged[start:start] = damaged[: chance.randrange(1, 4096)]
    elif way == 5:
        damaged[: min(length, 64)] = chance.randbytes(min(length, 64))
    elif way == 6:
        start = chance.randrange(length)
        del damaged[start : start + chance.randrange(1, 512)]
    elif way == 7:  # numbers far out of bounds, where there are numbers
        at = chance.randrange(max(1, length - 8))
        damaged[at : at + 8] = chance.choice((b"\xff" * 8, b"99999999", b"-1e99999", b"\0" * 8))
    return bytes(damaged)
