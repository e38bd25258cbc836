"""The background's picture, put together from the frames around.

Every few frames of the clip, before and after the frame in question, are registered to it by the motion that most of
the picture has; their median is what lies behind the subject, wherever some of them show it. Frames that were followed
leave out the subject's matte; those still to come leave out where it would be if it went on as it did, and are told
apart.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.layer import affine_of, shift_of
from kalyptra.core.following.propagate.top_hat import solid_of
from kalyptra.core.following.register.median import median_of
from kalyptra.core.window import Window, middle_of

Codes = NDArray[np.uint8]
Values = NDArray[np.float32]
Affine = NDArray[np.float64]
"""(3, 3)."""


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the tune half of `truth/motion`."""

    every: int = 6
    """Frames from one that is used to the next."""
    reach: int = 6
    """How many of those are used on either side: 36 frames."""
    many: float = 3.0
    """So many frames that show the same are as good as any more."""
    first: int = 2
    """Frames over which the pace of a first matte is measured."""
    clear: int = 7
    clear_ahead: int = 12
    """Px that are left free around the subject's matte, and around where it is expected in frames to come."""
    agree: float = 0.2
    """The share of corners that must agree on a motion: otherwise the frames show something else."""
    clear_thin: int = 2
    """Px that are left free around thin parts, where the background is seen between them."""
    steady: float = 25.0
    """Spread in codes, below which a pixel tells how the exposure changed."""
    capped: float = 40.0
    usual_noise: float = 4.0
    least_noise: float = 1.33
    often: float = 0.95
    """Codes by which a background usually changes by itself, those that are the least of it, and shares of three frames
    that must have shown it to say so. The three chosen on clips of that half's kinds, with seeds of their own."""


TUNING = Tuning()


@dataclass(frozen=True)
class BackgroundPicture:
    """What lies behind the subject in a frame, (height, width) but for the picture.

    Attributes:
        codes: (height, width, 3) the median, codes.
        rest: (height, width, 4) by how much the frames around differ from it, mean codes (`spread`); and, 0 to 1, how
            many of them show it beside the subject's matte (`clean`), how many of those to come do, so that it may yet
            be the subject itself (`open`), and in how many that were followed the matte lay there (`held`).
        between: whether it was looked at between thin parts, too, of which a little is left in it.
    """

    codes: Values
    rest: Values
    between: bool = False

    @staticmethod
    def unknown(size: tuple[int, int]) -> BackgroundPicture:
        return BackgroundPicture(np.zeros((*size, 3), np.float32), np.zeros((*size, 4), np.float32))

    @property
    def spread(self) -> Values:
        return self.rest[..., 0]

    @property
    def known(self) -> Values:
        return np.asarray(self.rest[..., 1] + self.rest[..., 2])

    def moved(self, motion: Affine) -> BackgroundPicture:
        """The same in another frame, by the motion from here to there."""
        size = self.codes.shape[1::-1]
        codes = cv2.warpAffine(self.codes, motion[:2], size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        return replace(self, codes=codes, rest=cv2.warpAffine(self.rest, motion[:2], size))

    def exposed_as(self, codes: Codes, window: Window) -> Values:
        """(height, width, 3) codes of it in a window, with what a frame's exposure changed as a whole."""
        shift = np.zeros(3, np.float32)
        few = self.codes[::6, ::6], codes[::6, ::6]
        steady = ((self.known > 0.3) & (self.spread < TUNING.steady))[::6, ::6]
        if steady.sum() > 100:
            shift = np.median(few[1][steady] - few[0][steady], axis=0).astype(np.float32)
        return np.asarray(np.ascontiguousarray(self.codes[window]) + shift)

    def residual(self, codes: Codes, window: Window) -> tuple[Values, Values]:
        """By how many codes a frame differs in a window, less what its exposure changed as a whole.

        Returns:
            (height, width) the mean of the channels over 3 x 3 px; and what of it lies beyond the background's own
            range there, so that half a pixel's shift is nothing.
        """
        behind, now = self.exposed_as(codes, window), codes[window].astype(np.float32)
        three, third = np.ones((3, 3), np.uint8), np.full((1, 3), 1 / 3, np.float32)
        over = np.maximum(now - cv2.dilate(behind, three), cv2.erode(behind, three) - now)
        shown = self.known[window] > 0.06
        gain = self._steadier(window)
        plain = np.minimum(cv2.transform(np.abs(now - behind), third) * gain, np.float32(TUNING.capped)) * shown
        beyond = np.minimum(cv2.transform(np.maximum(over, 0), third) * gain, np.float32(TUNING.capped)) * shown
        return cv2.blur(plain, (3, 3)), cv2.blur(beyond, (3, 3))

    def _steadier(self, window: Window) -> Values:
        """(height, width) how many times less than usual the background changes by itself, at least 1: a difference
        tells as many times more there."""
        rest = np.ascontiguousarray(self.rest[window])
        if self.between:
            return np.ones(rest.shape[:2], np.float32)
        noise = np.maximum(cv2.dilate(rest[..., 0], np.ones((5, 5), np.uint8)), np.float32(TUNING.least_noise))
        often = rest[..., 1] + rest[..., 2] > TUNING.often
        return np.where(often, np.maximum(np.float32(TUNING.usual_noise) / noise, 1), np.float32(1))


@dataclass
class _Seen:
    codes: Codes
    grey: Codes
    onwards: Affine | None = None
    """The motion to the next one that is used, once asked for; no motion agrees where it is NaN."""
    matte: Values | None = None


class Surroundings:
    """The frames around, as following goes along them.

    Args:
        look: a frame's picture, (height, width, 3) RGB of 8 bits at the working size.
        frames: the frames in the order in which they are followed.
    """

    def __init__(self, look: Callable[[int], Codes], frames: Sequence[int]) -> None:
        self._look, self._frames = look, frames
        self._seen: dict[int, _Seen] = {}
        self._made: tuple[int, BackgroundPicture] | None = None
        self.seen_between = False
        """Whether the background is seen between the subject's thin parts."""

    def behind(self, index: int, codes: Codes) -> BackgroundPicture:
        """The background's picture in a frame, by its place in the order, and its codes."""
        number = index // TUNING.every
        if self._made is None or self._made[0] != number:
            self._made = number, self._put_together(number)
        seen = self._at(number)
        if index == number * TUNING.every:
            return self._made[1]
        motion, agree, _ = affine_of(seen.grey, _grey(codes), _without(seen))
        if agree < TUNING.agree:
            return BackgroundPicture.unknown(codes.shape[:2])
        return self._made[1].moved(_square(motion))

    def ahead(self, index: int, away: Sequence[int]) -> Iterator[Codes]:
        """Pictures of frames so far ahead, as far as there are any; each is looked at when it is asked for."""
        return (self._look(self._frames[index + gone]) for gone in away if index + gone < len(self._frames))

    def forget(self) -> None:
        """Begin anew at a key made by hand: what was followed up to there may have gone wrong."""
        self._seen.clear()
        self._made = None

    def note(self, index: int, matte: Values) -> None:
        """Remember the matte that was found in a frame."""
        number, rest = divmod(index, TUNING.every)
        if rest == 0:
            self._at(number).matte = matte
            for past in [n for n in self._seen if n < number - TUNING.reach]:
                del self._seen[past]

    def _at(self, number: int) -> _Seen:
        if number not in self._seen:
            codes = self._look(self._frames[number * TUNING.every])
            self._seen[number] = _Seen(codes, _grey(codes))
        return self._seen[number]

    def _put_together(self, number: int) -> BackgroundPicture:
        """The background's picture in one of the frames that are used."""
        last = (len(self._frames) - 1) // TUNING.every
        here = self._at(number)
        size = here.grey.shape[1::-1]
        motions: list[tuple[int, Affine]] = [(number, np.eye(3))]
        for way in (-1, 1):
            motion = np.eye(3)
            for other in range(number + way, number + way * (TUNING.reach + 1), way):
                if not 0 <= other <= last or (way < 0 and other not in self._seen):
                    break
                step = self._onwards(min(other, other - way))
                if step is None:
                    break
                motion = motion @ (step if way < 0 else np.linalg.inv(step))
                motions.append((other, motion))
        motions.sort(key=lambda pair: self._at(pair[0]).matte is None)
        expected = self._expected(dict(motions))
        pictures, valid, counts = [], [], np.zeros((*here.grey.shape, 3), np.float32)
        inside = np.full(here.grey.shape, 255, np.uint8)
        inside[:2] = inside[-2:] = inside[:, :2] = inside[:, -2:] = 0
        for other, motion in motions:
            seen = self._at(other)
            shows = cv2.warpAffine(inside, motion[:2], size, flags=cv2.INTER_NEAREST) > 0
            if seen.matte is not None:
                covered = cv2.warpAffine(self._covered(seen.matte), motion[:2], size, flags=cv2.INTER_NEAREST) > 0
                counts[..., 2] += covered & shows
                shows &= ~covered
                counts[..., 0] += shows
            else:
                if expected is not None:
                    matte, pace, known = expected
                    ahead = np.eye(2, 3, dtype=np.float32)
                    ahead[:, 2] = pace * (other - known)
                    shows &= cv2.warpAffine(matte, ahead, size, flags=cv2.INTER_NEAREST) == 0
                counts[..., 1] += shows
            pictures.append(cv2.warpAffine(seen.codes, motion[:2], size, flags=cv2.INTER_LINEAR))
            valid.append(shows)
        median, _ = median_of(np.stack(pictures), np.stack(valid), len(valid))
        middle = cv2.cvtColor(np.clip(median, 0, 255).astype(np.uint8), cv2.COLOR_RGB2GRAY)
        away = np.zeros(here.grey.shape, np.float32)
        for picture, shows in zip(pictures, valid, strict=True):
            away += cv2.absdiff(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), middle) * shows
        # What lies beside a place that no frame shows would be mixed with it when this is moved on.
        unseen = (counts[..., 0] + counts[..., 1] < 1).astype(np.uint8)
        counts[cv2.dilate(unseen, np.ones((5, 5), np.uint8)) > 0, :2] = 0
        times = counts[..., 0] + counts[..., 1]
        rest = np.dstack([away / np.maximum(times, 1), counts / np.float32(TUNING.many)])
        rest = np.minimum(rest, (TUNING.capped, 1, 1, 1)).astype(np.float32)
        return BackgroundPicture(median, rest, self.seen_between)

    def _covered(self, matte: Values) -> Codes:
        """Where a matte that was found hides the background, 0 or 1."""
        if not self.seen_between:
            return _wide(matte, TUNING.clear)
        return np.maximum(_wide(solid_of(matte), TUNING.clear), _wide(matte, TUNING.clear_thin))

    def _expected(self, motions: Mapping[int, Affine]) -> tuple[Codes, Values, int] | None:
        """The latest matte that is known and how it moves against the background, in the frame that is put together.

        Returns:
            (height, width) the matte, 0 or 1 and wider; (2,) px from one frame that is used to the next; and the number
            of the frame that it was found in. None where no matte is known.
        """
        known = sorted(number for number in motions if self._at(number).matte is not None)[-2:]
        mattes, middles = [], []
        for number in known:
            matte = self._at(number).matte
            assert matte is not None
            moved = cv2.warpAffine(matte, motions[number][:2], matte.shape[::-1])
            middle = middle_of(moved)
            if middle is not None:
                mattes.append(moved)
                middles.append(middle)
        if not mattes:
            return None
        if len(middles) > 1:
            pace = (middles[1] - middles[0]) / (known[1] - known[0])
        else:
            pace = self._first_pace(known[-1], motions)
        return _wide(mattes[-1], TUNING.clear_ahead), pace.astype(np.float32), known[-1]

    def _first_pace(self, number: int, motions: Mapping[int, Affine]) -> NDArray[np.float64]:
        """How the subject of a first matte moves against the background, (2,) px: by its own corners."""
        here, matte, ahead = self._at(number), self._at(number).matte, number * TUNING.every + TUNING.first
        if matte is None or ahead >= len(self._frames):
            return np.zeros(2)
        codes = self._look(self._frames[ahead])
        there = _grey(codes)
        inside = cv2.erode((matte > 0.9).astype(np.uint8), np.ones((5, 5), np.uint8))
        own, agree, _ = affine_of(here.grey, there, inside)
        rest, agree_rest, _ = affine_of(here.grey, there, _without(here))
        middle = middle_of(matte)
        if agree_rest < TUNING.agree or middle is None:
            return np.zeros(2)
        if agree < TUNING.agree:
            own = shift_of(here.codes, codes, inside, rest[:, 2])
        at = np.append(middle, 1.0)
        gone = np.linalg.inv(_square(rest)) @ _square(own) @ at - at
        return np.asarray((motions[number][:2, :2] @ gone[:2]) * TUNING.every / TUNING.first)

    def _onwards(self, number: int) -> Affine | None:
        """The motion from one frame that is used to the next; None where none agrees."""
        here = self._at(number)
        if here.onwards is None:
            motion, agree, _ = affine_of(here.grey, self._at(number + 1).grey, _without(here))
            here.onwards = _square(motion) if agree >= TUNING.agree else np.full((3, 3), np.nan)
        return None if np.isnan(here.onwards).any() else here.onwards


def _grey(codes: Codes) -> Codes:
    return np.asarray(cv2.cvtColor(codes, cv2.COLOR_RGB2GRAY), np.uint8)


def _wide(matte: Values, by: int) -> Codes:
    """Where a matte lies, 0 or 1, wider by so many px."""
    side = 2 * by + 1
    return np.asarray((cv2.dilate(matte, np.ones((side, side), np.uint8)) > 0.15).astype(np.uint8), np.uint8)


def _without(seen: _Seen) -> Codes:
    """Where corners may lie: outside of the matte, where it is known."""
    if seen.matte is None:
        return np.ones_like(seen.grey)
    return np.asarray(1 - cv2.dilate((seen.matte > 0.05).astype(np.uint8), np.ones((5, 5), np.uint8)), np.uint8)


def _square(motion: NDArray[np.float32]) -> Affine:
    return np.vstack([motion.astype(np.float64), [0, 0, 1]])
