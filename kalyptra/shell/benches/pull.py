"""A rack made ready for playing: frames of the tea glass at 960x540 on two threads, and its numbers over time."""

from __future__ import annotations

import json
import threading
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor

import cv2

from kalyptra.core import (
    ClipFacts,
    HeldPicture,
    MatteCache,
    PictureSource,
    Quality,
    Sources,
    keep_freed_memory,
    open_clip,
    read_frame,
    read_setup,
    render_frame,
    shrink,
)
from kalyptra.shell.benches.figure import Figure, wall
from kalyptra.shell.benches.scene import DEMO

FRAMES = range(30, 78)
"""The pull lies within these."""


def run() -> Iterator[Figure]:
    keep_freed_memory()
    folder = DEMO.parent / "glass"
    prepared = json.loads((folder / "prepared.json").read_text())
    facts, proxy = ClipFacts.model_validate(prepared["facts"]), ClipFacts.model_validate(prepared["proxy_facts"])
    setup = read_setup((folder / "setup.json").read_text())
    own = threading.local()
    mattes = MatteCache(most=48)  # as the viewer has it

    def reader() -> PictureSource:
        if not hasattr(own, "reader"):
            own.reader = open_clip(folder / "proxy.mp4", proxy)
        reader: PictureSource = own.reader
        return reader

    def frame(number: int) -> None:
        footage = HeldPicture(proxy, shrink(reader().picture(number), 960))
        codes = render_frame(
            setup, number, Sources(footage, facts.width, mattes=mattes.of(str(number))), quality=Quality.PREVIEW
        )
        cv2.imencode(".jpg", codes[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 88])

    frame(FRAMES[0])
    with ThreadPoolExecutor(2) as pool:
        list(pool.map(frame, FRAMES[:2]))
        seconds = wall(lambda: list(pool.map(frame, FRAMES)))
    yield Figure("rack at 960x540 on two threads, frames made ready a second", len(FRAMES) / seconds, "a s", 12, True)
    size = (facts.width, facts.height)
    many = [{"frame": i * 100, "value": 1 + i % 7} for i in range(200)]
    long = read_setup({"footage": {"last": 19_999}, "focus": {"distance": {"keys": many}}})
    taken = wall(lambda: [read_frame(long, number, size) for number in range(0, 20_000, 10)])
    yield Figure("numbers of a shot of 20,000 frames and 200 keys, read at 2,000", taken * 1000, "ms")
