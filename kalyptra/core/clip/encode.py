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

from kalyptra.core.clip.facts import ClipFacts, Codes, Rate, Transfer
from kalyptra.core.clip.reader import open_container, resized

# ITU-T H.273 code points.
BT709 = 1
TRANSFER_CODE = {Transfer.BT709: 1, Transfer.SRGB: 13}
COPIED_AUDIO = {"aac", "mp3", "mp3float", "ac3", "alac", "flac", "opus"}
"""Sound that an MP4 carries as it is."""

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


def join_parts(parts: Iterable[Path], rate: Rate, out: Path, sound: tuple[Path, ClipFacts, int, int] | None) -> str:
    """Join parts by copying their packets, and add the source's sound.

    Args:
        parts: MP4s made with the same options, in order.
        sound: the source, its facts, and the range's first and last frame; None for silence.

    Returns:
        What became of the sound: "none", "copied" or "converted to AAC".
    """
    parts = list(parts)
    with av.open(str(out), "w", format="mp4", options={"movflags": "+faststart"}) as target:
        with av.open(str(parts[0])) as first:
            video = target.add_stream_from_template(first.streams.video[0])
            video.time_base = first.streams.video[0].time_base
        audio, packets, state = _sound(target, sound)
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


def _sound(target: Any, sound: tuple[Path, ClipFacts, int, int] | None) -> tuple[Any, list[Any], str]:
    if sound is None or sound[1].audio is None:
        return None, [], "none"
    path, facts, first, last = sound
    # The clip's first picture need not be at time 0 of the file.
    start = Fraction(facts.pts[0]) * facts.time_base.fraction if facts.time_base and facts.pts else Fraction(0)
    begin = start + first / facts.rate.fraction
    end = start + (last + 1) / facts.rate.fraction
    source = open_container(path)
    stream = source.streams.audio[0]
    source.seek(max(0, int(begin * 1_000_000)), backward=True)
    if stream.codec_context.name in COPIED_AUDIO:
        packets = []
        for packet in source.demux(stream):
            if packet.pts is None or not packet.size:
                continue
            time = packet.pts * packet.time_base
            if time >= end:
                break
            if time >= begin:
                shift = round(begin / packet.time_base)
                packet.pts -= shift
                packet.dts = packet.pts
                packets.append(packet)
        return target.add_stream_from_template(stream), packets, "copied"
    encoder = target.add_stream("aac", rate=stream.codec_context.sample_rate)
    encoder.layout = "stereo" if stream.codec_context.layout.nb_channels > 1 else "mono"
    encoder.bit_rate = 192_000
    resampler = av.AudioResampler(format="fltp", layout=encoder.layout, rate=encoder.rate)
    rate, packets = encoder.rate, []
    skip, left = None, round((end - begin) * rate)
    position = 0
    fifo = av.AudioFifo()
    for frame in source.decode(stream):
        for piece in resampler.resample(frame):
            if skip is None:
                skip = max(0, round((begin - frame.pts * frame.time_base) * rate))
            piece.pts = None
            fifo.write(piece)
        if fifo.samples - (skip or 0) >= left:
            break
    if skip:
        fifo.read(min(skip, fifo.samples), partial=True)
    while left > 0 and (piece := fifo.read(min(1024, left), partial=True)) is not None:
        piece.pts, piece.time_base, piece.sample_rate = position, Fraction(1, rate), rate
        position += piece.samples
        left -= piece.samples
        packets += encoder.encode(piece)
    return encoder, packets + encoder.encode(None), "converted to AAC"
