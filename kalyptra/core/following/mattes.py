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
from kalyptra.core.edit.subjects import EDGE_OF_FOUND
from kalyptra.core.following.outlines import OnLoss
from kalyptra.core.following.propagate.background import Surroundings
from kalyptra.core.following.propagate.look import looked_at
from kalyptra.core.following.propagate.subject import FollowedSubject
from kalyptra.core.matte.overlap import overlap
from kalyptra.core.matte.refine import edged
from kalyptra.core.matte.stored import codes_of, coverage_of, laid_over
from kalyptra.core.setup.document.setup import Edge, Refine
from kalyptra.core.setup.document.stored import Fit, How

Matte = NDArray[np.float32]


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the demo's clips, where no source is named."""

    keys: int = 4
    """Of the keys nearest by, so many are learnt from."""
    belief: float = 2.5
    """How strongly the surer of two directions counts between keys."""
    agree: float = 0.9
    agree_least: float = 0.2
    """Overlap of the two ways below which they differ, and by how much it is less when they differ wholly."""


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

    Between two keys it is followed ahead from the one and back from the other, and the two are blended: the nearer key
    counts more, and the surer way.

    Args:
        keys: mattes (height, width) of any size by frame, at least at the first of the frames.
        frames: frame numbers one apart, ahead or back.

    Yields:
        What is found at each frame but the keys' own, in order. It ends early where the subject is lost, if so wished.

    Raises:
        FrameUnreadable: the clip has no such frame.
    """
    stops = [frame for frame in frames if frame in keys]
    for a, b in pairwise(stops):
        span = range(a, b, 1 if b > a else -1)
        there = list(_one_way(keys, footage, span))
        back = list(_one_way(keys, footage, range(b, a, -span.step)))[::-1]
        yield from (_blended(x, y, (i + 1) / len(span)) for i, (x, y) in enumerate(zip(there, back, strict=True)))
    rest = [frame for frame in frames if stops and frames.index(frame) >= frames.index(stops[-1])]
    for matte in _one_way(keys, footage, rest) if stops else ():
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


def _one_way(keys: Mapping[int, Matte], footage: PictureSource, frames: Sequence[int]) -> Iterator[PropagatedMatte]:
    """Follow from the first of the frames, where one of the keys is, to the last."""
    if len(frames) < 2:
        return
    nearest = sorted(keys, key=lambda frame: (abs(frame - frames[0]), frame))[: TUNING.keys]
    (codes, matte), *others = (_key_at(keys[frame], footage, frame) for frame in nearest)
    subject = FollowedSubject(Surroundings(partial(looked_at, footage), frames), codes, matte, others)
    for frame in frames[1:]:
        sure = subject.step(looked_at(footage, frame))
        how = How.PREDICTED if sure.hidden else How.FOLLOWED
        yield PropagatedMatte(frame, codes_of(subject.matte), round(sure.share, 3), how)


def _key_at(key: Matte, footage: PictureSource, frame: int) -> tuple[NDArray[np.uint8], Matte]:
    """A key's picture and matte at the working size."""
    codes = looked_at(footage, frame)
    size = (codes.shape[1], codes.shape[0])
    return codes, np.clip(cv2.resize(key, size, interpolation=cv2.INTER_AREA), 0, 1).astype(np.float32)


def _blended(a: PropagatedMatte, b: PropagatedMatte, share: float) -> PropagatedMatte:
    """Two ways to a frame, `share` of the way from the first one's key."""
    weights = (1 - share) * (a.sure + 0.01) ** TUNING.belief, share * (b.sure + 0.01) ** TUNING.belief
    part = weights[1] / sum(weights)
    ahead, other = coverage_of(a.matte), coverage_of(b.matte)
    apart = float(np.clip((TUNING.agree - overlap(ahead, other)) / TUNING.agree_least, 0, 1))
    differ = 2 * min(part, 1 - part) * apart
    matte = ahead * (1 - part) + other * part
    sure = max(a.sure, b.sure) * (1 - 0.7 * differ) * (1 - 0.4 * apart)
    hidden = a.how is How.PREDICTED and b.how is How.PREDICTED
    blended = replace(a, matte=codes_of(np.asarray(matte, np.float32)), sure=round(sure, 3))
    return replace(blended, how=How.PREDICTED if hidden else How.FOLLOWED)


def at_full_size(matte: NDArray[np.uint8], codes: NDArray[np.uint8]) -> Matte:
    """A carried matte at the size of a picture, its edge drawn to it.

    Args:
        matte: 8-bit codes at the working size.
        codes: (height, width, 3) the picture, 8 bits.
    """
    whole = laid_over(coverage_of(matte), (codes.shape[0], codes.shape[1]), Fit.STRETCH)
    refine = Refine(edge=Edge.FAST, edge_width=max(2.0, codes.shape[1] * EDGE_OF_FOUND))
    return edged(whole, codes, refine, 1.0, False)
