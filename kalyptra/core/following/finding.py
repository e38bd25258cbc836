"""Finding people over the frames of a clip: the finder proposes, the follower decides."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator, Sequence
from dataclasses import replace
from functools import partial
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.special import expit, logit

from kalyptra.core.clip.reader import PictureSource
from kalyptra.core.following.mattes import PropagatedMatte
from kalyptra.core.following.people.find import PersonSeen, find_people, looked_closer
from kalyptra.core.following.propagate.background import Surroundings
from kalyptra.core.following.propagate.layer import dense_search
from kalyptra.core.following.propagate.look import looked_at
from kalyptra.core.following.propagate.state import SubjectState
from kalyptra.core.following.propagate.step import propagate
from kalyptra.core.following.propagate.sureness import Sureness
from kalyptra.core.matte.stored import codes_of
from kalyptra.core.setup.document.stored import How, Spot
from kalyptra.core.window import window_of

Matte = NDArray[np.float32]


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the demo's ticket window, every second frame; the others judged it."""

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
    jump: float = 0.14
    """By what share the area or a side of the box changes from one frame to the next where a limb came or went."""
    jumped: float = 0.4
    """The most that is sure then."""


TUNING = Tuning()


def follow_people(
    footage: PictureSource, frames: Sequence[int], spot: Spot | None, full_width: int, carefully: bool = True
) -> Iterator[PropagatedMatte]:
    """Find people frame by frame, everybody or the one that is pointed at.

    Args:
        frames: frame numbers one apart; where somebody is pointed at, the first is the spot's.
        carefully: follow them as well, so that limbs come and go rightly. The finder alone is five times as fast.

    Yields:
        What is found at every frame; somebody who was gone is found again.

    Raises:
        FrameUnreadable: the clip has no such frame.
    """
    seen: PersonSeen | None = None
    followed: _Followed | None = None
    sizes = _Sizes()
    for index, frame in enumerate(frames):
        codes = looked_at(footage, frame)
        scale = codes.shape[1] / full_width
        at = (spot.x * scale, spot.y * scale) if spot else None
        if followed is not None:
            matte, sure = followed.after(index, codes)
            if matte.sum() >= TUNING.lost * sizes.usual:
                sure = min(sure, TUNING.jumped) if sizes.jump(matte) else sure
                if spot is None and followed.since(index) % TUNING.look_around == 0:
                    everybody = np.maximum(matte, find_people(codes).matte)
                    if _overlap(everybody, matte) < TUNING.alike:  # others came
                        matte, sizes = everybody, _Sizes()
                        followed = _Followed(footage, frames, index, codes, matte)
                yield PropagatedMatte(frame, codes_of(matte), round(sure, 3), How.PERSON)
                continue
            followed = None  # nobody is left of whom was followed
        seen = find_people(codes, seen, at)
        if carefully and seen.boxes:
            followed = _Followed(footage, frames, index, codes, seen.matte)
            sizes = _Sizes()
        jump = bool(seen.boxes) and sizes.jump(seen.matte)
        sure = seen.sure if seen.boxes else 1.0
        how = How.PERSON if seen.boxes else How.NOBODY
        yield PropagatedMatte(frame, codes_of(seen.matte), round(min(sure, TUNING.jumped) if jump else sure, 3), how)


class _Followed:
    """People who are followed from a frame on, and looked at again by the finder in every frame."""

    def __init__(
        self, footage: PictureSource, frames: Sequence[int], index: int, codes: NDArray[np.uint8], matte: Matte
    ) -> None:
        self._first, self._flow = index, dense_search()
        self._state, self._sureness = SubjectState.at(codes, matte), Sureness(matte)
        self._around = Surroundings(partial(looked_at, footage), frames[index:])
        self._around.note(0, matte)

    def since(self, index: int) -> int:
        """Frames since they have been followed."""
        return index - self._first

    def after(self, index: int, codes: NDArray[np.uint8]) -> tuple[Matte, float]:
        """(height, width) where they are in the next frame, and how sure that is."""
        number = self.since(index)
        state, signs = propagate(self._state, codes, self._around.behind(number, codes), self._flow)
        proposed = looked_closer(codes, state.matte)
        agree = _overlap(proposed, state.matte)
        share = TUNING.finder * float(np.clip((agree - TUNING.apart) / (TUNING.alike - TUNING.apart), 0, 1))
        sure = self._sureness.after(signs, state.matte)
        if share == 0 and sure.share < TUNING.doubt:
            return np.zeros_like(state.matte), 0.0
        low, high = 1 - TUNING.surely, TUNING.surely
        odds = (1 - share) * logit(np.clip(state.matte, low, high)) + share * logit(np.clip(proposed, low, high))
        # Where both are sure nothing is left of what no share may say.
        matte = np.asarray(np.clip((expit(odds) - low) / (high - low), 0, 1), np.float32)
        self._state = replace(state, matte=matte)
        self._around.note(number, matte)
        # Two that agree, and know nothing of each other, are hardly wrong.
        return matte, max(sure.share, share / TUNING.finder * agree)


class _Sizes:
    """How large people have been lately, and where their box ends."""

    def __init__(self) -> None:
        self._areas: deque[float] = deque(maxlen=TUNING.usual)
        self._box: tuple[int, int, int, int] | None = None

    @property
    def usual(self) -> float:
        return float(np.median(self._areas)) if self._areas else 0.0

    def jump(self, matte: Matte) -> bool:
        """Whether a limb came or went since the frame before, by the area or by one side of the box alone."""
        window = window_of((matte > 0.5).astype(np.uint8), 0)
        area, before = float(matte.sum()), self.usual
        box = None if window is None else (window[0].start, window[0].stop, window[1].start, window[1].stop)
        jumped = before > 0 and abs(area / before - 1) > 2 * TUNING.jump
        if box and self._box:
            moved = [now - then for now, then in zip(box, self._box, strict=True)]
            high, wide = max(box[1] - box[0], 1), max(box[3] - box[2], 1)
            jumped |= abs(moved[0] - moved[1]) > TUNING.jump * high or abs(moved[2] - moved[3]) > TUNING.jump * wide
        self._areas.append(area)
        self._box = box
        return bool(jumped)


def _overlap(a: Matte, b: Matte) -> float:
    either = float(np.maximum(a, b).sum())
    return float(np.minimum(a, b).sum()) / either if either > 0 else 1.0
