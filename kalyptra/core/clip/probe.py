"""Find out what an untrusted file is. The file's name and what it claims are not believed; its bytes are."""

from __future__ import annotations

import io
from collections.abc import Callable
from fractions import Fraction
from functools import partial
from itertools import accumulate, pairwise
from pathlib import Path
from statistics import median
from typing import Any

import av
from PIL import Image

from kalyptra.core.clip.archive import ArchiveUnreadable, member_names, open_archive, read_member
from kalyptra.core.clip.facts import ClipFacts, FootageKind, Rate, Transfer
from kalyptra.core.clip.guarded import GuardedFailure, Limits, run_guarded
from kalyptra.core.clip.reader import MAX_PIXELS, open_clip, open_container

SLOWEST, FASTEST = Fraction(1, 1000), Fraction(1000)
"""Frames a second."""
MAX_FRAMES = 500_000
STILL_AT_MOST = 60
"""Seconds that a still can be held; how long a shot holds it is the shot's own."""
STANDARD_RATES = tuple(
    Fraction(*pair)
    for pair in ((24000, 1001), (24, 1), (25, 1), (30000, 1001), (30, 1), (48, 1), (50, 1), (60000, 1001), (60, 1),
                 (100, 1), (120000, 1001), (120, 1), (240, 1))
)  # fmt: skip
PICTURE_SUFFIXES = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".webp")
SRGB_TRANSFERS = {13}
"""ITU-T H.273 code points that mean the sRGB curve; every other is read as BT.709."""


MOST_STRETCH = 8
"""Frames of the constant rate that a clip of variable rate may have for each frame that its file holds."""
SPARE_FRAMES = 250
LONGEST_HOLD = 10.0
"""Seconds to which gaps are shortened, where that is asked for."""


class NotFootage(Exception):
    """The file cannot be used as footage. The text tells the editor why."""


class LongGaps(NotFootage):
    """The file's few pictures lie far apart in time. The text says how far; shortening the gaps must be asked for."""


def probe(path: Path, rate: Rate, shorten_gaps: bool = False) -> ClipFacts:
    """Find a file's facts, in a process of its own with limits.

    Args:
        path: the file; its name does not matter.
        rate: the rate that stills and picture sequences get.
        shorten_gaps: of a clip of variable rate, let no frame last longer than LONGEST_HOLD.

    Raises:
        NotFootage: it is none, it is damaged beyond use, or it is larger than the limits.
        LongGaps: it would become far longer than what it holds.
    """
    try:
        facts = run_guarded(
            "kalyptra.core.clip.probe:probe_here",
            {"path": str(path), "rate": [rate.numerator, rate.denominator], "shorten_gaps": shorten_gaps},
            Limits(seconds=60),
        )
    except GuardedFailure as failure:
        for kind in (NotFootage, LongGaps):
            if failure.kind == kind.__name__:
                raise kind(str(failure)) from failure
        why = {"time": "looking into it took too long", "memory": "it needs too much memory"}
        raise NotFootage(f"This file cannot be read: {why.get(failure.kind, 'its contents are damaged')}.") from failure
    return ClipFacts.model_validate(facts)


def probe_here(path: str, rate: list[int], shorten_gaps: bool = False) -> dict[str, Any]:
    """The probe itself; runs inside the guarded process."""
    file = Path(path)
    kind = sniff(file)
    given = Rate(numerator=rate[0], denominator=rate[1])
    readers: dict[str, Callable[[Path, Rate], ClipFacts]] = {
        "video": partial(_probe_video, shorten_gaps=shorten_gaps), "archive": _probe_sequence, "picture": _probe_still,
    }  # fmt: skip
    if kind is None:
        raise NotFootage(
            "This is no footage that Kalyptra reads. It takes MP4, MOV, MKV, WebM and AVI video, a ZIP of pictures, "
            "and PNG, JPEG, TIFF or WebP stills."
        )
    facts = readers[kind](file, given)
    try:
        open_clip(file, facts).picture(0)
    except Exception as error:
        raise NotFootage(f"Not even the first frame can be decoded: {error}") from error
    return facts.model_dump(mode="json")


def sniff(path: Path) -> str | None:
    """What the first bytes say: "video", "archive", "picture", or None."""
    head = path.open("rb").read(16)
    if head[4:8] in (b"ftyp", b"moov", b"mdat", b"wide", b"free", b"skip") or head[:4] == b"\x1a\x45\xdf\xa3":
        return "video"
    if head[:4] == b"RIFF" and head[8:12] == b"AVI ":
        return "video"
    if head[:4] in (b"PK\x03\x04",):
        return "archive"
    pictures = (b"\x89PNG\r\n\x1a\n", b"\xff\xd8\xff", b"II*\x00", b"MM\x00*")
    if head.startswith(pictures) or (head[:4] == b"RIFF" and head[8:12] == b"WEBP"):
        return "picture"
    return None


def _probe_video(path: Path, _: Rate, shorten_gaps: bool) -> ClipFacts:
    try:
        container = open_container(path)
    except av.FFmpegError as error:
        raise NotFootage(f"The file looks like a video but cannot be opened: {error.strerror}.") from error
    if not container.streams.video:
        raise NotFootage("There is sound in this file, but no picture.")
    stream = container.streams.video[0]
    if stream.codec_context is None:
        raise NotFootage("The video is in a format that Kalyptra does not decode.")
    notes: list[str] = []
    stamps, damaged = _time_stamps(container, stream)
    if not stamps:
        raise NotFootage("There is not one video frame in this file.")
    if damaged:
        notes.append("The file breaks off or is damaged; what can be decoded is used.")
    stated = stream.average_rate or stream.guessed_rate
    pts, rate, varied = conform(stamps, stream.time_base, stated, LONGEST_HOLD if shorten_gaps else None)
    if varied:
        notes.append(f"Variable frame rate, conformed to {rate_text(rate)} frames/s.")
    first = _first_frame(container, stream)
    if first is None:
        raise NotFootage("Not one frame of this video can be decoded.")
    width, height, rotation, shape_note = _upright_size(first, stream)
    notes += shape_note
    bits = max((part.bits for part in first.format.components), default=8)
    transfer = Transfer.SRGB if int(stream.codec_context.color_trc or 0) in SRGB_TRANSFERS else Transfer.BT709
    if int(stream.codec_context.color_trc or 0) in (16, 18):
        notes.append("The footage is tagged as high dynamic range; it is read as BT.709, so it may look flat.")
    audio = next((s.codec_context.name for s in container.streams.audio if s.codec_context), None)
    if shorten_gaps and varied:
        audio = None
        notes.append(f"Gaps longer than {LONGEST_HOLD:.0f} seconds were shortened to that; the sound was left out.")
    return ClipFacts(
        kind=FootageKind.VIDEO, container=container.format.name, codec=stream.codec_context.name,
        width=width, height=height,
        rate=Rate.of(rate), frames=len(pts), transfer=transfer, bits=bits, rotation=rotation, pts=tuple(pts),
        time_base=Rate.of(stream.time_base), audio=audio, notes=tuple(notes),
    )  # fmt: skip


def _time_stamps(container: Any, stream: Any) -> tuple[list[int], bool]:
    """Presentation times of all frames, sorted, without decoding; and whether reading broke off."""
    stamps = set()
    try:
        for packet in container.demux(stream):
            if packet.pts is not None and packet.size:
                if packet.is_discard:
                    continue
                stamps.add(packet.pts)
            if len(stamps) > MAX_FRAMES:
                raise NotFootage(f"The clip has more than {MAX_FRAMES:,} frames. Cut it into shorter files first.")
    except av.FFmpegError:
        return sorted(stamps), True
    return sorted(stamps), False


def conform(
    stamps: list[int], time_base: Fraction, stated: Fraction | None, longest: float | None = None
) -> tuple[list[int], Fraction, bool]:
    """Lay frames with any time stamps onto a constant rate.

    Args:
        stamps: sorted presentation times, in units of time_base.
        stated: the rate that the file gives, or None.
        longest: seconds that a frame may last; as long as the file says without it.

    Returns:
        For each frame of the constant rate the stamp of the frame to show, the rate, and whether the source
        varied. A frame is shown at the time nearest to its own.

    Raises:
        LongGaps: the clip would have far more frames than the file holds, and `longest` was not given.
        NotFootage: its times make no sense.
    """
    stated = stated if stated and _can_be(stated) else None
    if len(stamps) == 1:
        return stamps, stated or Fraction(25), False
    steps = [b - a for a, b in pairwise(stamps)]
    seconds = float((stamps[-1] - stamps[0]) * time_base)
    measured = Fraction((len(stamps) - 1) / seconds).limit_denominator(100_000)
    for constant in filter(_can_be, map(_near_standard, filter(None, (stated, measured)))):
        # Containers that count in milliseconds round every stamp: allow that, and one twentieth of a frame.
        allowed = max(1.5 * float(time_base), 0.05 / float(constant))
        late = (abs(float((stamp - stamps[0]) * time_base) - i / float(constant)) for i, stamp in enumerate(stamps))
        if max(late) <= allowed:
            return stamps, constant, False
    usual = float(median(steps) * time_base)
    rate = _near_standard(1 / (Fraction(median(steps)) * time_base), snap=0.04)
    if not _can_be(rate):
        raise NotFootage(f"By their times its pictures come at {float(rate):.3g} a second, which no clip has.")
    lasts = [float(step * time_base) for step in steps]
    if longest is not None:
        lasts = [min(last, max(longest, usual)) for last in lasts]
    shown_at = [0.0, *accumulate(lasts)]
    count = max(1, round((shown_at[-1] + usual) * float(rate)))
    if count > MOST_STRETCH * len(stamps) + SPARE_FRAMES and longest is None:
        raise LongGaps(
            f"This file holds {len(stamps):,} pictures over {_duration(shown_at[-1])}, with long gaps between them. At "
            f"{rate_text(rate)} frames/s it would become {count:,} frames. Take it with gaps of at most "
            f"{LONGEST_HOLD:.0f} seconds, without its sound, or cut it first."
        )
    if count > MAX_FRAMES:
        raise NotFootage(f"The clip would have more than {MAX_FRAMES:,} frames. Cut it into shorter files first.")
    chosen, at = [], 0
    for frame in range(count):
        time = (frame + 0.5) / float(rate)
        while at + 1 < len(stamps) and shown_at[at + 1] <= time:
            at += 1
        chosen.append(stamps[at])
    return chosen, rate, True


def _can_be(rate: Fraction) -> bool:
    """Whether a clip can have a rate: damaged files say anything."""
    return SLOWEST <= rate <= FASTEST


def _duration(seconds: float) -> str:
    minutes, rest = divmod(round(seconds), 60)
    hours, minutes = divmod(minutes, 60)
    return f"{hours} h {minutes} min" if hours else f"{minutes} min {rest} s" if minutes else f"{rest} s"


def _near_standard(rate: Fraction, snap: float = 0.0004) -> Fraction:
    nearest = min(STANDARD_RATES, key=lambda standard: abs(standard - rate))
    return nearest if abs(nearest / rate - 1) <= snap else rate.limit_denominator(1001)


def rate_text(rate: Fraction) -> str:
    """A rate in words: whole, or to three places."""
    return str(rate.numerator) if rate.denominator == 1 else f"{float(rate):.3f}"


def _first_frame(container: Any, stream: Any) -> Any:
    """The first frame that can be decoded; None where there is none, or where the start cannot be read."""
    try:
        container.seek(0)
        for packet in container.demux(stream):
            try:
                for frame in packet.decode():
                    return frame
            except av.FFmpegError:
                continue
    except av.FFmpegError:
        pass
    return None


def _upright_size(frame: Any, stream: Any) -> tuple[int, int, int, list[str]]:
    width, height, notes = frame.width, frame.height, []
    shape = stream.sample_aspect_ratio
    if shape and shape != 1:
        width = max(2, round(width * float(shape)))
        notes.append(f"The pixels are not square; the picture is shown {width} px wide.")
    # FFmpeg's display matrix counts counter-clockwise.
    rotation = -round(frame.rotation / 90) * 90 % 360
    if rotation:
        notes.append(f"Turned by {rotation} degrees, as the camera noted.")
    if rotation in (90, 270):
        width, height = height, width
    _check_size(width, height, "The picture")
    return width, height, rotation, notes


def _picture_size(data: bytes, name: str) -> tuple[int, int, int]:
    """(width, height, bits) from a picture's header alone."""
    Image.MAX_IMAGE_PIXELS = None  # we check ourselves, before anything is decoded
    try:
        with Image.open(io.BytesIO(data), formats=("PNG", "JPEG", "TIFF", "WEBP")) as image:
            (width, height), mode, animated = image.size, image.mode, getattr(image, "n_frames", 1)
            _check_size(width, height, name)  # before anything that might decode
            orientation = image.getexif().get(0x0112, 1) if image.format == "JPEG" else 1
    except NotFootage:
        raise
    except Exception as error:
        raise NotFootage(f"{name} cannot be read as a picture.") from error
    if animated > 1 and not name.lower().endswith((".tif", ".tiff")):
        raise NotFootage(f"{name} moves. Save it as a video or as a sequence of stills.")
    if orientation in (5, 6, 7, 8):  # the decoder turns these upright by itself
        width, height = height, width
    return width, height, 16 if mode.startswith("I;16") else 8


def checked_size(picture: bytes | tuple[int, int], name: str) -> tuple[int, int]:
    """(width, height) of a picture's data, or as its header says.

    Raises:
        NotFootage: it is too large or too small to be taken.
    """
    if isinstance(picture, bytes):
        return _picture_size(picture, name)[:2]
    _check_size(*picture, name)
    return picture


def _check_size(width: int, height: int, name: str) -> None:
    if width * height > MAX_PIXELS or max(width, height) > 16384:
        raise NotFootage(f"{name} is {width} x {height} px; at most {MAX_PIXELS / 1e6:.0f} megapixels are taken.")
    if min(width, height) < 2:
        raise NotFootage(f"{name} is only {width} x {height} px.")


def _probe_still(path: Path, rate: Rate) -> ClipFacts:
    width, height, bits = _picture_size(path.read_bytes(), path.name)
    return ClipFacts(
        kind=FootageKind.STILL, container="still", codec="picture", width=width, height=height, rate=rate, bits=bits,
        frames=round(STILL_AT_MOST * rate.fraction), transfer=Transfer.SRGB,
        notes=(f"A still, held for as long as you say, up to {STILL_AT_MOST} seconds.",),
    )  # fmt: skip


def _probe_sequence(path: Path, rate: Rate) -> ClipFacts:
    try:
        with open_archive(path) as archive:
            names = member_names(archive, PICTURE_SUFFIXES)
            width, height, bits = _picture_size(read_member(archive, names[0]), names[0])
            for name in names[1:]:
                if _picture_size(read_member(archive, name, 1 << 16), name)[:2] != (width, height):
                    raise NotFootage(f"{name} has another size than {names[0]}; all pictures must match.")
    except ArchiveUnreadable as refusal:
        raise NotFootage(str(refusal)) from refusal
    return ClipFacts(
        kind=FootageKind.SEQUENCE, container="zip", codec="pictures", width=width, height=height, rate=rate,
        frames=len(names), transfer=Transfer.SRGB, bits=bits, members=tuple(names),
        notes=(f"A sequence of {len(names)} pictures at {rate_text(rate.fraction)} frames/s.",),
    )  # fmt: skip
