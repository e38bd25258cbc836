"""Following found mattes over the frames of a clip, from keys made by hand."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.reader import PictureSource
from kalyptra.core.following.both_ways import blended, expected_misses, expected_sizes
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


KEYS = 4
"""Of the keys nearest by, so many are learnt from. Chosen on the demo's clips."""


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
    how far it went astray. The two are blended (`both_ways.py`).
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
        first = subject.size
        ahead = list(_along(subject, footage, frames[a : b + 1]))
        back = frames[a : b + 1][::-1]
        other_way = _set_out(keys, footage, back)
        if subject.knows_more_than(other_way.matte):
            other_way.remember(subject, other_way.matte)
            subject.go_on(other_way.matte)
        elif b < len(frames) - 1:
            subject = _set_out(keys, footage, frames[b:])
        ways = ahead, list(_along(other_way, footage, back))
        yield from _both_ways(keys, footage, ways, (first, other_way.size))
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
    keys: Mapping[int, Matte],
    footage: PictureSource,
    ways: tuple[list[PropagatedMatte], list[PropagatedMatte]],
    sizes: tuple[float, float],
) -> Iterator[PropagatedMatte]:
    """Blend what was found from either of two keys, where the subject has these sizes, each up to the other's frame."""
    ahead, back = ways
    missed, missed_back = (
        expected_misses(
            [step.sure for step in way],
            overlap(coverage_of(way[-1].matte), _key_at(keys[way[-1].frame], footage, way[-1].frame)[1]),
        )
        for way in ways
    )
    whole = expected_sizes(*sizes, len(ahead) + 1)
    for i, (one, other) in enumerate(zip(ahead[:-1], back[-2::-1], strict=True)):
        mattes, sure = (coverage_of(one.matte), coverage_of(other.matte)), (one.sure, other.sure)
        matte, both = blended(mattes, sure, (missed[i], missed_back[-2 - i]), float(whole[i + 1]))
        how = How.PREDICTED if one.how is How.PREDICTED and other.how is How.PREDICTED else How.FOLLOWED
        yield PropagatedMatte(one.frame, codes_of(matte), round(both, 3), how)


def _set_out(keys: Mapping[int, Matte], footage: PictureSource, frames: Sequence[int]) -> FollowedSubject:
    """A subject at the first of some frames, where one of the keys is."""
    nearest = sorted(keys, key=lambda frame: (abs(frame - frames[0]), frame))[:KEYS]
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
