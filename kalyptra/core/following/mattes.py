"""Following found mattes over the frames of a clip, from keys made by hand."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from itertools import pairwise
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.reader import PictureSource
from kalyptra.core.following.fine_edge import with_fine_edge
from kalyptra.core.following.outlines import OnLoss
from kalyptra.core.following.propagate.background import Surroundings
from kalyptra.core.following.propagate.look import WORKING_WIDTH, looked_at, smaller
from kalyptra.core.following.propagate.subject import MOST_BACK, FollowedSubject
from kalyptra.core.following.propagate.sureness import Sure
from kalyptra.core.matte.overlap import overlap
from kalyptra.core.matte.stored import codes_of, coverage_of
from kalyptra.core.setup.document.stored import How

Matte = NDArray[np.float32]
Codes = NDArray[np.uint8]


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the demo's clips, where no source is named."""

    keys: int = 4
    """Of the keys nearest by, so many are learnt from."""
    missed: float = 0.02
    doubt: float = 0.05
    """What a way is expected to miss at a frame, whatever it misses of the key at its other end; and the doubt of a
    frame that is wholly sure. Chosen on twenty clips of the tune half's kinds and surfaces, with seeds of their own."""
    agree: float = 0.9
    agree_least: float = 0.2
    doubted: float = 0.7
    """Overlap of the two ways below which they differ, by how much it is less when they differ wholly, and what that
    takes from confidence where both count alike."""


TUNING = Tuning()


@dataclass(frozen=True)
class PropagatedMatte:
    """A matte that was found at a frame.

    Attributes:
        matte: (height, width) 8-bit codes, at the working size.
        sure: 0 to 1.
        how: followed; or predicted, where the subject could hardly be seen.
    """

    frame: int
    matte: NDArray[np.uint8]
    sure: float
    how: How


def follow_mattes(
    keys: Mapping[int, Matte], footage: PictureSource, frames: Sequence[int], on_loss: OnLoss = OnLoss.CARRY_ON
) -> Iterator[PropagatedMatte]:
    """Follow a matte from frame to frame.

    Between two keys it is followed ahead from the one and back from the other, each up to the other one, where it shows
    how far it went astray. The two are blended: the nearer key counts more, and the way that came to more of the other.
    A key that shows only a part of the subject, since something hides the rest, does not end what is known of the rest.

    Args:
        keys: mattes (height, width) of any size by frame, at least at the first of the frames.
        frames: frame numbers one apart, ahead or back.

    Yields:
        What is found at each frame but the keys' own, in order. It ends early where the subject is lost, if so wished.

    Raises:
        FrameUnreadable: the clip has no such frame.
    """
    stops = [i for i, frame in enumerate(frames) if frame in keys]
    if not stops or stops[0] == len(frames) - 1:
        return
    subject = _set_out(keys, footage, frames[stops[0] :])
    for a, b in pairwise(stops):
        ahead = list(_along(subject, footage, frames[a : b + 1]))
        back = frames[a : b + 1][::-1]
        other_way = _set_out(keys, footage, back)
        if subject.knows_more_than(other_way.matte):
            other_way.remember(subject, other_way.matte)
            subject.go_on(other_way.matte)
        elif b < len(frames) - 1:
            subject = _set_out(keys, footage, frames[b:])
        yield from _both_ways(keys, footage, ahead, list(_along(other_way, footage, back)))
    for matte in _along(subject, footage, frames[stops[-1] :]):
        if matte.how is How.PREDICTED and on_loss is OnLoss.STOP:
            return
        yield matte


def follow_keys(
    keys: Mapping[int, Matte], footage: PictureSource, first: int, last: int, on_loss: OnLoss = OnLoss.CARRY_ON
) -> Iterator[PropagatedMatte]:
    """Follow a matte from its keys over all frames from first to last: back before the first key, ahead from there."""
    inside = sorted(frame for frame in keys if first <= frame <= last)
    if inside:
        yield from follow_mattes(keys, footage, range(inside[0], first - 1, -1), on_loss)
        yield from follow_mattes(keys, footage, range(inside[0], last + 1), on_loss)


def _both_ways(
    keys: Mapping[int, Matte], footage: PictureSource, ahead: list[PropagatedMatte], behind: list[PropagatedMatte]
) -> Iterator[PropagatedMatte]:
    """Blend what was found from either of two keys, each up to the other's frame."""
    missed, missed_back = (
        expected_misses(
            [step.sure for step in way],
            overlap(coverage_of(way[-1].matte), _key_at(keys[way[-1].frame], footage, way[-1].frame)[1]),
        )
        for way in (ahead, behind)
    )
    for i, (one, other) in enumerate(zip(ahead[:-1], behind[-2::-1], strict=True)):
        yield blended((one, other), (missed[i], missed_back[-2 - i]))


def expected_misses(sure: Sequence[float], reached: float) -> NDArray[np.float64]:
    """(n,) the overlap that a way is expected to miss at each of its frames, by what it came to at its end.

    It grows as the root of the doubt on the way: most of what goes wrong goes wrong early, and where that is said.

    Args:
        sure: of each frame, 0 to 1.
        reached: its overlap with the key at its end.
    """
    doubts = np.cumsum(1 - np.asarray(sure) + TUNING.doubt)
    return np.asarray(TUNING.missed + (1 - reached) * np.sqrt(doubts / doubts[-1]))


def _set_out(keys: Mapping[int, Matte], footage: PictureSource, frames: Sequence[int]) -> FollowedSubject:
    """A subject at the first of some frames, where one of the keys is."""
    nearest = sorted(keys, key=lambda frame: (abs(frame - frames[0]), frame))[: TUNING.keys]
    (codes, matte), *others = (_key_at(keys[frame], footage, frame) for frame in nearest)
    return FollowedSubject(Surroundings(partial(looked_at, footage), frames), codes, matte, others)


def _along(subject: FollowedSubject, footage: PictureSource, frames: Sequence[int]) -> Iterator[PropagatedMatte]:
    """Follow from the first of the frames, where the subject is, to the last."""
    hidden: list[tuple[Codes, PropagatedMatte]] = []
    for frame in frames[1:]:
        picture = looked_at(footage, frame, 2 * WORKING_WIDTH)
        sure = subject.step(smaller(picture))
        step = _said(frame, subject.matte, subject.mixed, picture, sure)
        if sure.hidden:
            hidden.append((picture, step))
            if len(hidden) > MOST_BACK:
                yield hidden.pop(0)[1]
            continue
        yield from _seen_again(subject, hidden)
        hidden.clear()
        yield step
    yield from (step for _, step in hidden)


def _seen_again(subject: FollowedSubject, hidden: Sequence[tuple[Codes, PropagatedMatte]]) -> Iterator[PropagatedMatte]:
    """Frames in which a subject was hidden: those that it is followed back to from where it is seen again are found."""
    back = list(subject.back_over([smaller(picture) for picture, _ in reversed(hidden)]))
    reached = len(hidden) - len(back)
    yield from (step for _, step in hidden[:reached])
    for (picture, step), (matte, mixed, sure) in zip(hidden[reached:], reversed(back), strict=True):
        yield _said(step.frame, matte, mixed, picture, sure)


def _said(
    frame: int, matte: Matte, mixed: NDArray[np.bool_] | None, picture: Codes, sure: Sure
) -> PropagatedMatte:  # fmt: skip
    """A matte as it is kept. It is followed on as it was: an edge drawn anew in each frame would wear parts away."""
    how = How.PREDICTED if sure.hidden else How.FOLLOWED
    return PropagatedMatte(frame, codes_of(with_fine_edge(matte, picture, mixed)), round(sure.share, 3), how)


def _key_at(key: Matte, footage: PictureSource, frame: int) -> tuple[NDArray[np.uint8], Matte]:
    """A key's picture and matte at the working size."""
    codes = looked_at(footage, frame)
    size = (codes.shape[1], codes.shape[0])
    return codes, np.clip(cv2.resize(key, size, interpolation=cv2.INTER_AREA), 0, 1).astype(np.float32)


def blended(ways: tuple[PropagatedMatte, PropagatedMatte], missed: tuple[float, float]) -> PropagatedMatte:
    """One matte of two ways to a frame: each counts by the inverse of what it is expected to miss there."""
    a, b = ways
    part = missed[0] / sum(missed)
    ahead, other = coverage_of(a.matte), coverage_of(b.matte)
    apart = float(np.clip((TUNING.agree - overlap(ahead, other)) / TUNING.agree_least, 0, 1))
    differ = 2 * min(part, 1 - part) * apart
    matte = ahead * (1 - part) + other * part
    sure = (a.sure * (1 - part) + b.sure * part) * (1 - TUNING.doubted * differ)
    hidden = a.how is How.PREDICTED and b.how is How.PREDICTED
    how = How.PREDICTED if hidden else How.FOLLOWED
    return replace(a, matte=codes_of(np.asarray(matte, np.float32)), sure=round(sure, 3), how=how)
