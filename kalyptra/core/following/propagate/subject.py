"""A subject on its way over the frames: its state, what lies around it, and how far it can be trusted."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.background import Surroundings
from kalyptra.core.following.propagate.layer import dense_search
from kalyptra.core.following.propagate.meeting import Pair
from kalyptra.core.following.propagate.rival import EVERY, is_near, rival_of, told_apart
from kalyptra.core.following.propagate.state import SubjectState
from kalyptra.core.following.propagate.step import Weigh, propagate
from kalyptra.core.following.propagate.sureness import TUNING as SURENESS
from kalyptra.core.following.propagate.sureness import Sure, Sureness
from kalyptra.core.following.propagate.thin_parts import ThinParts, is_thin
from kalyptra.core.following.propagate.trail import KeyTrail
from kalyptra.core.following.propagate.weigh import weighed
from kalyptra.core.following.propagate.wheels import wheels_of

Codes = NDArray[np.uint8]
Matte = NDArray[np.float32]

PARTLY, OVER, LATELY = 0.9, 0.75, 24
"""A key made by hand shows a part of a subject if it is smaller, by this share, than all of it would be here; the share
of it that must lie where the earlier key's matte has come to, to know its parts and its size from there; and the frames
before that tell its size otherwise."""
EVERYWHERE = (slice(None), slice(None))
MOST_BACK = 12
"""Frames in which a subject was hidden that are gone back over once it is seen again. Chosen on clips of the tune
half's kinds and surfaces, with seeds of their own."""


class FollowedSubject:
    """Follows a matte frame by frame, from one that is given.

    Args:
        around: the frames around, in the order in which they are followed.
        codes, matte: (height, width, 3) the first picture at the working size, (height, width) the matte there, 0 to 1.
        others: pictures and mattes of other keys, whose colours count as well.
        index: the place of the first picture in that order.
        drawn: whether the matte is of a line that was drawn, and what is seen through it is not known for sure.
        weigh: what decides by the evidence.
    """

    def __init__(
        self,
        around: Surroundings,
        codes: Codes,
        matte: Matte,
        others: Sequence[tuple[Codes, Matte]] = (),
        index: int = 0,
        drawn: bool = False,
        weigh: Weigh = weighed,
    ) -> None:
        self._weigh = weigh
        self._around, self._index, self._flow = around, index, dense_search()
        self._state = SubjectState.at(codes, matte, others)
        own = self._state.lasting.says(cv2.cvtColor(codes, cv2.COLOR_RGB2LAB))[matte > 0.5]
        self._thin = is_thin(matte)
        self._sureness = Sureness(matte, float(own.mean()) if len(own) else 0.0, self._thin and not drawn)
        self._rival: SubjectState | None = None
        self._met, self._pair = 0, Pair()
        self._sizes = deque([float(matte.sum())], LATELY)
        around.note(index, matte)
        wheels = wheels_of(matte, codes, drawn)
        around.seen_between = self._thin or bool(wheels)
        if around.seen_between:
            self._state = replace(self._state, thin=ThinParts.of(codes, matte, around.behind(index, codes), wheels))

    @property
    def matte(self) -> Matte:
        return self._state.matte

    @property
    def seen(self) -> bool:
        return self._state.seen

    @property
    def size(self) -> float:
        """Px of all of it at its key, were nothing before it, as far as that is known."""
        return self._state.lasting.area

    @property
    def mixed(self) -> NDArray[np.bool_] | None:
        """(height, width) where its pixels are mixtures already, each found by itself (`thin_parts.py`): all over a
        subject that is thin, and in its wheels; None where none are."""
        return self._mixed_in(self._state)

    def _mixed_in(self, state: SubjectState) -> NDArray[np.bool_] | None:
        size = state.matte.shape[0], state.matte.shape[1]
        if self._thin:
            return np.full(size, True)
        return None if state.thin is None else state.thin.in_the_wheels(size)

    def step(self, codes: Codes) -> Sure:
        """Go on to the next frame; how sure its matte is."""
        self._index += 1
        behind = self._around.behind(self._index, codes)
        free = None if self._rival is None else self._rival.matte < 0.1
        meets = self._pair.encounter is not None
        alone = self._rival is None or not is_near(self._state, self._rival)
        step = propagate(self._state, codes, behind, self._flow, self._weigh, free, meets, alone)
        self._state = step.state
        if self._rival is not None:
            nowhere = np.zeros(step.state.matte.shape, bool)
            other = propagate(self._rival, codes, behind, self._flow, self._weigh, nowhere, meets, alone)
            self._pair, together = self._pair.after(step, other)
            first = self._index == self._met + 1
            self._state, self._rival = together or told_apart(step, other, first)
        elif self._index % EVERY == 0:
            self._rival, self._met, self._pair = rival_of(self._state, codes, behind), self._index, Pair()
        self._sizes.append(float(self._state.matte.sum()))
        self._around.note(self._index, self._state.matte)
        return self._sureness.after(step.signs, self._state.matte)

    def back_over(self, pictures: Iterable[Codes]) -> Iterator[tuple[Matte, NDArray[np.bool_] | None, Sure]]:
        """Go back from this frame over the ones before, the latest first, as far as the subject is seen there.

        What came up from behind something, or into the picture, is known better once more of it is seen. The way ahead
        stays as it is.

        Yields:
            Its matte in each, where that is `mixed`, and how sure it is.
        """
        state, nowhere = replace(self._state, pace=-self._state.pace), np.zeros(self.matte.shape, bool)
        for index, codes in zip(range(self._index - 1, 0, -1), pictures, strict=False):
            step = propagate(
                state, codes, self._around.behind(index, codes), self._flow, self._weigh, nowhere, alone=False
            )
            state = step.state
            if not state.seen or step.signs.error > SURENESS.foreign:
                return
            self._around.note(index, state.matte)
            yield state.matte, self._mixed_in(state), self._sureness.after(step.signs, state.matte)

    def correct(self, matte: Matte) -> None:
        """Put another matte in the place of the one of this frame: it is followed from there."""
        self._state = replace(self._state, matte=matte)
        self._around.note(self._index, matte)

    def knows_more_than(self, key: Matte) -> bool:
        """Whether more of it is known than a matte made by hand in this frame shows: something hides the rest."""
        return float(key.sum()) < PARTLY * self._size_beside(key)

    def go_on(self, key: Matte) -> None:
        """Go on from a matte made by hand in this frame, with all that is known of it from before."""
        self.remember(self, key)
        self.correct(key)

    def remember(self, before: FollowedSubject, key: Matte) -> None:
        """Know what was known before of how it looks and how large it is, in the same frame, where a key is."""
        known, size = before._state, before._size_beside(key)
        lasting = replace(known.lasting, area=size)
        self._state = replace(self._state, trail=before._trail_over(key), lasting=lasting, thin=known.thin)
        self._sureness = before._sureness.of_size(size)

    def _size_beside(self, key: Matte) -> float:
        """Px of all of it, were nothing before it.

        Of the earlier key as it came to lie here. Where that is not known or was one of a part, or some of it is out of
        the picture, what it had lately, at most as much as at its whole key: it may have been taken for more.
        """
        trail, area = self._state.trail, self._state.lasting.area
        leaves = max(float(edge.max()) for edge in (key[0], key[-1], key[:, 0], key[:, -1])) > 0.5
        of_a_part = float(trail.matte.sum()) < PARTLY * area
        if leaves or of_a_part or self._trail_over(key) is not trail:
            return min(max(self._sizes), area)
        return float(trail.matte_in(EVERYWHERE).sum())

    def _trail_over(self, key: Matte) -> KeyTrail:
        """The trail that it has, if that lies over a matte made by hand; otherwise it starts there anew."""
        trail = self._state.trail
        over = 0.0 if trail.lost else float(np.minimum(trail.matte_in(EVERYWHERE), key).sum())
        return trail if over > OVER * float(key.sum()) else KeyTrail.at(self._state.codes, key)
