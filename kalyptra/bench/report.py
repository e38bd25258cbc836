"""The camera report: a shot's marks and pulls as a sheet to print."""

from __future__ import annotations

from dataclasses import dataclass

from kalyptra.core import Ease, Rate, Setup, marks_at, numbers_at, read_frame, timecode


@dataclass(frozen=True)
class MarkLine:
    """A mark: where it is at the shot's first frame, and whose distance it follows."""

    letter: str
    name: str
    distance: str
    follows: str


@dataclass(frozen=True)
class PullLine:
    """A stretch of the focus curve: from where to where, when, and how."""

    number: int
    leave: int
    leave_time: str
    frames: int
    start: str
    end: str
    way: str
    limits: str


WAYS = {Ease.HOLD: "stays", Ease.LINEAR: "even", Ease.EASED: "slow out and in"}


def mark_lines(setup: Setup, size: tuple[int, int]) -> list[MarkLine]:
    names = {subject.id: subject.name for subject in setup.subjects}
    away = marks_at(setup, setup.footage.first, size)
    return [
        MarkLine(chr(65 + i % 26), mark.name, f"{away[mark.id]:.2f} m", names.get(mark.subject or "", ""))
        for i, mark in enumerate(setup.focus.marks)
    ]


def pull_lines(setup: Setup, size: tuple[int, int], rate: Rate) -> list[PullLine]:
    """One line for each stretch between two keys, and one for what comes after the last."""
    keys = setup.focus.distance.keys
    names = {mark.id: mark.name for mark in setup.focus.marks}
    last = max(setup.footage.last, keys[-1].frame)

    def focus(frame: int, mark: str | None) -> str:
        focus = f"{numbers_at(setup, frame, size).focus:.2f} m"
        return f"{names[mark]}, {focus}" if mark else focus

    lines = []
    ends = [*keys[1:], keys[-1].model_copy(update={"frame": last})]
    for number, (left, right) in enumerate(zip(keys, ends, strict=True), start=1):
        lens = read_frame(setup, min(right.frame, last), size).lens
        far = "infinity" if lens.far is None else f"{lens.far:.2f} m"
        way = "stays" if left is keys[-1] else WAYS[left.ease] if isinstance(left.ease, Ease) else "by hand"
        target = left.mark if way == "stays" else right.mark
        lines.append(
            PullLine(number, left.frame, timecode(left.frame, rate), right.frame - left.frame,
                     focus(left.frame, left.mark), focus(right.frame, target), way, f"{lens.near:.2f} m to {far}")
        )  # fmt: skip
    return lines
