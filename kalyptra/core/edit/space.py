"""Commands on a shot that is set in space."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from enum import StrEnum
from typing import Any, Literal

from kalyptra.core.edit.command import ClipExtent, Command, Refused, evolved, made, worked_out
from kalyptra.core.setup.document.setup import Setup
from kalyptra.core.setup.document.space import Card, OwnCamera, Space
from kalyptra.core.setup.resolve.look import lens_camera
from kalyptra.core.setup.time.easing import Ease

FILLS = 0.8
"""Of the picture's width, how much a new card takes (common practice, no source)."""


class SetInSpace(Command):
    """Set the shot's picture on a card in space, or take it off."""

    do: Literal["set-in-space"] = "set-in-space"
    on: bool

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        if not self.on:
            return evolved(setup, space=None)
        if setup.space is not None:
            return setup
        width = Card.model_fields["width"].default
        away = lens_camera(setup, clip.size).focal * width / (FILLS * clip.width)
        card = made(Card, {"distance": _keys([(0, away)])})
        return evolved(setup, space=Space(card=card))

    @property
    def words(self) -> str:
        return "the shot was set in space" if self.on else "the shot was taken out of space"


class CameraMove(StrEnum):
    """Ready moves of the camera, over the shot's range."""

    PUSH = "push"
    DRIFT = "drift"
    ARC = "arc"
    LINES = "lines"
    RISE = "rise"


class UseCameraMove(Command):
    """Write a ready move: keys of the camera from the shot's first frame to its last. Other keys of it go."""

    do: Literal["use-camera-move"] = "use-camera-move"
    move: CameraMove

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        space = setup.space
        if space is None:
            raise Refused("The shot is not set in space. Set it there first.")
        first, last = setup.footage.first, setup.footage.last
        if last <= first:
            raise Refused("A move takes two frames or more. Make the shot longer first.")
        away, high = space.card.distance.keys[0].value, space.card.width * clip.height / clip.width
        camera = made(OwnCamera, _moves(self.move, first, last, away, high))
        return evolved(setup, space=evolved(space, camera=camera))

    @property
    def words(self) -> str:
        return "a move of the camera was written"


def _moves(move: CameraMove, first: int, last: int, away: float, high: float) -> Mapping[str, Any]:
    """Keys of the camera.

    Args:
        away: metres to the card; high: its height.
    """
    two = (first, last)
    match move:
        case CameraMove.PUSH:
            return {"ahead": _keys(zip(two, (0.0, 0.25 * away), strict=True))}
        case CameraMove.DRIFT:
            return {"across": _keys(zip(two, (-0.06 * away, 0.06 * away), strict=True))}
        case CameraMove.LINES:
            return {"up": _keys(zip(two, (0.3 * high, -0.3 * high), strict=True))}
        case CameraMove.RISE:
            ups = (-0.15 * away, 0.15 * away)
            tilts = [-math.degrees(math.atan2(up, away)) for up in ups]
            return {"up": _keys(zip(two, ups, strict=True)), "tilt": _keys(zip(two, tilts, strict=True))}
        case CameraMove.ARC:
            # About the card's middle, looking at it: several keys, so that between two of them it is nearly a circle.
            frames = sorted({round(first + (last - first) * i / 6) for i in range(7)})
            turns = [math.radians(24 * ((frame - first) / (last - first) - 0.5)) for frame in frames]
            return {
                "across": _keys(zip(frames, [away * math.sin(turn) for turn in turns], strict=True), Ease.LINEAR),
                "ahead": _keys(zip(frames, [away * (1 - math.cos(turn)) for turn in turns], strict=True), Ease.LINEAR),
                "pan": _keys(zip(frames, [-math.degrees(turn) for turn in turns], strict=True), Ease.LINEAR),
            }


def _keys(values: Any, ease: Ease = Ease.EASED) -> dict[str, Sequence[Any]]:
    return {"keys": [{"frame": frame, "value": worked_out(value), "ease": ease} for frame, value in values]}
