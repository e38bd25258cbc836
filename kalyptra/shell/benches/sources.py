"""Following sources of distance over clips whose camera is known: a page's corners, its distances, the horizon, cost.

Both halves are shown: what can be tuned was chosen on the tune half alone. `KALYPTRA_SOURCES_SEEDS` says how many clips
of each move, 1 without it.
"""

from __future__ import annotations

import math
import os
import time
from collections.abc import Iterator
from typing import Any

import numpy as np

from kalyptra.core import (
    EmptyStore,
    Setup,
    camera_of,
    carried_values,
    follow_source,
    free_of,
    read_setup,
    resolve,
    source_with_steps,
)
from kalyptra.shell.benches.figure import Figure
from kalyptra.truth.camera import EYES, FOCAL, CameraClip, Move
from kalyptra.truth.motion.scene import HEIGHT, WIDTH

FRAMES = 100
SIZE = (WIDTH, HEIGHT)


def run() -> Iterator[Figure]:
    seeds = range(int(os.environ.get("KALYPTRA_SOURCES_SEEDS", "1")))
    for half in ("tune", "test"):
        costs: list[float] = []
        for move in Move:
            clips = [CameraClip(move, half, 100 + seed, FRAMES) for seed in seeds]
            horizons, corners, planes = zip(*(_amiss(clip, costs) for clip in clips), strict=True)
            yield Figure(f"{half}, {move.value}: horizon, worst of {FRAMES} frames", max(horizons), "px", 2.0)
            yield Figure(f"{half}, {move.value}: corners, worst", max(corners), "px", 1.5)
            yield Figure(f"{half}, {move.value}: the page's distances, worst", max(planes) * 100, "%", 3.0)
        yield Figure(f"{half}: following, 960x540, CPU a frame, mean", float(np.mean(costs)), "ms", 20.0)


def _amiss(clip: CameraClip, costs: list[float]) -> tuple[float, float, float]:
    """The most by which horizon and corners are off, px, and by which the page's distances are, as a share."""
    seen = clip.seen(0, clip.corners())
    level, roll = clip.horizon(0)
    quay = {"kind": "ground", "id": "quay", "horizon": _still(level), "roll": _still(roll), "height": _still(EYES)}
    page = {"kind": "corners", "id": "page", "corners": [_still((float(x), float(y))) for x, y in seen],
            "width": _still(float(np.linalg.norm(clip.page.across)))}  # fmt: skip
    angle = math.degrees(2 * math.atan(WIDTH / 2 / FOCAL))
    setup = read_setup({"distance": {"sources": [quay, page], "view_angle": angle}})
    sources = tuple(_followed(setup, source, clip, costs) for source in setup.distance.sources)
    setup = setup.model_copy(update={"distance": setup.distance.model_copy(update={"sources": sources})})
    horizon = corner = plane = 0.0
    for frame in range(FRAMES):
        values = carried_values(setup, frame, SIZE)
        truth = clip.horizon(frame)
        for x in (-WIDTH / 2, 0.0, WIDTH / 2):
            here, there = (
                height + math.tan(math.radians(turn)) * x
                for height, turn in ((values["quay"]["horizon"], values["quay"]["roll"]), truth)
            )
            horizon = max(horizon, abs(here - there))
        at = np.array([values["page"][f"corners.{i}"] for i in range(4)])
        places = clip.seen(frame, clip.corners())
        corner = max(corner, float(np.abs(at - places).max()))
        shape: Any = resolve(setup, frame, SIZE).sources[1].shape
        for (x, y), metres in zip(places, clip.distance(frame, clip.corners()), strict=True):
            plane = max(plane, abs(shape.dioptres(float(x), float(y)) * metres - 1))
    return horizon, corner, plane


def _followed(setup: Setup, source: Any, clip: CameraClip, costs: list[float]) -> Any:
    clip.picture(0)  # drawn before the clock runs
    start = time.process_time()
    steps = tuple(
        follow_source(source, clip, range(FRAMES), camera_of(setup, SIZE), free_of(setup, WIDTH, EmptyStore()))
    )
    costs.append((time.process_time() - start) * 1000 / len(steps))
    return source_with_steps(source, steps)


def _still(value: Any) -> dict[str, Any]:
    return {"keys": [{"frame": 0, "value": value}]}
