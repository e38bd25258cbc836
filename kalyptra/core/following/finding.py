"""Finding people over the frames of a clip: the finder proposes, the follower decides."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator, Sequence
from functools import partial
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.reader import PictureSource
from kalyptra.core.following.fine_edge import with_fine_edge
from kalyptra.core.following.mattes import PropagatedMatte
from kalyptra.core.following.people.find import PersonSeen, find_people, looked_closer
from kalyptra.core.following.propagate.background import Surroundings
from kalyptra.core.following.propagate.look import WORKING_WIDTH, looked_at, smaller
from kalyptra.core.following.propagate.subject import FollowedSubject
from kalyptra.core.log_odds import expit, logit
from kalyptra.core.matte.overlap import overlap
from kalyptra.core.matte.stored import codes_of
from kalyptra.core.setup.document.stored import How, Spot
from kalyptra.core.window import middle_of, window_of

Matte = NDArray[np.float32]


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the demo's ticket window, which its figures are of as well."""

    finder: float = 0.5
    """What the finder's log odds count where the two agree; the rest is the follower's."""
    apart: float = 0.4
    alike: float = 0.8
    """Overlaps of the two: from the first on the finder counts at all, from the second on wholly."""
    surely: float = 0.97
    """No share counts for more than this."""
    doubt: float = 0.5
    """What is less sure, and not proposed by the finder either, is gone."""
    lost: float = 0.25
    """The share of its usual size below which somebody is looked for again."""
    look_around: int = 12
    """Frames after which the whole picture is looked at again, for others who came."""
    usual: int = 7
    """Frames that say what size is usual."""
    area: float = 0.28
    side: float = 0.14
    """By what share the area, or one side of the box, changes from one frame to the next where a limb came or went."""
    jumped: float = 0.4
    """The most that is sure then."""


TUNING = Tuning()


def follow_people(
    footage: PictureSource, frames: Sequence[int], spot: Spot | None, full_width: int, carefully: bool = True
) -> Iterator[PropagatedMatte]:
    """Find people frame by frame, everybody or the one that is pointed at.

    Args:
        frames: frame numbers one apart; where somebody is pointed at, the first is the spot's.
        carefully: follow them as well, so that limbs come and go rightly. The finder alone is four times as fast.

    Yields:
        What is found at every frame; somebody who was gone is found again.

    Raises:
        FrameUnreadable: the clip has no such frame.
    """
    seen: PersonSeen | None = None
    subject: FollowedSubject | None = None
    sizes, since, last = _Sizes(), 0, None
    for index, frame in enumerate(frames):
        picture = looked_at(footage, frame, 2 * WORKING_WIDTH)
        codes = smaller(picture)
        scale = codes.shape[1] / full_width
        if subject is not None:
            since += 1
            sure = _went_on(subject, codes)
            if subject.matte.sum() >= TUNING.lost * sizes.usual:
                sure, last = sizes.doubted(subject.matte, sure), middle_of(subject.matte)
                everybody = subject.matte
                if spot is None and since % TUNING.look_around == 0:
                    everybody = np.maximum(subject.matte, find_people(codes).matte)
                if overlap(everybody, subject.matte) < TUNING.alike:  # others came
                    subject, sizes, since = _from_here(footage, frames[index:], codes, everybody), _Sizes(), 0
                yield _said(frame, subject.matte, picture, sure)
                continue
            subject, seen = None, None  # nobody is left of whom was followed
        at = (spot.x * scale, spot.y * scale) if spot else None
        seen = find_people(codes, seen, at if at is None or last is None else (float(last[0]), float(last[1])))
        if not seen.boxes:
            yield PropagatedMatte(frame, codes_of(seen.matte), 1.0, How.NOBODY)
            continue
        if carefully:
            subject, sizes, since = _from_here(footage, frames[index:], codes, seen.matte), _Sizes(), 0
        yield _said(frame, seen.matte, picture, sizes.doubted(seen.matte, seen.sure))


def _said(frame: int, matte: Matte, picture: NDArray[np.uint8], sure: float) -> PropagatedMatte:
    return PropagatedMatte(frame, codes_of(with_fine_edge(matte, picture)), round(sure, 3), How.PERSON)


def _from_here(
    footage: PictureSource, frames: Sequence[int], codes: NDArray[np.uint8], matte: Matte
) -> FollowedSubject:
    return FollowedSubject(Surroundings(partial(looked_at, footage), frames), codes, matte)


def _went_on(subject: FollowedSubject, codes: NDArray[np.uint8]) -> float:
    """Follow people to the next frame, and weigh what the finder sees there; how sure they are."""
    sure = subject.step(codes).share
    proposed = looked_closer(codes, subject.matte)
    agree = overlap(proposed, subject.matte)
    share = TUNING.finder * float(np.clip((agree - TUNING.apart) / (TUNING.alike - TUNING.apart), 0, 1))
    if share == 0 and sure < TUNING.doubt:
        subject.correct(np.zeros_like(subject.matte))
        return 0.0
    low, high = 1 - TUNING.surely, TUNING.surely
    odds = (1 - share) * logit(np.clip(subject.matte, low, high)) + share * logit(np.clip(proposed, low, high))
    # Where both are sure nothing is left of what no share may say.
    subject.correct(np.asarray(np.clip((expit(odds) - low) / (high - low), 0, 1), np.float32))
    # Two that agree, and know nothing of each other, are hardly wrong.
    return max(sure, share / TUNING.finder * agree)


class _Sizes:
    """How large people have been lately, and where their box ends."""

    def __init__(self) -> None:
        self._areas: deque[float] = deque(maxlen=TUNING.usual)
        self._box: tuple[int, int, int, int] | None = None

    @property
    def usual(self) -> float:
        return float(np.median(self._areas)) if self._areas else 0.0

    def doubted(self, matte: Matte, sure: float) -> float:
        """How sure the next matte is: hardly, where a limb came or went by its area or by one side of the box."""
        window = window_of((matte > 0.5).astype(np.uint8), 0)
        area, before = float(matte.sum()), self.usual
        box = None if window is None else (window[0].start, window[0].stop, window[1].start, window[1].stop)
        jumped = before > 0 and abs(area / before - 1) > TUNING.area
        if box and self._box:
            moved = [now - then for now, then in zip(box, self._box, strict=True)]
            high, wide = max(box[1] - box[0], 1), max(box[3] - box[2], 1)
            jumped |= abs(moved[0] - moved[1]) > TUNING.side * high or abs(moved[2] - moved[3]) > TUNING.side * wide
        self._areas.append(area)
        self._box = box
        return min(sure, TUNING.jumped) if jumped else sure
