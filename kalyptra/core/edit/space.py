"""Commands on a shot that is set in space."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from enum import StrEnum
from pathlib import PurePath
from typing import Annotated, Any, Literal

from pydantic import Field

from kalyptra.core.edit.command import ClipExtent, Command, Id, Refused, SubjectId, evolved, made, worked_out
from kalyptra.core.edit.subjects import subject_of
from kalyptra.core.edit.values import SetAt
from kalyptra.core.setup.document.distance import Place
from kalyptra.core.setup.document.setup import FrameNumber, Setup
from kalyptra.core.setup.document.space import MOST_CARDS, Card, FurtherCard, OwnCamera, Space
from kalyptra.core.setup.geometry.cards import fitted_pose
from kalyptra.core.setup.resolve.look import lens_camera, numbers_at, seeing_camera
from kalyptra.core.setup.resolve.space import OWN, placed_camera, pose_of
from kalyptra.core.setup.time.easing import Ease
from kalyptra.core.setup.time.keyed import Keyed

FILLS = 0.8
"""Of the picture's width, how much a new card takes (common practice, no source)."""
WIDEST = 100.0
"""Metres; where the focus lies farther than that asks for, a new card is as large as a sheet of paper."""
BEFORE = 0.9
"""Of the distance of the shot's own card, how far away a new one is."""
HELD = 30.0
"""How much more a corner counts that is dragged: it stays under the pointer, and the others give way."""
STEEPEST, CLOSEST = 89.0, 0.05
"""Degrees and metres within which a card is placed."""


class SetInSpace(Command):
    """Set the shot's picture on a card in space, or see it as it was taken; what was set up there stays."""

    do: Literal["set-in-space"] = "set-in-space"
    on: bool

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        if setup.space is not None:
            return evolved(setup, space=evolved(setup.space, enabled=self.on))
        if not self.on:
            return setup
        # It is sharp at first: where the focus lies, and as wide as that asks for.
        away = numbers_at(setup, setup.footage.first, clip.size).focus
        focal = lens_camera(setup, clip.size).focal
        width = worked_out(away * FILLS * clip.width / focal)
        if not 0.001 <= width <= WIDEST:
            width = Card.model_fields["width"].default
            away = focal * width / (FILLS * clip.width)
        card = made(Card, {"width": width, "distance": _keys([(0, away)])})
        camera = made(OwnCamera, {"focal_length_mm": setup.lens.focal_length_mm})
        return evolved(setup, space=Space(card=card, camera=camera))

    @property
    def words(self) -> str:
        return "the shot was set in space" if self.on else "the shot was taken out of space"


class PlaceCard(Command):
    """Put a card so that its corners are seen where they should be, as near as a flat card can come to that.

    Attributes:
        card: its id; "card" for the one with the shot's own picture.
        corners: px of the source, round it from the upper left one.
        held: the number of the corner that somebody drags, which counts most.
    """

    do: Literal["place-card"] = "place-card"
    card: Id
    frame: FrameNumber
    corners: tuple[Place, Place, Place, Place]
    held: Annotated[int, Field(ge=0, le=3)] | None = None

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        space, card = _card_of(setup, self.card)
        if not _goes_round(self.corners):
            raise Refused("The corners cross each other. Drag them so that they go round the card.")
        size = (card.size if isinstance(card, FurtherCard) else None) or clip.size
        start, own = pose_of(card, self.frame), placed_camera(space.camera, self.frame)
        weights = [HELD if i == self.held else 1.0 for i in range(4)]
        camera = seeing_camera(numbers_at(setup, self.frame, clip.size).lens, clip.size)
        pose = fitted_pose(camera, card.width, size, own, start, self.corners, weights)
        if max(abs(pose.turn), abs(pose.tilt)) > STEEPEST or pose.distance < CLOSEST:
            raise Refused("No card is seen like that from here. Drag the corners less far.")
        where = "space.card" if self.card == OWN else f"space.cards.{self.card}"
        for name in ("turn", "tilt", "roll", "across", "up", "distance"):
            value = worked_out(getattr(pose, name))
            setup = SetAt(path=f"{where}.{name}", frame=self.frame, value=value).apply(setup, clip)
        return setup

    @property
    def words(self) -> str:
        return "a card was placed by its corners"


class AddCutOut(Command):
    """Give a subject a card of its own, as large as it is in the shot's picture and a little before that card."""

    do: Literal["add-cut-out"] = "add-cut-out"
    id: Id
    subject: SubjectId

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        space = _space_of(setup)
        subject = subject_of(setup, self.subject)
        if any(card.subject == self.subject for card in space.cards):
            raise Refused(f"{subject.name} has a card already.")
        own = space.card
        # Seen from where the camera stands at first, what is nearer by a share is as large if it is smaller by that.
        fields = {name: getattr(own, name) for name in ("turn", "tilt", "roll")}
        fields |= {name: _times(getattr(own, name), BEFORE) for name in ("across", "up", "distance")}
        card = {"id": self.id, "name": subject.name, "subject": self.subject, "width": own.width * BEFORE, **fields}
        return _with_card(setup, card)

    @property
    def words(self) -> str:
        return "a subject was set on a card of its own"


class RemoveCard(Command):
    """Take a card away; that with the shot's own picture stays."""

    do: Literal["remove-card"] = "remove-card"
    id: Id

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        space, card = _card_of(setup, self.id)
        if not isinstance(card, FurtherCard):
            raise Refused("The card with the shot's own picture stays. Take the shot out of space to see it flat.")
        return evolved(setup, space=evolved(space, cards=tuple(card for card in space.cards if card.id != self.id)))

    @property
    def words(self) -> str:
        return "a card was removed"


def with_picture_card(setup: Setup, card: str, title: str, picture: str, size: tuple[int, int]) -> Setup:
    """The setup with a card that a picture was brought for: a new one, or another picture on one that is there.

    Raises:
        Refused: the shot is not in space, there are too many, or the card shows a subject.
    """
    space = _space_of(setup)
    known = next((held for held in space.cards if held.id == card), None)
    fields = {"picture": picture, "size": size, "name": PurePath(title).stem[:60]}
    if known is None:
        own = space.card
        still = {"across": 0.0, "up": 0.0, "distance": own.distance.keys[0].value * BEFORE}
        placed = {name: _keys([(0, value)]) for name, value in still.items()}
        return _with_card(setup, {"id": card, "width": own.width / 2, **placed, **fields})
    if known.subject is not None:
        raise Refused("That card shows a subject. Bring the picture on a card of its own.")
    cards = tuple(evolved(held, **fields) if held is known else held for held in space.cards)
    return evolved(setup, space=evolved(space, cards=cards))


def _with_card(setup: Setup, fields: Mapping[str, Any]) -> Setup:
    space = _space_of(setup)
    if len(space.cards) >= MOST_CARDS:
        raise Refused(f"There are {MOST_CARDS} cards beside the shot's own already. Remove one first.")
    if any(card.id == fields["id"] for card in space.cards) or fields["id"] == OWN:
        raise Refused("Another card has this id. Try again.")
    return evolved(setup, space=evolved(space, cards=(*space.cards, made(FurtherCard, fields))))


def _space_of(setup: Setup) -> Space:
    if setup.space is None or not setup.space.enabled:
        raise Refused("The shot is not set in space. Set it there first.")
    return setup.space


def _card_of(setup: Setup, card: str) -> tuple[Space, Card]:
    space = _space_of(setup)
    if card == OWN:
        return space, space.card
    for further in space.cards:
        if further.id == card:
            return space, further
    raise Refused("That card is not there any more. It may have been deleted meanwhile.")


def _goes_round(corners: Sequence[tuple[float, float]]) -> bool:
    """Whether four corners go round in one sense, with some room between them."""
    turns = []
    for i in range(4):
        (ax, ay), (bx, by), (cx, cy) = (corners[(i + k) % 4] for k in range(3))
        turns.append((bx - ax) * (cy - by) - (by - ay) * (cx - bx))
    return min(turns) > 1 or max(turns) < -1


def _times(keyed: Keyed[float], factor: float) -> dict[str, Any]:
    return {
        "keys": [{"frame": key.frame, "value": worked_out(key.value * factor), "ease": key.ease} for key in keyed.keys]
    }


class CameraMove(StrEnum):
    """Ready moves of the camera, over the shot's range."""

    PUSH = "push"
    DRIFT = "drift"
    ARC = "arc"
    LINES = "lines"
    RISE = "rise"


class UseCameraMove(Command):
    """Write a ready move: keys of the camera from the shot's first frame to its last. Other keys of its place and aim
    go."""

    do: Literal["use-camera-move"] = "use-camera-move"
    move: CameraMove

    def apply(self, setup: Setup, clip: ClipExtent) -> Setup:
        space = _space_of(setup)
        first, last = setup.footage.first, setup.footage.last
        if last <= first:
            raise Refused("A move takes two frames or more. Make the shot longer first.")
        away, high = space.card.distance.keys[0].value, space.card.width * clip.height / clip.width
        own = {"focal_length_mm": space.camera.focal_length_mm}
        camera = made(OwnCamera, {**_moves(self.move, first, last, away, high), **own})
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
