"""The most memory that a worker holds while it renders one frame at 3840 x 2160."""

from __future__ import annotations

import multiprocessing
import resource
from collections.abc import Iterator

from kalyptra.core import Quality
from kalyptra.shell.benches.figure import Figure


def run() -> Iterator[Figure]:
    # A process of its own, started afresh: its peak is this frame's alone.
    with multiprocessing.get_context("spawn").Pool(1) as pool:
        yield Figure("final 3840x2160, discs up to 160 px, peak memory", pool.apply(peak), "GB", 1.2)


def peak() -> float:
    """Render one frame; peak resident memory of this process in GB."""
    from kalyptra.shell.benches.lens import frame_of
    from kalyptra.shell.benches.scene import runner

    frame_of(runner(3840, 2160), 160, Quality.FINAL)()
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024 / 1e9
