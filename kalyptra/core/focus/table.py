"""A focus curve as a table (CSV), one row a frame, and read back."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Iterable, Sequence
from itertools import pairwise

from kalyptra.core.setup.document.distance import INFINITELY_FAR
from kalyptra.core.setup.document.focus import FocusKey
from kalyptra.core.setup.time.easing import Ease

COLUMNS = ("frame", "timecode", "distance_m", "near_m", "far_m", "f_number")
MOST_BYTES = 8 << 20
EVEN = 1e-7
"""Dioptres by which a row may be off the line between its neighbours to say nothing of its own."""


class NoTable(ValueError):
    """A text that is no focus table. It says which line and why."""


def written(rows: Iterable[tuple[int, str, float, float, float | None, float]]) -> str:
    """Rows of frame, timecode, distance, near and far limit in metres (infinitely far is "inf"), and f-number."""
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\n")
    table.writerow(COLUMNS)
    for frame, timecode, distance, near, far, f_number in rows:
        last = "inf" if far is None else f"{far:.6g}"
        table.writerow(
            [
                frame,
                timecode,
                "inf" if distance >= INFINITELY_FAR else f"{distance:.9g}",
                f"{near:.6g}",
                last,
                f"{f_number:.6g}",
            ]
        )
    return out.getvalue()


def read(text: str) -> tuple[FocusKey, ...]:
    """The keys of a table: its frames and distances, straight in 1/z between its rows; rows on a line are left out.

    Raises:
        NoTable: a column is missing, a number is none, or frames do not rise.
    """
    if len(text) > MOST_BYTES:
        raise NoTable("the file is larger than a focus table can be")
    lines = csv.DictReader(io.StringIO(text.lstrip("\ufeff")))
    names = [name.strip().lower() for name in lines.fieldnames or ()]
    if "frame" not in names or "distance_m" not in names:
        raise NoTable('the first line must name the columns "frame" and "distance_m"')
    lines.fieldnames = names
    rows: list[tuple[int, float]] = []
    for row in lines:
        place = f"line {lines.line_num}"
        try:
            frame, distance = int(row["frame"]), min(float(row["distance_m"]), INFINITELY_FAR)
        except (TypeError, ValueError) as error:
            raise NoTable(f"{place}: a frame is a whole number and a distance one in metres") from error
        if not (0 <= frame <= 10_000_000 and distance >= 0.02):
            raise NoTable(f"{place}: the distance must be 0.02 m or more, or inf, the frame not negative")
        if rows and frame <= rows[-1][0]:
            raise NoTable(f"{place}: frames must rise")
        rows.append((frame, distance))
    if not rows:
        raise NoTable("there is no row in it")
    return tuple(FocusKey(frame=frame, value=distance, ease=Ease.LINEAR) for frame, distance in _told(rows))


def _told(rows: Sequence[tuple[int, float]]) -> list[tuple[int, float]]:
    """The rows that the others do not tell already."""
    chosen = [rows[0]]
    low, high = -math.inf, math.inf
    for before, now in pairwise(rows):
        # The slopes from the last chosen row that pass all rows since within EVEN.
        frame, start = chosen[-1][0], 1 / chosen[-1][1]
        span, rise = now[0] - frame, 1 / now[1] - start
        inside = low <= rise / span <= high
        if not inside:
            chosen.append(before)
            frame, start = before[0], 1 / before[1]
            span, rise = now[0] - frame, 1 / now[1] - start
            low, high = -math.inf, math.inf
        low, high = max(low, (rise - EVEN) / span), min(high, (rise + EVEN) / span)
    return [*chosen, rows[-1]] if rows[-1] != chosen[-1] else chosen
