"""Export at 1080 lines beside decoding and encoding alone, in the same run."""

from __future__ import annotations

import json
import tempfile
from collections.abc import Iterator
from pathlib import Path

from kalyptra.core import ClipFacts, RenderJob, Setup, decode_and_encode, read_setup, render_to_file
from kalyptra.core import probe as probe_clip
from kalyptra.shell.benches.figure import Figure, wall
from kalyptra.shell.benches.scene import DEMO

FRAMES = 112
"""The whole clip, as a shot is exported: a render's processes take about 3 s to start."""


def run() -> Iterator[Figure]:
    facts = ClipFacts.model_validate(json.loads((DEMO / "prepared.json").read_text())["facts"])
    setup = read_setup((DEMO / "setup.json").read_text())
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        source = folder / "1080.mp4"
        decode_and_encode(DEMO / "clip.mp4", facts, source, (1080, 1920), range(FRAMES), "veryfast")
        clip = probe_clip(source, facts.rate)
        for compression, preset, most in (("good", "veryfast", 3.0), ("high", "medium", 1.7)):
            document = scaled(setup, clip.width / facts.width).model_dump(mode="json")
            document |= {"output": {"height": 0, "quality": compression}, "footage": {"first": 0, "last": FRAMES - 1}}
            job = RenderJob(read_setup(document), source, clip, 0, FRAMES - 1)
            out = folder / f"{preset}.mp4"
            alone = wall(lambda p=preset, o=out: decode_and_encode(source, clip, o, (1080, 1920), range(FRAMES), p))  # type: ignore[misc]
            with_lens = wall(lambda j=job, o=out, p=preset: render_to_file(j, folder / p, o, lambda *_: True))  # type: ignore[misc]
            yield Figure(f"decode and encode alone ({preset}), 1080 lines", FRAMES / alone, "frames/s")
            yield Figure(f"with the lens ({preset}), 1080 lines", FRAMES / with_lens, "frames/s")
            yield Figure(f"time with the lens over time alone ({preset})", with_lens / alone, "x", most)


def scaled(setup: Setup, factor: float) -> Setup:
    """The setup for the same clip at another size: its lengths are px of the source."""
    document = setup.model_dump(mode="json")
    for subject in document["subjects"]:
        for outline in subject["matte"]["outlines"]:
            for key in outline["placement"]["keys"]:
                a, b, c, d, e, f, g, h = key["value"]
                key["value"] = (a * factor, b * factor, c * factor, d * factor, e * factor, f * factor, g, h)
            for step in outline["steps"]:
                a, b, c, d, e, f, g, h = step["warp"]
                step["warp"] = (a, b, c * factor, d, e, f * factor, g / factor, h / factor)
    return read_setup(document)
