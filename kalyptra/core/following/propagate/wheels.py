"""Wheels: what turns about a hub, while the rest of the subject goes on.

A rim with spokes turns by more than a spoke's width from frame to frame, so that no flow can follow it. But it turns as
one: once its place and angle are known (`wheel_fit.py`), the key's own matte says where each spoke lies, also where a
spoke has the colour of what lies behind. Not all that the key has within the rim turns: a fork does not. Which of it
does is learnt over the frames.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.round_rims import Place, Rim, radius_of, round_rims
from kalyptra.core.following.propagate.top_hat import solid_of, thin_of
from kalyptra.core.following.propagate.wheel_fit import TUNING as FIT
from kalyptra.core.following.propagate.wheel_fit import Layout, laid_out, wheel_fit
from kalyptra.core.following.propagate.wheel_look import RimLook, rim_look

Codes = NDArray[np.uint8]
Values = NDArray[np.float32]


class Tuning(NamedTuple):
    """What can be tuned. Chosen on made-up carts."""

    finer: int = 2
    """Px of a wheel's own picture for each of the frame's."""
    turns: float = 2.0
    turns_loosely: float = 0.5
    learnt: float = 2.0
    stays: float = 0.5
    """Frames that the key counts for, in saying that a part turns, also where it was drawn loosely; how many must have
    shown it, then, to half believe it; and those that the key counts for in saying that a part stays."""
    sure: float = 1.0
    most: float = 12.0
    """Frames that must have shown what stays to be half sure of it, and the most that are remembered."""
    empty: float = 0.15
    faint: float = 0.3
    """The key's share up to which it has nothing at a pixel; and below which that is taken for as much."""
    shown: tuple[float, float] = (0.2, 0.5)
    part: tuple[float, float] = (0.3, 0.7)
    """How much of what the key has a frame must show to say that some of it is there, and all; and the shares that say
    so where the key has nothing."""
    new: tuple[float, float] = (0.4, 0.8)
    """How far something turns that the key does not have, from where on it is there, and wholly."""
    looks: tuple[float, float] = (0.3, 0.6)
    """How much more of a rim must look as at the key than by chance, to believe it at all, and wholly."""
    alike: tuple[float, float] = (0.2, 0.5)
    """How much of its rim must look so in a direction to say that it is not hidden there."""
    fits: float = 0.4
    fits_well: float = 0.7
    fits_best: float = 0.95
    """How well a frame must agree with a wheel to believe it at all, wholly, and to believe each pixel as well."""
    trust: float = 0.95
    itself: float = 0.3
    """How much the wheel counts beside what was decided without it; and how much less, where a pixel tells itself."""
    hub: float = 0.3
    """Radii around a hub in which what is solid turns, too: spokes run together there."""
    nearby: int = 9
    missing: tuple[float, float] = (0.5, 0.8)
    told: tuple[float, float] = (0.2, 0.5)
    """Px over which a wheel that is not seen is hidden, how much of it must be missing there, and how much of that must
    lie where it would be told."""
    astray: int = 6
    """Px around where the key's solid parts have come to, in which a leg may lie before a wheel."""


TUNING = Tuning()


class Seen(NamedTuple):
    """What a frame shows, (height, width) each, 0 to 1: the share of the subject as each pixel tells it by its colour,
    how well it tells, and how well it is a mixture of the subject and what lies behind at all; and its (height, width,
    3) codes as the key's exposure would have them."""

    part: Values
    tells: Values
    explained: Values
    codes: Values


@dataclass(frozen=True)
class Wheel:
    """A wheel in a frame.

    Attributes:
        place: where it is in the picture.
        key: (side, side) the key's thin parts within it, 0 to 1; all of it, where it is filled.
        turns, stays: (side, side) how far what may be there turns, and stays, 0 to 1: what the key has, and elsewhere
            whatever turns up.
        seen_turning, seen_still: (side, side) the frames that say so.
        look: its rim at the key; None where too little of that is known.
        angle: radians since the key; agrees: how well this frame agrees with it, a correlation, -1 to 1; looks: how
            much more of its rim looks as at the key than by chance, up to 1.
        given: frames that the key counts for in saying what turns.
    """

    place: Place
    key: Values
    turns: Values
    stays: Values
    seen_turning: Values
    seen_still: Values
    look: RimLook | None = None
    angle: float = 0.0
    agrees: float = 0.0
    looks: float = 0.0
    given: float = TUNING.turns

    @staticmethod
    def of(matte: Values, rim: Rim, codes: Codes, drawn: bool = False) -> Wheel:
        """A wheel of the key's matte, (height, width) 0 to 1. What is solid in it is a leg, unless it is filled.

        Args:
            codes: (height, width, 3) the key's picture.
            drawn: whether the matte is of a line that was drawn: what is seen through it is not known for sure.
        """
        place = rim.place
        side = 2 * int(np.ceil(TUNING.finer * radius_of(place) * FIT.beyond))
        thin = matte if rim.filled else np.where(thin_of(matte) | _hub(place, matte), matte, np.float32(0))
        key = np.clip(_own_view(thin, place, side, how=cv2.INTER_CUBIC), 0, 1)
        there, known = (key > np.float32(TUNING.empty)).astype(np.float32), np.ones_like(key)
        given = TUNING.turns_loosely if rim.filled or drawn else TUNING.turns
        look = None if rim.filled else rim_look(codes, thin, place)
        return Wheel(place, key, there, there, np.float32(given) * known, TUNING.stays * known, look, given=given)

    def carried(self, affine: NDArray[np.float64]) -> Wheel:
        """Where its hub comes to by the subject's motion, (2, 3) in px of the picture. Its size is its own."""
        place = self.place.copy()
        place[:, 2] = affine[:, :2] @ self.place[:, 2] + affine[:, 2]
        return replace(self, place=place)

    def disc(self, size: tuple[int, int]) -> Values:
        """(height, width) of the picture, what it covers up to its rim and a little more, 0 to 1."""
        return _in_picture(_disc(len(self.key)), self.place, 0.0, size)

    def stepped(self, share: Values, seen: Seen, own: Values) -> tuple[Wheel, Values]:
        """The wheel in the next frame, and what was decided there with the wheel in it.

        Args:
            share: (height, width) what was decided without it, 0 to 1.
            own: (height, width) where the key's matte has come to.
        """
        steady = self._staying * self._sure
        layout = Layout(laid_out(self._turning), laid_out(steady))
        told = np.dstack([seen.part, seen.tells])
        place, angle, agrees, looks, around = wheel_fit(layout, self.place, told, self.look, seen.codes)
        if agrees <= TUNING.fits and looks <= TUNING.looks[0]:
            return replace(self, agrees=agrees, looks=looks), share
        found = replace(self, place=place, angle=angle, agrees=agrees, looks=looks)
        each = TUNING.itself * np.interp(agrees, (TUNING.fits_well, TUNING.fits_best), (0, 1))
        trust = np.float32(found.believed) * (np.float32(TUNING.trust) - np.float32(each) * seen.tells) * seen.explained
        model = found._expected((share.shape[0], share.shape[1]))
        hidden = _hidden(model, seen) if around is None else found._unseen(around, (share.shape[0], share.shape[1]))
        learnt = found if around is not None else found._learnt(seen._replace(tells=seen.tells * (1 - hidden)), steady)
        return learnt, found._laid_in(model, share, trust * (1 - hidden), own)

    @property
    def believed(self) -> float:
        """How far it is believed in this frame, 0 to 1."""
        looks = np.interp(self.looks, TUNING.looks, (0, 1))
        return float(max(np.interp(self.agrees, (TUNING.fits, TUNING.fits_well), (0, 1)), looks))

    @property
    def _has(self) -> NDArray[np.bool_]:
        """(side, side) where the key has something."""
        return np.asarray(self.key > np.float32(TUNING.empty))

    @property
    def _turning(self) -> Values:
        """(side, side) the share of what turns: as much as the key has, or all of what turned up."""
        return np.where(self._has, self.key * self.turns, _between(self.turns, TUNING.new))

    @property
    def _staying(self) -> Values:
        """(side, side) the share of what may stay: the key's alone."""
        return np.where(self._has, self.key * self.stays, np.float32(0))

    @property
    def _sure(self) -> Values:
        """(side, side) how sure it is of what stays, 0 to 1."""
        times = self.seen_still - np.float32(TUNING.stays)
        return np.asarray(times / (times + np.float32(TUNING.sure)))

    def _expected(self, size: tuple[int, int]) -> Values:
        """(height, width) of the picture, what is expected of it there."""
        turning = _in_picture(self._turning, self.place, self.angle, size)
        return np.maximum(turning, _in_picture(self._staying * self._sure, self.place, 0.0, size))

    def _unseen(self, around: Values, size: tuple[int, int]) -> Values:
        """(height, width) of the picture, where its rim does not look as at the key, 0 to 1.

        Args:
            around: (angles,) how much of it does in each direction from the hub.
        """
        side = len(self.key)
        down, across = np.mgrid[:side, :side] - (side / 2 - 0.5)
        turn = np.arctan2(down, across) / (2 * np.pi) * len(around)
        seen = np.interp(turn, np.arange(len(around)), _between(around, TUNING.alike), period=len(around))
        return 1 - _in_picture(seen.astype(np.float32), self.place, 0.0, size)

    def _laid_in(self, model: Values, share: Values, trust: Values, own: Values) -> Values:
        size = (share.shape[0], share.shape[1])
        unsure = _in_picture(self._staying * (1 - self._sure), self.place, 0.0, size)
        disc = self.disc(size)
        if self.given < TUNING.turns:
            times = np.maximum(self.seen_turning - np.float32(self.given), 0)
            learnt = times / (times + np.float32(TUNING.learnt))
            trust = trust * _in_picture(learnt, self.place, self.angle, size)
        trust = trust * disc * (1 - np.where(model < share, unsure, 0))
        side = 2 * TUNING.astray + 1
        body = cv2.dilate((solid_of(own) > 0.5).astype(np.float32), np.ones((side, side), np.uint8))
        return np.asarray(np.maximum(share + trust * (model - share), solid_of(share) * body * disc), np.float32)

    def _learnt(self, seen: Seen, steady: Values) -> Wheel:
        """With what a frame says of which parts turn: those that are not where they would have stayed, and the other
        way round."""
        side = len(self.key)
        here, along = (
            [_own_view(values, self.place, side, angle) for values in (seen.part, seen.tells)]
            for angle in (0.0, self.angle)
        )
        here[1] *= 1 - _spun(self._turning, self.angle)
        along[1] *= 1 - _spun(steady, -self.angle)
        stays, seen_still = self._voted(self.stays, self.seen_still, *here)
        turns, seen_turning = self._voted(self.turns, self.seen_turning, *along)
        return replace(self, turns=turns, stays=stays, seen_turning=seen_turning, seen_still=seen_still)

    def _voted(self, before: Values, frames: Values, part: Values, tells: Values) -> tuple[Values, Values]:
        shown = np.asarray(part / np.maximum(self.key, np.float32(TUNING.faint)), np.float32)
        vote = np.where(self._has, _between(shown, TUNING.shown), _between(part, TUNING.part))
        tells = np.clip(tells, 0, 1)
        total = frames + tells
        return (before * frames + vote * tells) / total, np.minimum(total, np.float32(TUNING.most))


def wheels_of(matte: Values, codes: Codes, drawn: bool = False) -> tuple[Wheel, ...]:
    """The wheels of a key's matte (height, width), 0 to 1, at the working size; the others as in `Wheel.of`."""
    return tuple(Wheel.of(matte, rim, codes, drawn) for rim in round_rims(matte))


def _hidden(model: Values, seen: Seen) -> Values:
    """(height, width) how far a wheel is hidden, 0 to 1: what is expected nearby is not seen, by pixels that tell."""
    side = (TUNING.nearby, TUNING.nearby)
    expected = cv2.blur(np.square(model), side) + np.float32(1e-3)
    told = cv2.blur(seen.tells * np.square(model), side)
    missing = cv2.blur(seen.tells * model * np.maximum(model - seen.part, 0), side) / np.maximum(told, 1e-3)
    return _between(missing, TUNING.missing) * _between(told / expected, TUNING.told)


def _between(values: Values, ends: tuple[float, float]) -> Values:
    """0 to 1, from the one end to the other."""
    return np.asarray(np.clip((values - ends[0]) / (ends[1] - ends[0]), 0, 1), np.float32)


def _hub(place: Place, matte: Values) -> NDArray[np.bool_]:
    """(height, width) what is so near a hub that spokes run together."""
    across = np.hypot(*place[0, :2]), np.hypot(*place[1, :2])
    down, right = np.mgrid[: matte.shape[0], : matte.shape[1]]
    away = np.hypot((right - place[0, 2]) / across[0], (down - place[1, 2]) / across[1])
    return np.asarray(away < TUNING.hub)


def _disc(side: int) -> Values:
    disc = np.zeros((side, side), np.float32)
    cv2.circle(disc, (side // 2, side // 2), side // 2 - 1, 1.0, -1)
    return disc


def _own_view(values: Values, place: Place, side: int, angle: float = 0.0, how: int = cv2.INTER_LINEAR) -> Values:
    """(side, side) what of the picture lies in a wheel, seen as it has turned."""
    to_picture = _to_picture(place, side, angle)
    return np.asarray(cv2.warpAffine(values, to_picture, (side, side), flags=how | cv2.WARP_INVERSE_MAP), np.float32)


def _in_picture(own: Values, place: Place, angle: float, size: tuple[int, int]) -> Values:
    """(height, width) of the picture with a wheel's own view in it."""
    return np.asarray(cv2.warpAffine(own, _to_picture(place, len(own), angle), size[::-1]), np.float32)


def _to_picture(place: Place, side: int, angle: float) -> NDArray[np.float64]:
    """(2, 3) from a wheel's own view to the picture."""
    half = side / 2 - 0.5
    px = FIT.beyond / half
    turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    motion = place[:, :2] @ turn @ np.array([[px, 0, -px * half], [0, px, -px * half]])
    motion[:, 2] += place[:, 2]
    return np.asarray(motion)


def _spun(own: Values, angle: float) -> Values:
    """A wheel's own view, turned."""
    middle = len(own) / 2 - 0.5
    turn = cv2.getRotationMatrix2D((middle, middle), -np.degrees(angle), 1.0)
    return np.asarray(cv2.warpAffine(own, turn, own.shape[::-1]), np.float32)
