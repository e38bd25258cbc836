"""The range that is held sharp, at one frame."""

from __future__ import annotations

from dataclasses import dataclass

from kalyptra.core.setup.document.distance import INFINITELY_FAR
from kalyptra.core.setup.document.setup import HeldRange
from kalyptra.core.setup.time.keyed import mix_distance, mix_linear

NEAREST = 0.02


@dataclass(frozen=True)
class HeldAt:
    """Metres from which and to which all stays sharp, and how softly blur begins beyond (0 to 1)."""

    near: float
    far: float
    roll_off: float


def held_at(held: HeldRange | None, frame: float, focus: float) -> HeldAt | None:
    """The range at a frame.

    Args:
        focus: the focus distance there, metres.
    """
    if held is None:
        return None
    if held.rides:
        near, far = focus - held.before.at(frame, mix_linear), focus + held.behind.at(frame, mix_linear)
    else:
        near, far = held.near.at(frame, mix_distance), held.far.at(frame, mix_distance)
    near = min(INFINITELY_FAR, max(NEAREST, near))
    # Between two keys, or with the focus close by, the ends may pass each other.
    return HeldAt(near, min(INFINITELY_FAR, max(near, far)), held.roll_off.at(frame, mix_linear))
