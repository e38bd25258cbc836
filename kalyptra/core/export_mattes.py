"""Mattes and cut-outs to take away: as numbered PNGs, as FFV1, and as the alpha of a clip."""

from __future__ import annotations

import zipfile
from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from av.video.reformatter import ColorRange, Colorspace
from numpy.typing import NDArray

from kalyptra.core.clip.encode import BT709, TRANSFER_CODE, even
from kalyptra.core.clip.facts import ClipFacts
from kalyptra.core.clip.guarded import Limits, run_guarded
from kalyptra.core.clip.reader import HeldPicture, Mended, damage_words, open_clip
from kalyptra.core.compiled import one_thread_a_frame
from kalyptra.core.compose import Sources
from kalyptra.core.export import Progress
from kalyptra.core.frame import cut_out
from kalyptra.core.matte.stored import codes_of
from kalyptra.core.setup.document.setup import Setup
from kalyptra.core.store import FolderStore


class Format(StrEnum):
    """What mattes are taken away as."""

    PNG8 = "png-8"
    PNG16 = "png-16"
    FFV1 = "ffv1"
    WEBM = "webm"
    PRORES = "prores"

    @property
    def suffix(self) -> str:
        return {Format.FFV1: ".mkv", Format.WEBM: ".webm", Format.PRORES: ".mov"}.get(self, ".zip")


@dataclass(frozen=True)
class MatteJob:
    """All that a file of mattes depends on.

    Attributes:
        setup: whose mattes.
        source, facts: the clip.
        store_folder: folder of stored mattes and plates.
        first, last: range in frames of the clip, both written.
        subject: id of one subject; all together without it.
    """

    setup: Setup
    source: Path
    facts: ClipFacts
    store_folder: Path
    first: int
    last: int
    format: Format
    subject: str | None = None


def mattes_to_file(
    job: MatteJob, out: Path, on_progress: Progress, go_on: Callable[[], bool] | None = None
) -> str:  # fmt: skip
    """Write mattes or a cut-out, in a guarded process; the file appears whole or not at all.

    Returns:
        What became of damaged frames, in words.

    Raises:
        GuardedFailure: it failed (kind "cancelled": it was stopped).
    """
    unfinished = out.with_suffix(".unfinished")
    work = {
        "setup": job.setup.model_dump(mode="json"), "facts": job.facts.model_dump(mode="json"),
        "source": str(job.source), "store_folder": str(job.store_folder), "span": [job.first, job.last],
        "made": job.format.value, "subject": job.subject, "out": str(unfinished),
    }  # fmt: skip
    seconds = 300 + (job.last - job.first + 1) * job.facts.width * job.facts.height / 1e5
    said = run_guarded("kalyptra.core.export_mattes:write_here", work, Limits(seconds, 16 << 30, 64 << 30),
                       lambda report: on_progress(int(report["done"]), 0.0), go_on)  # fmt: skip
    unfinished.replace(out)
    return str(said)


def write_here(
    setup: dict[str, Any], facts: dict[str, Any], source: str, store_folder: str, span: list[int], made: str,
    subject: str | None, out: str, report: Callable[..., None],
) -> str:  # fmt: skip
    """Write all frames; runs inside the guarded process."""
    one_thread_a_frame()
    look, clip = Setup.model_validate(setup), ClipFacts.model_validate(facts)
    reader, store, kind = (
        Mended(open_clip(Path(source), clip, threads=2)),
        FolderStore(Path(store_folder)),
        Format(made),
    )
    writer = _Pictures(Path(out), kind) if kind.suffix == ".zip" else _Clip(Path(out), kind, clip)
    for frame in range(span[0], span[1] + 1):
        held = HeldPicture(clip, reader.picture(frame))
        codes, matte = cut_out(look, frame, Sources(held, clip.width, store), subject)
        writer.write(frame, codes, matte)
        report(done=frame - span[0] + 1)
    writer.close()
    return damage_words(reader.damaged)


class _Pictures:
    """Numbered grey PNGs in a ZIP archive."""

    def __init__(self, path: Path, kind: Format) -> None:
        self._archive = zipfile.ZipFile(path, "w", zipfile.ZIP_STORED)
        self._depth: Any = np.uint16 if kind is Format.PNG16 else np.uint8

    def write(self, frame: int, codes: NDArray[np.uint8], matte: NDArray[np.float32]) -> None:
        _, data = cv2.imencode(".png", codes_of(matte, self._depth))
        # A fixed date: the same mattes make the same file.
        self._archive.writestr(zipfile.ZipInfo(f"{frame:05d}.png", (1980, 1, 1, 0, 0, 0)), data.tobytes())

    def close(self) -> None:
        self._archive.close()


class _Clip:
    """Grey video, or colour with the matte as its alpha (not multiplied in)."""

    def __init__(self, path: Path, kind: Format, facts: ClipFacts) -> None:
        codec, container, pixels, options = {
            Format.FFV1: ("ffv1", "matroska", "gray16le", {"level": "3", "slicecrc": "1"}),
            Format.WEBM: (
                "libvpx-vp9", "webm", "yuva420p",
                {"crf": "18", "b": "0", "cpu-used": "4", "row-mt": "1", "auto-alt-ref": "0"},
            ),
            Format.PRORES: ("prores_ks", "mov", "yuva444p10le", {"profile": "4444", "alpha_bits": "16"}),
        }[kind]  # fmt: skip
        self._container = av.open(str(path), "w", format=container)
        stream: Any = self._container.add_stream(codec, rate=facts.rate.fraction)
        height, width = (even(facts.height), even(facts.width)) if kind is Format.WEBM else (facts.height, facts.width)
        stream.height, stream.width, stream.pix_fmt = height, width, pixels
        stream.time_base = stream.codec_context.time_base = 1 / facts.rate.fraction
        stream.codec_context.options = options
        if kind is not Format.FFV1:
            context = stream.codec_context
            context.color_primaries, context.colorspace, context.color_range = BT709, BT709, 1
            context.color_trc = TRANSFER_CODE[facts.transfer]
        self._stream, self._kind, self._count, self._step = stream, kind, 0, 1 / facts.rate.fraction
        self._size, self._pixels = (height, width), pixels

    def write(self, frame: int, codes: NDArray[np.uint8], matte: NDArray[np.float32]) -> None:
        height, width = self._size
        if self._kind is Format.FFV1:
            made = av.VideoFrame.from_ndarray(codes_of(matte, np.uint16), format="gray16le")
        else:
            alpha = codes_of(matte[:height, :width], np.uint16)
            colour = codes[:height, :width].astype(np.uint16) * np.uint16(257)
            rgba = np.ascontiguousarray(np.dstack([colour, alpha]))
            made = av.VideoFrame.from_ndarray(rgba, format="rgba64le").reformat(
                format=self._pixels, dst_colorspace=Colorspace.ITU709, src_color_range=ColorRange.JPEG,
                dst_color_range=ColorRange.MPEG,
            )  # fmt: skip
        made.pts, made.time_base = self._count, self._step
        self._count += 1
        self._container.mux(self._stream.encode(made))

    def close(self) -> None:
        self._container.mux(self._stream.encode(None))
        self._container.close()
