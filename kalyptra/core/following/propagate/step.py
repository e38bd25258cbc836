"""Carry a matte one frame on.

Two layers contest each pixel (`contest.py`); what came of it, the key's colours, picture and matte, and the background
as the frames around show it are weighed by a small network (`weigh.py`). What is lost altogether is looked for in the
whole picture.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.background import BackgroundPicture
from kalyptra.core.following.propagate.contest import Contest, Frame, contested, without_crumbs, without_strays
from kalyptra.core.following.propagate.difference import new_in, seen_plainly
from kalyptra.core.following.propagate.evidence import PLANES, evidence_planes, with_rules
from kalyptra.core.following.propagate.exposure import exposed_back
from kalyptra.core.following.propagate.key_match import matched_to_key
from kalyptra.core.following.propagate.layer import MovedLayer
from kalyptra.core.following.propagate.nearby import wider
from kalyptra.core.following.propagate.state import AROUND, SubjectState
from kalyptra.core.following.propagate.trail import KeyTrail
from kalyptra.core.following.propagate.weigh import weighed
from kalyptra.core.log_odds import expit, logit
from kalyptra.core.matte.guided_filter import guided_filter
from kalyptra.core.window import Window, middle_of, window_of

Planes = NDArray[np.float32]
"""(planes, height, width) of a window, see `evidence.py`."""
Weigh = Callable[[Planes], NDArray[np.float32]]
"""From planes to the subject's share, (height, width)."""


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the tune half of `truth/motion`; when a subject is looked for elsewhere, and which
    frames are surely right, on clips of that half's kinds and surfaces with seeds of their own."""

    gone: float = -0.3
    """How far a matte must have the colours of what lies around the subject to be none of it."""
    network: float = 0.5
    """What the network's log odds count; the rest is the contest's. It was trained to count 0.6, and the demo's runner
    at dusk is followed worse by that (`MODEL.md`)."""
    beyond: int = 10
    """Px outside of the expected edge from which on the contest has no say against the network, as far as the key's
    matte has come to there: what comes up from behind something was not expected."""
    gate: int = 16
    whole: float = 0.5
    """Px from where the subject is expected that are taken, while so much of what it has at the key is seen."""
    shrank: float = 0.85
    amiss: float = 16.0
    telling: float = 0.4
    better: float = 1.2
    """The share of its size that is left, and codes by which it is not as expected, where the subject may be somewhere
    else; the worth of its colours from which on they tell; and how much more like it that must be."""
    few: float = 0.35
    close: int = 100
    """The share of its size below which a subject is looked for around what is left of it, and how many px around."""
    apart: int = 4
    there: float = 0.5
    """Px beside the subject, and the share of something in its colours that must have lain there a frame ago to be
    somebody else."""
    along: int = 12
    most_along: float = 0.5
    """Px around somebody else, and the share of something within those from where on it is a part of them."""
    spilt: float = 1.8
    """How many times its size, at the key or as the key's matte has grown, a matte may have."""
    anchor_certain: float = 0.9
    anchor_area: float = 0.6
    anchor_most: float = 1.4
    """The certainty from which on a frame is surely right, and the shares of the key's area between which it is."""
    covered: float = 0.5
    """The share of what is seen below which the key's matte has come to somewhere else."""
    edge: int = 3
    edge_eps: float = 0.0002
    steeper: float = 1.4
    """The guided filter that draws a matte found by its colours to the picture."""


TUNING = Tuning()
UNSURE = 1e-4
"""The share of a pixel that the network always leaves open, either way."""


@dataclass(frozen=True)
class Signs:
    """How well a step went.

    Attributes:
        error: mean codes by which the subject differs from what was expected, inside it.
        own: how far the matte has the key's colours, -1 to 1.
        certain: the overlap with the truth that the network expects, were all its shares right; 0 to 1.
    """

    error: float
    own: float
    certain: float


LOST = Signs(255.0, -1.0, 0.0)
FOUND_AGAIN = replace(LOST, error=12.0, certain=0.8)
"""What can be said of a matte that was found by its colours alone, but for those."""


class Step(NamedTuple):
    """A subject in the next frame, how well that went, and the contest that was held for it; None if there was none."""

    state: SubjectState
    signs: Signs
    contest: Contest | None = None


def propagate(
    before: SubjectState,
    codes: NDArray[np.uint8],
    behind: BackgroundPicture,
    flow: Any,
    weigh: Weigh = weighed,
    free: NDArray[np.bool_] | None = None,
    meets: bool = False,
    alone: bool = True,
) -> Step:
    """Carry a matte to the next frame.

    Args:
        codes: (height, width, 3) RGB of the next frame, as large as the one before.
        behind: the background's picture in that frame.
        flow: OpenCV's dense inverse search.
        weigh: what decides by the evidence.
        free: (height, width) where it may be looked for when it is lost; None for everywhere.
        meets: whether it is together with somebody alike: what is whose is told later.
        alone: whether nobody alike is near it.
    """
    frame = Frame.of(codes, before)
    window = window_of((before.matte > 0.3).astype(np.uint8), AROUND)
    after = replace(before, codes=codes, grey=frame.grey, names=frame.names, matte=np.zeros_like(before.matte))
    if window is not None and before.seen:
        contest = contested(before, frame, window, flow, alone)
        moved = replace(before, trail=before.trail.moved(window, *_sources(contest.front, window)))
        planes = evidence_planes(moved, frame, contest, behind)
        own = None if moved.trail.lost else planes[PLANES.index("key's matte carried along")]
        rules = _by_rule(contest, seen_plainly(planes, before, moved, contest, free), own)
        share = _decided(weigh(with_rules(planes, rules)), rules)
        if before.thin is not None and own is not None:
            thin = before.thin.moved(contest.front.affine, window)
            here = thin.around(window, own)
            mixed, seen = thin.mixed(share, here, codes, behind, window, contest.exposure)
            share, thin = thin.turned(share, mixed, seen, own, window)
            after, own = replace(after, thin=thin), np.maximum(own, here)
        matte = without_crumbs(_gated(share, contest, moved), own)
        if not meets and own is not None:
            matte = without_strays(matte, own, contest.says)
        signs = _signs(contest, matte)
        grown = 0.0 if own is None else float(own.sum())
        spilt = float(matte.sum()) > TUNING.spilt * max(before.lasting.area, grown)
        if before.lasting.worth * signs.own > TUNING.gone and not spilt:
            after.matte[window] = matte
            if _is_nearly_gone(matte, before) or _doubtful(signs, before, matte):
                elsewhere = _found_again(before, codes, behind, free, after.matte)
                if elsewhere is not None:
                    return Step(replace(after.elsewhere(), matte=elsewhere[0]), elsewhere[1])
            pace = contest.front.gone(middle_of(before.matte[window]))
            after = replace(after, exposure=contest.exposure, pace=pace, trail=moved.trail)
            covered = 0.0 if own is None else float(np.minimum(own, matte).sum())
            if covered < TUNING.covered * float(matte.sum()):
                after = replace(after, trail=_again(moved.trail, codes, after, signs))
            return Step(after, signs, contest)
    after, again = after.elsewhere(), _found_again(before, codes, behind, free)
    return Step(after, LOST) if again is None else Step(replace(after, matte=again[0]), again[1])


def _is_nearly_gone(matte: NDArray[np.float32], before: SubjectState) -> bool:
    """Whether so little is left of a subject that it is looked for around it: the rest of it may have been there."""
    return float(matte.sum()) < TUNING.few * before.lasting.area


def _close_to(matte: NDArray[np.float32], free: NDArray[np.bool_] | None) -> NDArray[np.bool_]:
    """(height, width) around what is left of a subject, where nobody else is."""
    here = np.zeros(matte.shape, bool)
    window = window_of((matte > 0.3).astype(np.uint8), TUNING.close)
    if window is not None:
        here[window] = True
    return here if free is None else here & free


def _doubtful(signs: Signs, before: SubjectState, matte: NDArray[np.float32]) -> bool:
    """Whether a step went so badly that the subject may be somewhere else, and its colours would tell."""
    shrank = float(matte.sum()) < TUNING.shrank * float(before.matte.sum())
    return before.lasting.worth > TUNING.telling and (shrank or signs.error > TUNING.amiss)


def _found_again(
    before: SubjectState,
    codes: NDArray[np.uint8],
    behind: BackgroundPicture,
    free: NDArray[np.bool_] | None,
    beside: NDArray[np.float32] | None = None,
) -> tuple[NDArray[np.float32], Signs] | None:
    """The subject by its colours, anywhere in a frame; where a matte is given, only if it is much more like it, and
    around what is nearly gone."""
    lab = cv2.cvtColor(exposed_back(codes, before.exposure), cv2.COLOR_RGB2LAB)
    lasting = before.lasting
    where, nearly_gone = free, False
    if beside is not None and _is_nearly_gone(beside, before):
        where, nearly_gone = _close_to(beside, free), True
    again = lasting.found_again(lab, new_in(behind, codes), where)
    if again is None or (free is not None and _is_of_others(again > 0.5, free)):
        return None
    if beside is not None and lasting.likeness(lab, again > 0.5) < TUNING.better * lasting.likeness(lab, beside > 0.5):
        return None
    if before.seen and not nearly_gone and _was_there(before, lab, again > 0.5):
        return None
    return drawn_to(codes, again), replace(FOUND_AGAIN, own=float(lasting.says(lab)[again > 0.5].mean()))


def _is_of_others(again: NDArray[np.bool_], free: NDArray[np.bool_]) -> bool:
    """Whether what looks like the subject lies along somebody else: a part of them that they dropped."""
    return bool(np.count_nonzero(again & wider(~free, TUNING.along)) > TUNING.most_along * np.count_nonzero(again))


def _was_there(before: SubjectState, lab: NDArray[np.uint8], again: NDArray[np.bool_]) -> bool:
    """Whether what looks like the subject somewhere else lay there a frame ago as well, beside it: somebody else.

    Args:
        lab: (height, width, 3) L*a*b* codes of the frame, exposed as the key was.
    """
    beside = again & ~wider(before.matte > 0.3, TUNING.apart)
    if np.count_nonzero(beside) < TUNING.there * np.count_nonzero(again):
        return False
    lab_before = cv2.cvtColor(exposed_back(before.codes, before.exposure), cv2.COLOR_RGB2LAB)
    was, now = (np.count_nonzero(before.lasting.are_its(of)[beside]) for of in (lab_before, lab))
    return bool(was > TUNING.there * now)


def drawn_to(codes: NDArray[np.uint8], again: NDArray[np.float32]) -> NDArray[np.float32]:
    """(height, width) 0 to 1: what was found by its colours, 0 or 1, with its edge drawn to the picture."""
    return guided_filter(codes, again, TUNING.edge, TUNING.edge_eps, TUNING.steeper)


def _by_rule(contest: Contest, plain: NDArray[np.float32], own: NDArray[np.float32] | None) -> NDArray[np.float32]:
    """(height, width) log odds for the subject by the contest, as far as it counts, and by what is plainly seen.

    Args:
        plain: (height, width) log odds of what the background's picture says plainly.
        own: (height, width) where the key's matte has come to, 0 to 1; None where that is not known.
    """
    evidence = contest.evidence
    if own is not None:
        beyond = (contest.deep < -TUNING.beyond) & (evidence < 0)
        evidence = np.where(beyond, evidence * (1 - own), evidence)
    return np.asarray((1 - TUNING.network) * evidence + plain, np.float32)


def _decided(share: NDArray[np.float32], rules: NDArray[np.float32]) -> NDArray[np.float32]:
    """The network's shares and the rules, weighed as log odds: steadier on what it never saw."""
    return np.asarray(expit(TUNING.network * logit(np.clip(share, UNSURE, 1 - UNSURE)) + rules), np.float32)


def _gated(matte: NDArray[np.float32], contest: Contest, moved: SubjectState) -> NDArray[np.float32]:
    """While most of the subject is seen, nothing far from where it is expected can be it: somebody like it may be.

    It is expected around where it was, and wherever its key's matte has gone along with it: also behind something.
    """
    if float(moved.matte.sum()) < TUNING.whole * moved.lasting.area:
        return matte
    expected = np.maximum(contest.front.matte, moved.trail.matte_in(contest.window))
    return np.asarray(matte * wider(expected > 0.3, TUNING.gate), np.float32)


def _again(trail: KeyTrail, codes: NDArray[np.uint8], state: SubjectState, signs: Signs) -> KeyTrail:
    """A trail that does not lie over what is seen: laid anew by the key; else, once it is lost, begun anew at a frame
    that is surely right."""
    as_at_key = exposed_back(codes, state.exposure)
    matched = matched_to_key(trail, as_at_key, state.matte)
    whole = TUNING.anchor_area < float(state.matte.sum()) / max(state.lasting.area, 1.0) < TUNING.anchor_most
    if matched is None and trail.lost and signs.certain >= TUNING.anchor_certain and whole:
        return KeyTrail.at(as_at_key, state.matte)
    return matched or trail


def _sources(layer: MovedLayer, window: Window) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Where in the whole frame before each pixel of a window comes from."""
    back = cv2.invertAffineTransform(layer.affine).astype(np.float32)
    x = back[0, 0] * layer.x + back[0, 1] * layer.y + back[0, 2] + np.float32(window[1].start)
    y = back[1, 0] * layer.x + back[1, 1] * layer.y + back[1, 2] + np.float32(window[0].start)
    return np.asarray(x, np.float32), np.asarray(y, np.float32)


def _signs(contest: Contest, matte: NDArray[np.float32]) -> Signs:
    inside = matte > 0.5
    own = float(contest.says[inside].mean()) if inside.any() else -1.0
    either = float(np.maximum(matte, inside).sum())
    certain = float(matte[inside].sum()) / either if either else 0.0
    return Signs(contest.amiss, own, certain)
