"""A small move of the camera, at one frame."""

from __future__ import annotations

from dataclasses import dataclass

from kalyptra.core.setup.document.move import SmallMove
from kalyptra.core.setup.time.keyed import mix_linear


@dataclass(frozen=True)
class MoveAt:
    """How the camera moved.

    Attributes:
        across, up, ahead: metres.
        stays: dioptres of what stays where it is in the picture as the camera goes across and up; 0 for infinity.
        focal: px of the source.
    """

    across: float
    up: float
    ahead: float
    stays: float
    focal: float


def move_at(move: SmallMove, frame: float, focus: float, focal: float) -> MoveAt | None:
    """The move at a frame; None where the camera is where it was.

    Args:
        focus: the focus distance, metres.
        focal: of the camera that took the clip, px of the source.
    """
    across, up, ahead = (part.at(frame, mix_linear) for part in (move.across, move.up, move.ahead))
    if across == up == ahead == 0:
        return None
    return MoveAt(across, up, ahead, 1 / focus if move.aims else 0.0, focal)
