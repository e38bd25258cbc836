"""Measuring the grain of a stretch of a clip."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import ClipFacts
from kalyptra.core.clip.guarded import Limits, run_guarded
from kalyptra.core.clip.reader import FrameUnreadable, Picture, eight_bits, open_clip
from kalyptra.core.finish.measure_grain import measure_grain
from kalyptra.core.setup.document.finish import MeasuredGrain

PAIRS = 12
"""Pairs of frames that are looked at, evenly over the stretch."""
LARGEST = 2_200_000
"""Px of a picture that are looked at: the middle of larger ones."""


def grain_of_clip(
    facts: ClipFacts, source: Path, first: int, last: int, on_share: Callable[[float], bool], go_on: Callable[[], bool]
) -> MeasuredGrain:
    """Measure the grain of a stretch, in a guarded process.

    Args:
        on_share: told which share of it is done; whether to go on.
        go_on: whether to go on.

    Raises:
        GuardedFailure: it cannot be measured (kind `NoGrain`), the clip cannot be read, or it was told not to go on.
    """
    work = {"facts": facts.model_dump(mode="json"), "source": str(source), "span": [first, last]}
    seconds = 120 + PAIRS * facts.width * facts.height / 1e5
    told = run_guarded(
        "kalyptra.core.following.grain:measure_here",
        work,
        Limits(seconds, 8 << 30),
        lambda t: on_share(t["share"]),
        go_on,
    )
    return MeasuredGrain.model_validate(told)


def measure_here(facts: dict[str, Any], source: str, span: list[int], report: Callable[..., None]) -> dict[str, Any]:
    """Runs inside the guarded process."""
    first, last = span
    clip = ClipFacts.model_validate(facts)
    with_next = max(1, last - first)
    starts = sorted({first + number * with_next // PAIRS for number in range(PAIRS)})
    reader = open_clip(Path(source), clip, threads=2)

    def pairs() -> Iterator[tuple[NDArray[np.uint8], NDArray[np.uint8]]]:
        for done, start in enumerate(starts, 1):
            try:
                pair = _middle(reader.picture(start)), _middle(reader.picture(start + 1))
            except FrameUnreadable:
                continue  # others tell of the grain as well
            yield pair
            report(share=done / len(starts))

    return measure_grain(pairs(), first, last).model_dump(mode="json")


def _middle(picture: Picture) -> NDArray[np.uint8]:
    """The middle of a picture, 8 bits."""
    codes = eight_bits(picture.codes)
    height, width = codes.shape[:2]
    share = min(1.0, (LARGEST / (height * width)) ** 0.5)
    rows, columns = round(height * share), round(width * share)
    top, left = (height - rows) // 2, (width - columns) // 2
    return codes[top : top + rows, left : left + columns]
