"""The proxy: a small copy of a clip that seeks fast, for the viewer; and pictures for lists."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2

from kalyptra.core.clip.emerging import put_picture, wanted
from kalyptra.core.clip.encode import H264Writer, even, fit
from kalyptra.core.clip.facts import ClipFacts, Codes, FootageKind, Rate
from kalyptra.core.clip.guarded import Limits, run_guarded
from kalyptra.core.clip.reader import Mended, Picture, open_clip

LONG_SIDE = 960
POSTER_WIDTH = 480
OPTIONS = {"crf": "16", "preset": "veryfast", "g": "12", "keyint_min": "12", "sc_threshold": "0"}


def proxy_size(facts: ClipFacts) -> tuple[int, int]:
    """(height, width) of a clip's proxy, even, at most 960 px on the long side."""
    scale = min(1.0, LONG_SIDE / max(facts.width, facts.height))
    return even(round(facts.height * scale)), even(round(facts.width * scale))


def make_proxy(
    path: Path, facts: ClipFacts, proxy: Path, poster: Path, on_progress: Callable[[dict[str, Any]], bool],
    go_on: Callable[[], bool] | None = None, pictures: Path | None = None,
) -> tuple[ClipFacts, tuple[int, ...]]:  # fmt: skip
    """Decode a whole clip in a guarded process, and write its proxy and a poster.

    Args:
        proxy: where the MP4 goes.
        poster: where the JPEG goes.
        on_progress: gets {"done": frames, "of": frames}; returns False to stop.
        go_on: asked now and then whether to go on.
        pictures: a folder into which each frame is put as soon as it is known (`emerging`).

    Returns:
        The proxy's own facts, and the frames that could not be decoded (another stands in for each).

    Raises:
        GuardedFailure: it could not be done, or was stopped.
    """
    work = {"path": str(path), "facts": facts.model_dump(mode="json"), "proxy": str(proxy), "poster": str(poster)}
    work["pictures"] = str(pictures) if pictures else ""
    seconds = 120 + facts.frames * facts.width * facts.height / 4e6
    made = run_guarded(
        "kalyptra.core.clip.proxy:make_proxy_here", work, Limits(seconds, 8 << 30, 32 << 30), on_progress, go_on
    )
    return ClipFacts.model_validate(made["facts"]), tuple(made["bad"])


def make_proxy_here(
    path: str, facts: dict[str, Any], proxy: str, poster: str, report: Callable[..., None], pictures: str = ""
) -> dict[str, Any]:
    """The work itself; runs inside the guarded process."""
    clip = ClipFacts.model_validate(facts)
    reader = Mended(open_clip(Path(path), clip, threads=2))
    size = proxy_size(clip)
    if clip.kind is FootageKind.STILL:
        codes = _eight_bits(reader.picture(0), size)
        Path(proxy).write_bytes(cv2.imencode(".png", cv2.cvtColor(codes, cv2.COLOR_RGB2BGR))[1].tobytes())
        _put_poster(Path(poster), codes)
        made = clip.model_copy(update={"height": size[0], "width": size[1], "bits": 8, "rotation": 0, "notes": ()})
        return {"facts": made.model_dump(mode="json"), "bad": ()}
    writer = H264Writer(Path(proxy), size, clip.rate, clip.transfer, OPTIONS)
    for frame in range(clip.frames):
        last = _eight_bits(reader.picture(frame), size)
        writer.write(last)
        if pictures:
            put_picture(Path(pictures), frame, last)
            if frame % 4 == 0:
                for ahead in wanted(Path(pictures), clip.frames):
                    put_picture(Path(pictures), ahead, _eight_bits(reader.picture(ahead), size))
        if frame == clip.frames // 3:
            _put_poster(Path(poster), last)
        if frame % 8 == 0:
            report(done=frame, of=clip.frames)
    writer.close()
    return {"facts": _proxy_facts(Path(proxy), clip, size).model_dump(mode="json"), "bad": reader.damaged}


def _put_poster(path: Path, codes: Codes) -> None:
    wide = POSTER_WIDTH / max(codes.shape[:2])
    small = cv2.resize(codes, None, fx=wide, fy=wide, interpolation=cv2.INTER_AREA)
    done, data = cv2.imencode(".jpg", cv2.cvtColor(small, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, 85])
    path.write_bytes(data.tobytes())


def _eight_bits(picture: Picture, size: tuple[int, int]) -> Any:
    codes = picture.codes
    if codes.dtype.itemsize == 2:
        codes = cv2.convertScaleAbs(fit(codes, size), alpha=1 / 257)  # type: ignore[arg-type,assignment]
    return fit(codes, size)  # type: ignore[arg-type]


def _proxy_facts(proxy: Path, clip: ClipFacts, size: tuple[int, int]) -> ClipFacts:
    import av

    with av.open(str(proxy)) as container:
        stream = container.streams.video[0]
        pts = sorted(packet.pts for packet in container.demux(stream) if packet.size and packet.pts is not None)
        base = Rate.of(stream.time_base)  # type: ignore[arg-type]
    return clip.model_copy(
        update={
            "kind": FootageKind.VIDEO, "container": "mp4", "codec": "h264", "height": size[0], "width": size[1],
            "bits": 8, "rotation": 0, "pts": tuple(pts), "time_base": base, "members": (), "audio": None, "notes": (),
        }
    )  # fmt: skip
