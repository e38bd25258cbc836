"""The lens on one thread, 8 bits to 8 bits: CPU of a frame, and how the cost grows."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
from numpy.typing import NDArray

from kalyptra.core import (
    CharacterAt,
    CutOut,
    Opening,
    Quality,
    ThinLens,
    Transfer,
    keep_freed_memory,
    through_lens,
    to_codes,
    to_light,
)
from kalyptra.shell.benches.figure import Figure, cpu_ms
from kalyptra.shell.benches.scene import Scene, runner

FOCAL_LENGTH, SENSOR = 0.05, 0.036


def run() -> Iterator[Figure]:
    keep_freed_memory()
    preview = cpu_ms(frame_of(runner(960, 540), 40, Quality.PREVIEW))
    final = cpu_ms(frame_of(runner(1920, 1080), 80, Quality.FINAL))
    yield Figure("preview 960x540, discs up to 40 px, CPU a frame", preview, "ms", 40)
    yield Figure("final 1920x1080, discs up to 80 px, CPU a frame", final, "ms", 140)
    small = cpu_ms(frame_of(runner(960, 540), 40, Quality.FINAL))
    yield Figure("final: four times the area, the same discs in px, cost ratio", cpu_ms(
        frame_of(runner(1920, 1080), 40, Quality.FINAL)) / small, "x", 4.4)  # fmt: skip
    yield Figure("final: discs twice as large, cost ratio", final / cpu_ms(
        frame_of(runner(1920, 1080), 40, Quality.FINAL)), "x", 2.0)  # fmt: skip


def frame_of(
    scene: Scene, disc: float, quality: Quality, character: CharacterAt | None = None
) -> Callable[[], NDArray[np.uint8]]:
    """A frame with the subject in focus and discs of up to `disc` px elsewhere."""
    distance, width = scene.subject_distance, scene.codes.shape[1]
    away = float(np.abs(scene.dioptres - 1 / distance).max())
    f_number = ThinLens(FOCAL_LENGTH, 1, distance, SENSOR).coc_slope(width) * away / disc
    lens = ThinLens(FOCAL_LENGTH, f_number, distance, SENSOR)
    opening = Opening(lens, character=character or CharacterAt(), full_width=width)

    def work() -> NDArray[np.uint8]:
        light = to_light(scene.codes, Transfer.SRGB)
        subject = CutOut(scene.matte, distance)
        return to_codes(through_lens(light, scene.dioptres, [subject], opening, quality=quality), Transfer.SRGB)

    return work
