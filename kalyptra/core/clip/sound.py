"""The sound of a range of a clip, as packets for an MP4: copied, encoded anew, or in another time at its pitch."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
from av.filter import Graph

from kalyptra.core.clip.facts import ClipFacts
from kalyptra.core.clip.reader import open_container

COPIED = {"aac", "mp3", "mp3float", "ac3", "alac", "flac", "opus"}
"""Sound that an MP4 carries as it is."""
BLOCK = 1024
"""Samples that are handled at once: those of a packet of AAC."""


@dataclass(frozen=True)
class SoundOf:
    """Sound of a range of a clip.

    Attributes:
        first, last: the range, frames of the clip.
        speed: how many times as fast it passes.
    """

    source: Path
    facts: ClipFacts
    first: int
    last: int
    speed: float = 1.0


def sound_packets(target: Any, sound: SoundOf) -> tuple[Any, list[Any], str]:
    """The stream of a file that is written, its packets, and what became of the sound: "none", "copied", "converted to
    AAC" or "retimed"."""
    facts = sound.facts
    if facts.audio is None:
        return None, [], "none"
    # The clip's first picture need not be at time 0 of the file.
    start = Fraction(facts.pts[0]) * facts.time_base.fraction if facts.time_base and facts.pts else Fraction(0)
    begin = start + sound.first / facts.rate.fraction
    end = start + (sound.last + 1) / facts.rate.fraction
    source = open_container(sound.source)
    stream = source.streams.audio[0]
    source.seek(max(0, int(begin * 1_000_000)), backward=True)
    if stream.codec_context.name in COPIED and sound.speed == 1:
        return target.add_stream_from_template(stream), _copied(source, stream, begin, end), "copied"
    encoder = target.add_stream("aac", rate=stream.codec_context.sample_rate)
    encoder.layout = "stereo" if stream.codec_context.layout.nb_channels > 1 else "mono"
    encoder.bit_rate = 192_000
    pieces = _decoded(source, stream, encoder, begin, end)
    if sound.speed != 1:
        pieces = _retimed(pieces, encoder, sound.speed)
    packets, position = [], 0
    for piece in pieces:
        piece.pts, piece.time_base, piece.sample_rate = position, Fraction(1, encoder.rate), encoder.rate
        position += piece.samples
        packets += encoder.encode(piece)
    return encoder, packets + encoder.encode(None), "converted to AAC" if sound.speed == 1 else "retimed"


def _copied(source: Any, stream: Any, begin: Fraction, end: Fraction) -> list[Any]:
    packets = []
    for packet in source.demux(stream):
        if packet.pts is None or not packet.size:
            continue
        time = packet.pts * packet.time_base
        if time >= end:
            break
        if time >= begin:
            packet.pts -= round(begin / packet.time_base)
            packet.dts = packet.pts
            packets.append(packet)
    return packets


def _decoded(source: Any, stream: Any, encoder: Any, begin: Fraction, end: Fraction) -> Iterator[Any]:
    """The range's samples as the encoder takes them."""
    resampler = av.AudioResampler(format="fltp", layout=encoder.layout, rate=encoder.rate)
    skip, left = None, round((end - begin) * encoder.rate)
    fifo = av.AudioFifo()
    for frame in source.decode(stream):
        for piece in resampler.resample(frame):
            if skip is None:
                skip = max(0, round((begin - frame.pts * frame.time_base) * encoder.rate))
            piece.pts = None
            fifo.write(piece)
        if fifo.samples - (skip or 0) >= left:
            break
    if skip:
        fifo.read(min(skip, fifo.samples), partial=True)
    while left > 0 and (piece := fifo.read(min(BLOCK, left), partial=True)) is not None:
        left -= piece.samples
        yield piece


def _retimed(pieces: Iterator[Any], encoder: Any, speed: float) -> Iterator[Any]:
    """Samples in another time and in their pitch, by FFmpeg's `atempo`: twice, so that each stays within what it does
    well."""
    graph = Graph()
    entry = graph.add_abuffer(
        format="fltp", sample_rate=encoder.rate, layout=encoder.layout.name, time_base=Fraction(1, encoder.rate)
    )
    tempos = [graph.add("atempo", str(speed**0.5)) for _ in range(2)]
    out = graph.add("abuffersink")
    for a, b in zip([entry, *tempos], [*tempos, out], strict=True):
        a.link_to(b)
    graph.configure()
    fifo, position = av.AudioFifo(), 0

    def take() -> None:
        while True:
            try:
                made = out.pull()
            except (av.BlockingIOError, av.EOFError):
                return
            made.pts = None
            fifo.write(made)

    for piece in pieces:
        piece.pts, piece.time_base, piece.sample_rate = position, Fraction(1, encoder.rate), encoder.rate
        position += piece.samples
        entry.push(piece)
        take()
    entry.push(None)
    take()
    left = round(position / speed)
    while left > 0 and (made := fifo.read(min(BLOCK, left), partial=True)) is not None:
        left -= made.samples
        yield made
