"""Somebody like the subject who comes near: followed as well, so that each keeps its own.

Colours do not tell like people apart. Each has a motion of its own, though, and a place where it is expected; what both
take for theirs goes to whoever predicts the picture there better.
"""

from __future__ import annotations

from dataclasses import replace
from operator import itemgetter
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.background import BackgroundPicture
from kalyptra.core.following.propagate.difference import new_in
from kalyptra.core.following.propagate.exposure import exposed_back
from kalyptra.core.following.propagate.layer import MovedLayer
from kalyptra.core.following.propagate.nearby import wider
from kalyptra.core.following.propagate.state import SubjectState
from kalyptra.core.following.propagate.step import Step, drawn_to
from kalyptra.core.log_odds import expit
from kalyptra.core.window import Window, middle_of, window_of


class Tuning(NamedTuple):
    """What can be tuned. Chosen on clips of the tune half's kinds and surfaces, with seeds of their own."""

    near: int = 90
    """Px around the subject in which somebody else may meet it soon, at the working size."""
    fringe: int = 2
    """Px around the subject that are its edge."""
    gap: int = 11
    """Px that lie between the two when the other is first seen: a part of the subject that was dropped touches it."""
    whole: float = 0.75
    least: float = 0.4
    """Shares of its size at the key that the subject then has, and the other at least: what comes up from behind a post
    is the subject itself."""
    together: float = 1.5
    together_share: float = 0.3
    """Px, and share of how fast the subject moves against what lies behind, below which two go together."""
    agree: float = 0.3
    """The share of corners of each that must agree on its motion for that."""
    astray: int = 4
    """Px around where its first matte has come to, in which it may lie."""
    match: float = 4.0
    most: float = 5.0
    """Codes of error that are worth one unit of evidence, and the most it is worth."""
    place: float = 0.25
    deep: float = 8.0
    """Evidence of a px that a pixel lies deeper within what is expected of the one than of the other, and the most."""


TUNING = Tuning()
EVERY = 6
"""Frames from one look for others to the next."""


def rival_of(state: SubjectState, codes: NDArray[np.uint8], behind: BackgroundPicture) -> SubjectState | None:
    """The nearest of those who are made of the subject's colours and are not the background; None if nobody is."""
    here = (state.matte > 0.3).astype(np.uint8)
    if not here.any() or float(state.matte.sum()) < TUNING.whole * state.lasting.area:
        return None
    new = new_in(behind, codes)
    if new is None:
        return None
    lab = cv2.cvtColor(exposed_back(codes, state.exposure), cv2.COLOR_RGB2LAB)
    away = cv2.distanceTransform(1 - here, cv2.DIST_L2, 3)
    alike = state.lasting.alike(lab, new, away > TUNING.fringe)
    others = [other for other in alike if other.sum() >= TUNING.least * state.lasting.area]
    distance, other = min(
        ((float(away[other].min()), other) for other in others), key=itemgetter(0), default=(0.0, None)
    )
    if other is None or distance <= TUNING.gap:
        return None
    return SubjectState.at(codes, drawn_to(codes, other.astype(np.float32)))


def is_near(state: SubjectState, rival: SubjectState) -> bool:
    """Whether the two may meet soon; one that cannot be seen may be behind the other."""
    window = window_of((state.matte > 0.3).astype(np.uint8), TUNING.near)
    return window is None or bool((rival.matte[window] > 0.3).any())


def told_apart(step: Step, other: Step, first: bool) -> tuple[SubjectState, SubjectState | None]:
    """Two who were followed apart, with what both took given to either.

    The other is None once it is away, and where the two go together in their `first` step: that is the subject itself,
    beyond a post. Later each may seem to go as the other does, where one hides the other.
    """
    if first and _together(step, other):
        return step.state, None
    own, others = step.state.matte, _confined(other.state)
    both = (own > 0.05) & (others > 0.05)
    if both.any() and step.contest and other.contest:
        error, deep = step.contest.in_picture(own.shape)
        error_other, deep_other = other.contest.in_picture(own.shape)
        evidence = np.clip((error_other - error) / TUNING.match, -TUNING.most, TUNING.most)
        evidence += TUNING.place * np.clip(deep - deep_other, -TUNING.deep, TUNING.deep)
        share = expit(evidence).astype(np.float32)
        own, others = np.where(both, own * share, own), np.where(both, others * (1 - share), others)
    state = replace(step.state, matte=np.asarray(own, np.float32))
    rival = replace(other.state, matte=np.asarray(others, np.float32))
    return state, rival if rival.seen else None


def _confined(rival: SubjectState) -> NDArray[np.float32]:
    """Its matte where its first one has come to: who comes up from behind it is not the rival."""
    if rival.trail.lost:
        return rival.matte
    everywhere = (slice(0, rival.matte.shape[0]), slice(0, rival.matte.shape[1]))
    expected = rival.trail.matte_in(everywhere) > 0.3
    return np.asarray(rival.matte * wider(expected, TUNING.astray), np.float32)


def _together(step: Step, other: Step) -> bool:
    """Whether the other goes as the subject goes, while what lies behind goes another way."""
    middle = middle_of(other.state.matte)
    if middle is None or not step.contest or not other.contest:
        return False
    if min(step.contest.front.agree, other.contest.front.agree) < TUNING.agree:
        return False
    own, rest = (_gone(layer, step.contest.window, middle) for layer in (step.contest.front, step.contest.behind))
    apart = float(np.linalg.norm(_gone(other.contest.front, other.contest.window, middle) - own))
    return apart < TUNING.together and apart < TUNING.together_share * float(np.linalg.norm(rest - own))


def _gone(layer: MovedLayer, window: Window, at: NDArray[np.float64]) -> NDArray[np.float64]:
    """(2,) px by which a layer has moved at a place of the whole picture."""
    return np.asarray(layer.gone(at - (window[1].start, window[0].start)), np.float64)
