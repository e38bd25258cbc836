"""Draw the demo's outlines: traced from the truth at a few frames, as an editor would, and followed between them.

Usage, with Kalyptra's own Python: outlines.py [SCENE ...]. It rewrites the outlines in the scenes' setup.json.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from kalyptra.core import (
    Edge,
    Motion,
    Outline,
    Refine,
    changed,
    drawn_outline,
    follow_range,
    keyed_by_hand,
    read_setup,
)
from kalyptra.shell.benches.follow import TrackedClip, post, traced

TOLERANCE = {"runner": 3.2, "glass": 1.6, "window": 1.6}
"""Px by which a drawn line may stray from the truth: a quick hand."""
KEYS = {"runner": (0, 52, 62, 84, 106), "glass": (0,), "window": (0, 48)}
SUBJECTS = {"runner": "runner", "glass": "glass0", "window": "clerk0"}
EDGES = {
    "runner": Refine(edge=Edge.FAST, edge_width=11),
    "clerk0": Refine(edge=Edge.FAST, edge_width=11),
    "post00": Refine(feather_in=0.5, feather_out=0.5),
}
"""The post's line is exact, those of the others are loose."""
MOTIONS = {"runner": Motion.FREE, "glass": Motion.POSITION, "window": Motion.FREE}


def motion_of(scene: str, part: int) -> Motion:
    """The lantern that the runner carries keeps its shape."""
    return Motion.SIMILARITY if part else MOTIONS[scene]


def outlines_of(scene: str) -> list[Outline]:
    clip = TrackedClip(scene)
    outlines: list[Outline] = []
    for frame in KEYS[scene]:
        drawn = traced(clip.truth(frame), TOLERANCE[scene])
        if not outlines:
            outlines = [
                drawn_outline(f"line{i + 1}", frame, curve, motion=motion_of(scene, i)) for i, curve in enumerate(drawn)
            ]
        elif len(drawn) >= len(outlines):
            outlines = [keyed_by_hand(outline, frame, new) for outline, new in zip(outlines, drawn, strict=False)]
        else:  # the post hides the lantern
            outlines = [keyed_by_hand(outlines[0], frame, drawn[0]), *outlines[1:]]
        if scene == "glass" or 0 < frame < KEYS[scene][-1]:  # nothing moves; or all keys are to be there first
            continue
        last = clip.frames - 1
        outlines = follow_range(outlines, clip.footage, 0, last, clip.width)
    return outlines


if __name__ == "__main__":
    for name in sys.argv[1:] or KEYS:
        path = Path(__file__).resolve().parent / name / "setup.json"
        document = read_setup(path.read_text()).model_dump(mode="json")
        for subject in document["subjects"]:
            if subject["id"] in EDGES:
                subject["refine"] = EDGES[subject["id"]].model_dump(mode="json")
            if subject["id"] == SUBJECTS[name]:
                subject["matte"]["outlines"] = [outline.model_dump(mode="json") for outline in outlines_of(name)]
            if subject["id"] == "post00":
                whole = changed(post(TrackedClip(name)), id="line1", joins="add")
                subject["matte"]["outlines"] = [whole.model_dump(mode="json")]
        document["subjects"] = [entry for entry in document["subjects"] if entry["id"] != "coat00"]
        path.write_text(json.dumps(document, separators=(",", ":")) + "\n")
        print(name, path.stat().st_size // 1024, "KiB")
