"""What following found of something, step by step, as a document keeps it."""

from __future__ import annotations

from collections.abc import Sequence
from enum import StrEnum

from kalyptra.core.setup.document.records import remembered
from kalyptra.core.setup.time.track import Border, Step, Track

MOST_STEPS = 100_000
OUT_OF_ORDER = "steps must be in the order of their frames, one a frame"


class Motion(StrEnum):
    """How much of a motion following looks for."""

    POSITION = "position"
    SIMILARITY = "similarity"
    PERSPECTIVE = "perspective"
    FREE = "free"


def merged(old: Sequence[Step], new: Sequence[Step]) -> tuple[Step, ...]:
    """Steps with new ones in place of those at the same frames."""
    by_frame = {step.frame: step for step in (*old, *new)}
    return tuple(by_frame[frame] for frame in sorted(by_frame))


def track_of(steps: tuple[Step, ...]) -> Track:
    """Steps summed up; worked out once where they came from records."""
    return remembered(steps, "track", lambda: Track(steps))


def borders_by_frame(steps: tuple[Step, ...]) -> dict[int, Border]:
    return remembered(steps, "borders", lambda: {step.border.frame: step.border for step in steps if step.border})


def steps_by_frame(steps: tuple[Step, ...]) -> dict[int, Step]:
    return remembered(steps, "by frame", lambda: {step.frame: step for step in steps})
