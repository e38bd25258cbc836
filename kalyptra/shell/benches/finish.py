"""What is done after the lens, on one thread: CPU of a frame, and beside the lens' own."""

from __future__ import annotations

import time
from collections.abc import Iterator

import numpy as np

from kalyptra.core import (
    CharacterAt,
    ColoursAt,
    GrainAt,
    MeasuredGrain,
    Quality,
    Transfer,
    carry_grain,
    keep_freed_memory,
    to_light,
    with_colours,
    with_table,
)
from kalyptra.shell.benches.figure import Figure, cpu_ms
from kalyptra.shell.benches.lens import frame_of
from kalyptra.shell.benches.scene import Scene, runner

TREATED = ColoursAt(exposure=-0.5, contrast=1.1, gamma=1.05, saturation=0.4, warmth=20, tint_strength=0.2)
STEPS = np.linspace(0, 65535, 33).astype(np.uint16)
CUBE = np.stack([*np.meshgrid(STEPS, STEPS, STEPS, indexing="ij"), np.full((33,) * 3, 65535)], -1).astype(np.uint16)
CUBE = CUBE.reshape(-1, 33, 4)
WHOLE = ColoursAt(exposure=0.2, saturation=1.1)


def run() -> Iterator[Figure]:
    keep_freed_memory()
    tones = [{"tone": 0.5, "deviation": 3.0}]
    grain = GrainAt(1.0, 1.0, MeasuredGrain.model_validate(
        {"channels": [tones] * 3, "together": [0.3, 0.3, 0.3], "spectra": [[1.0] * 12] * 3, "first": 0, "last": 1}
    ))  # fmt: skip
    for width, height, disc, quality, goal in (
        (960, 540, 40, Quality.PREVIEW, 6.0),
        (1920, 1080, 80, Quality.FINAL, 20.0),
    ):
        scene = runner(width, height)
        light = to_light(scene.codes, Transfer.SRGB)
        radius = np.full(light.shape[:2], 9.0, np.float32)
        share = np.clip(scene.dioptres, 0, 1)

        def carry(light=light, radius=radius) -> None:  # type: ignore[no-untyped-def]
            carry_grain(light, radius, grain, 3, 1.0, Transfer.SRGB)

        def colours(light=light, share=share) -> None:  # type: ignore[no-untyped-def]
            with_colours(light, TREATED, Transfer.SRGB, share, WHOLE)

        def table(light=light) -> None:  # type: ignore[no-untyped-def]
            with_table(light, CUBE, "bench", 1.0, Transfer.SRGB)

        lens = cpu_ms(frame_of(scene, disc, quality))
        taken, coloured = cpu_ms(carry), cpu_ms(colours)
        own = frame_of(scene, disc, quality, CharacterAt(cats_eye=0.8, colour_shift=1.0))
        plain = frame_of(scene, disc, quality)
        ratio = min(cpu_ms(own, runs=3) / cpu_ms(plain, runs=3) for _ in range(4))
        yield Figure(f"a lens with cat's-eye and colour beside the plain one, {width}x{height}", ratio, "x", 1.8)
        yield Figure(
            f"one with cat's-eye and rim, first frame beside the next ones, {width}x{height}",
            _first_beside_next(scene, disc, quality),
            "x",
        )
        yield Figure(f"grain, {width}x{height}, CPU a frame", taken, "ms", goal)
        yield Figure(f"grain beside the lens, {width}x{height}", taken / lens, "x")
        yield Figure(f"colours where blurred and everywhere, {width}x{height}", coloured, "ms", 15.0)
        yield Figure(f"the same beside the lens, {width}x{height}", coloured / lens, "x")
        looked_up = cpu_ms(table)
        yield Figure(f"a colour table of 33 steps besides, {width}x{height}", looked_up, "ms")
        yield Figure(f"colours and table together, {width}x{height}", coloured + looked_up, "ms", 15.0)


def _first_beside_next(scene: Scene, disc: float, quality: Quality) -> float:
    """What a lens costs at a number that it never had before, while somebody turns it, beside the frames after that."""
    turned = frame_of(scene, disc, quality, CharacterAt(cats_eye=0.8, spherical=0.1 * (disc // 20)))
    started = time.process_time()
    turned()
    return (time.process_time() - started) * 1000 / cpu_ms(turned, runs=3)
