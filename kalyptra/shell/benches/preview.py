"""The preview of a demo shot from its proxy: decode, render, JPEG, as the viewer asks for it."""

from __future__ import annotations

import json
import statistics
from collections.abc import Iterator

import cv2

from kalyptra.core import ClipFacts, HeldPicture, Quality, Sources, open_clip, read_setup, render_frame, shrink
from kalyptra.shell.benches.figure import Figure, wall
from kalyptra.shell.benches.scene import DEMO


def run() -> Iterator[Figure]:
    prepared = json.loads((DEMO / "prepared.json").read_text())
    facts, proxy = ClipFacts.model_validate(prepared["facts"]), ClipFacts.model_validate(prepared["proxy_facts"])
    setup = read_setup((DEMO / "setup.json").read_text())
    reader = open_clip(DEMO / "proxy.mp4", proxy)

    def frame(number: int, size: int) -> None:
        footage = HeldPicture(proxy, shrink(reader.picture(number), size))
        codes = render_frame(setup, number, Sources(footage, facts.width), quality=Quality.PREVIEW)
        cv2.imencode(".jpg", codes[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 88])

    for size in (480, 960):
        frame(0, size)
        taken = [wall(lambda n=n: frame(n, size)) * 1000 for n in range(1, 24)]  # type: ignore[misc]  # noqa: B023
        yield Figure(f"a frame of the runner's proxy at {size} px, wall, median", statistics.median(taken), "ms")
