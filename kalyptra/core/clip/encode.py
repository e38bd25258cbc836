"""Write pictures as H.264, and join finished parts with sound into one MP4."""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.video.reformatter import ColorRange, Colorspace
from numpy.typing import NDArray

from kalyptra.core.clip.facts import Codes, Rate, Transfer
from kalyptra.core.clip.reader import resized
from kalyptra.core.clip.sound import SoundOf, sound_packets

# ITU-T H.273 code points.
BT709 = 1
TRANSFER_CODE = {Transfer.BT709: 1, Transfer.SRGB: 13}
X264_THREADS = "4"
"""Fixed: the bytes depend on it, and a part must come out the same at any worker."""


def even(length: int) -> int:
    """The chroma of 4:2:0 video needs even sides: an odd one loses its last row or column."""
    return max(2, length - length % 2)


class H264Writer:
    """An MP4 of H.264, BT.709, limited range, one closed group of pictures after the other."""

    def __init__(
        self, path: Path, size: tuple[int, int], rate: Rate, transfer: Transfer, options: dict[str, str]
    ) -> None:
        """
        Args:
            size: (height, width), even.
            options: of libx264: crf, preset, g and so on.
        """
        self._container = av.open(str(path), "w", format="mp4", options={"movflags": "+faststart"})
        stream: Any = self._container.add_stream("libx264", rate=rate.fraction)
        stream.height, stream.width = size
        stream.pix_fmt = "yuv420p"
        stream.time_base = 1 / rate.fraction
        context = stream.codec_context
        context.time_base = 1 / rate.fraction
        context.options = {"threads": X264_THREADS, "flags": "+cgop", "bf": "0", **options}
        context.color_primaries, context.colorspace, context.color_range = BT709, BT709, 1
        context.color_trc = TRANSFER_CODE[transfer]
        # The muxer changes the stream's time base once it has written the header: keep ours.
        self._stream, self._transfer, self._count, self._step = stream, transfer, 0, 1 / rate.fraction

    def write(self, codes: NDArray[np.uint8]) -> None:
        """Add one picture: (height, width, 3) RGB codes."""
        frame = av.VideoFrame.from_ndarray(codes, format="rgb24").reformat(
            format="yuv420p",
            dst_colorspace=Colorspace.ITU709,
            src_color_range=ColorRange.JPEG,
            dst_color_range=ColorRange.MPEG,
        )
        frame.pts, frame.time_base = self._count, self._step
        frame.color_primaries, frame.color_trc = BT709, TRANSFER_CODE[self._transfer]
        self._count += 1
        self._container.mux(self._stream.encode(frame))

    def close(self) -> None:
        self._container.mux(self._stream.encode(None))
        self._container.close()


def fit(codes: Codes, size: tuple[int, int]) -> Codes:
    """Scale a picture to (height, width)."""
    return codes if codes.shape[:2] == size else resized(codes, (size[1], size[0]))


def join_parts(parts: Iterable[Path], rate: Rate, out: Path, sound: SoundOf | None) -> str:
    """Join parts by copying their packets, and add the source's sound.

    Args:
        parts: MP4s made with the same options, in order.
        sound: where the sound comes from; None for silence.

    Returns:
        What became of the sound: "none", "copied", "converted to AAC" or "retimed".
    """
    parts = list(parts)
    with av.open(str(out), "w", format="mp4", options={"movflags": "+faststart"}) as target:
        with av.open(str(parts[0])) as first:
            video = target.add_stream_from_template(first.streams.video[0])
            video.time_base = first.streams.video[0].time_base
        audio, packets, state = sound_packets(target, sound) if sound else (None, [], "none")
        frame_time = Fraction(1, 1) / rate.fraction
        done = 0
        for part in parts:
            with av.open(str(part)) as source:
                count = 0
                for packet in source.demux(source.streams.video[0]):
                    if packet.size == 0:
                        continue
                    offset = round(done * frame_time / packet.time_base)
                    packet.pts = (packet.pts or 0) + offset
                    packet.dts = (packet.dts or 0) + offset
                    packet.stream = video
                    target.mux(packet)
                    count += 1
                done += count
        for packet in packets:
            packet.stream = audio
            target.mux(packet)
    return state
