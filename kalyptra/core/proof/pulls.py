"""What is likely amiss with a focus curve: each finding with its frames, and what to do."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from kalyptra.core.proof.advice import Note
from kalyptra.core.setup.document.focus import Focus
from kalyptra.core.setup.time.easing import Ease

NOTICED = 0.02
"""A change of the angle of view that is noticed, as a share (common practice, no source)."""
SHORTEST = 2
"""Frames without anything sharp that are told at least."""
BEYOND = 0.04
"""By what share of its way a pull must go beyond its ends to be told."""


@dataclass(frozen=True)
class PullMoment:
    """What a frame's focus comes to.

    Attributes:
        frame: its number.
        focus, near: metres; `far` is None where it is infinite.
        things: nearest and farthest distances, metres, of each thing that is seen; an infinite one is None.
        enlargement: by how much the picture would be larger with breathing.
    """

    frame: int
    focus: float
    near: float
    far: float | None
    things: tuple[tuple[float, float | None], ...]
    enlargement: float

    @property
    def sharp(self) -> bool:
        """Whether anything lies within the limits."""
        return any(
            (far is None or far >= self.near) and (self.far is None or near <= self.far) for near, far in self.things
        )


def pull_notes(focus: Focus, moments: Sequence[PullMoment], rate: float) -> list[Note]:
    """All that is found.

    Args:
        moments: in the order of frames; all of the shot, or every n-th.
        rate: frames a second.
    """
    notes = [
        _note("nothing-sharp-over", a, b, f"Frames {a} to {b}: nothing is sharp while focus travels.")
        for a, b in _stretches([moment.frame for moment in moments if not moment.sharp], moments)
        if b - a + 1 >= SHORTEST
    ]
    fast = [
        b.frame
        for a, b in pairwise(moments)
        if abs(1 / a.focus - 1 / b.focus) * rate / (b.frame - a.frame) > focus.fastest
    ]
    notes += [
        _note(
            "fast",
            a,
            b,
            f"Frames {a} to {b}: focus moves faster than {focus.fastest:g} dioptres a second, a hand's pace.",
        )
        for a, b in _stretches(fast, moments)
    ]
    notes += _beyond(focus, moments)
    first, last = moments[0].frame, moments[-1].frame
    for key in focus.distance.keys:
        if not first <= key.frame <= last and len(focus.distance.keys) > 1:
            notes.append(_note("outside", key.frame, key.frame, f"The key at frame {key.frame} lies outside the shot."))
    most, least = max(moment.enlargement for moment in moments), min(moment.enlargement for moment in moments)
    if not focus.breathing and most / least - 1 > NOTICED:
        at = max(moments, key=lambda moment: moment.enlargement).frame
        text = f"A real lens' picture would grow by {(most / least - 1) * 100:.0f} % in this pull. Breathing is off."
        notes.append(replace(_note("breathing", at, at, text), advice=True))
    return notes


def _note(kind: str, first: int, last: int, text: str) -> Note:
    return Note(kind, text, first=first, last=last)


def _beyond(focus: Focus, moments: Sequence[PullMoment]) -> list[Note]:
    """Pulls that go past where they shall arrive, or back beyond where they left."""
    notes = []
    at = {moment.frame: moment for moment in moments}
    for left, right in pairwise(focus.distance.keys):
        if left.ease is Ease.HOLD or left.frame not in at or right.frame not in at or left.mark or right.mark:
            continue
        ends = sorted((1 / left.value, 1 / right.value))
        room = max(BEYOND * (ends[1] - ends[0]), 1e-6)
        inside = [moment for moment in moments if left.frame < moment.frame < right.frame]
        worst = max(inside, key=lambda part: max(ends[0] - 1 / part.focus, 1 / part.focus - ends[1]), default=None)
        if worst and not ends[0] - room <= 1 / worst.focus <= ends[1] + room and ends[1] > ends[0]:
            text = f"Frame {worst.frame}: focus passes the wrong side of {left.value:.2f} m or {right.value:.2f} m."
            notes.append(_note("beyond", left.frame, right.frame, text))
    return notes


def _stretches(frames: Sequence[int], moments: Sequence[PullMoment]) -> list[tuple[int, int]]:
    """Frames in a row as first and last; frames of the shot that are left out between do not part them."""
    step = moments[1].frame - moments[0].frame if len(moments) > 1 else 1
    out: list[tuple[int, int]] = []
    for frame in frames:
        if out and frame - out[-1][1] <= step:
            out[-1] = (out[-1][0], frame)
        else:
            out.append((frame, frame))
    return out
