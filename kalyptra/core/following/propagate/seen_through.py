"""Where the background is seen through what a line encloses: between spokes and bars, in the crook of an arm.

A line has no holes. What is within one has the very colours that lie close by outside, and none of those that are seen
along the line. Either it does not go along with the subject as the subject itself does, or only something thin lies
between it and the outside; what reaches the line must do both. From such places the rest is found by the colours.
Source of that: Rother, Kolmogorov and Blake, GrabCut, SIGGRAPH 2004 (OpenCV's).
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.lab import bins_of, main_colours, squares_to
from kalyptra.core.following.propagate.look import shrunk_to, smaller
from kalyptra.core.following.propagate.nearby import wider
from kalyptra.core.following.propagate.two_motions import gone_apart, stays_behind
from kalyptra.core.window import window_of

Codes = NDArray[np.uint8]
Values = NDArray[np.float32]
Mask = NDArray[np.bool_]


class Tuning(NamedTuple):
    """What can be tuned; px at twice the working size. Chosen on subjects of `training/kinds.py`, with rings and
    without, and on the demo's clips and clips of the tune half's kinds with seeds of their own, which hardly have
    holes: nothing was to be taken of those."""

    lab: float = 8.0
    most: float = 2.0
    """Codes of colour that are one unit of evidence, and the most."""
    like: float = 0.25
    close: float = 12.0
    """Evidence of colour from which on a place may be seen through, and codes that it may be from what lies around."""
    speck: int = 40
    most_places: int = 150
    """Px, and so many of the largest places: footage that is all specks must not take all time and memory."""
    as_beside: float = 4.0
    as_usual: float = 1.3
    beside: int = 40
    few: int = 30
    looked_at: int = 300
    """Codes of colour by which such a place may differ from what lies outside, or times that by which that differs from
    itself; at most so many px away; the fewest pixels that say so, and how many of either are looked at."""
    other_way: float = 0.45
    stays_of: float = 0.33
    stays: float = 0.0
    least: float = 0.05
    """By how much the evidence that it stays with the background must be more there than along the line, which itself
    goes, and the part of that which it may be; from where on it stays; and the share of what is enclosed that must do
    so: limbs and what is carried go their own ways, too."""
    thin: float = 12.0
    just_as_beside: float = 2.1
    plainly: float = 0.6
    goes: float = -0.9
    least_thin: float = 0.02
    """Otherwise: px of the subject between it and the outside, along a quarter of its edge; codes of colour by which it
    may differ; evidence of colour; evidence of motion below which it goes with the subject all the same, a patch on it;
    and the share of what is enclosed."""
    surely_own: float = -0.5
    """Evidence of colour with which a pixel is surely the subject's."""
    colours: int = 20
    sample: int = 4000
    """Main colours of either side, and the pixels that they are found from."""
    around: int = 60
    """Px around the line whose colours are those of the background."""
    rim: int = 5
    rim_small: int = 3
    unlike: float = 10.0
    enough: float = 0.25
    """Px along the line, at either size, where colours and motion are the subject's: those colours alone that are so
    many codes from what lies around, if they are this share. Along something thin the rest is seen through it."""
    turns: int = 2
    grown: float = 3.0
    near: int = 4
    """How many times as large as the places that are sure what is found by colours may be; else only so many px around
    those are taken: the subject has these colours, too."""


TUNING = Tuning()


class _Place(NamedTuple):
    """A place that may be seen through by its colours.

    Attributes:
        mask: (height, width).
        reaches: whether it reaches the line.
        unlike: codes by which its colours are off those that lie close by outside; 0 if not more than those themselves.
        motion: evidence that it stays with the background; None where nothing says so.
    """

    mask: Mask
    reaches: bool
    unlike: float
    motion: float | None = None

    def is_thin(self, deep: Values) -> bool:
        """Whether only something thin lies between it and the outside; `deep` is px from there, (height, width)."""
        return bool(np.quantile(deep[wider(self.mask, 1) & ~self.mask], 0.25) < TUNING.thin)


def seen_through(codes: Codes, ahead: Iterable[Codes], drawn: Values) -> Mask:
    """(height, width) where the background is seen through a shape.

    Args:
        codes: (height, width, 3) RGB of the frame that the line was drawn on, 8 bits, at twice the working size.
        ahead: frames to come, at the working size; no more of them are asked for than are needed.
        drawn: (height, width) 0 to 1, what the line encloses.
    """
    nothing = np.zeros(drawn.shape, bool)
    inside, lab = drawn > 0.5, cv2.cvtColor(codes, cv2.COLOR_RGB2LAB)
    window = window_of(inside.astype(np.uint8), TUNING.around)
    colours = _colours(lab, drawn)
    if window is None or colours is None:
        return nothing
    places = [place for place in _places(lab, *colours, drawn) if place.unlike <= TUNING.as_beside]
    if not places:
        return nothing
    seeds = _seeds(*_in_motion(places, codes, ahead, drawn), colours[0], drawn)
    if seeds.any():
        nothing[window] = _as_the_seeds(codes[window], colours[0][window], seeds[window], drawn[window])
    return nothing


def _in_motion(
    places: Sequence[_Place], codes: Codes, ahead: Iterable[Codes], drawn: Values
) -> tuple[list[_Place], float]:
    """The places with how each goes, and how what lies along the line does: evidence that it stays."""
    small = smaller(codes)
    shape = shrunk_to(drawn, small)
    looks = gone_apart(small, ahead, shape)
    moved = [
        place._replace(motion=stays_behind(looks, shrunk_to(place.mask.astype(np.float32), small) > 0.5))
        for place in places
    ]
    return moved, float(np.mean([look.stays[_rim(shape, TUNING.rim_small)].mean() for look in looks])) if looks else 0.0


def _seeds(places: Sequence[_Place], along: float, tell: Values, drawn: Values) -> Mask:
    """(height, width) places that surely are seen through."""
    deep = cv2.distanceTransform((drawn > 0.5).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    others = _enough(drawn, [place for place in places if _goes_another_way(place, along)], TUNING.least)
    behind = [place for place in places if place.is_thin(deep) and tell[place.mask].mean() > TUNING.plainly]
    seeds = others | _enough(drawn, [place for place in behind if _as_beside(place, along)], TUNING.least_thin)
    if seeds.any():
        # Where there is one hole there are others: of a wheel, each between two spokes.
        seeds |= _enough(drawn, [place for place in behind if not _goes(place)], 0.0)
    return seeds


def _enough(drawn: Values, places: Sequence[_Place], share: float) -> Mask:
    """(height, width) all of some places together; nothing where they are too small a share of a shape."""
    whole = np.zeros(drawn.shape, bool)
    for place in places:
        whole |= place.mask
    return whole if whole.sum() >= share * (drawn > 0.5).sum() else np.zeros_like(whole)


def _as_the_seeds(codes: Codes, tell: Values, seeds: Mask, drawn: Values) -> Mask:
    """(height, width) all that is seen through, by its colours, from the places that surely are."""
    inside = drawn > 0.5
    marks = np.where(inside, np.where(tell > 0, cv2.GC_PR_BGD, cv2.GC_PR_FGD), cv2.GC_BGD).astype(np.uint8)
    marks[inside & ((tell < TUNING.surely_own) | _rim(drawn, 1))], marks[seeds] = cv2.GC_FGD, cv2.GC_BGD
    cv2.setRNGSeed(1)
    models = np.zeros((1, 65)), np.zeros((1, 65))
    cv2.grabCut(np.ascontiguousarray(codes), marks, None, *models, TUNING.turns, cv2.GC_INIT_WITH_MASK)
    through = inside & ((marks == cv2.GC_BGD) | (marks == cv2.GC_PR_BGD))
    if through.sum() > TUNING.grown * seeds.sum():
        through &= wider(seeds, TUNING.near)
    return np.asarray(through)


def _rim(drawn: Values, px: int) -> Mask:
    """(height, width) what lies along the line, inside of it."""
    wide = np.ones((2 * px + 1,) * 2, np.uint8)
    return np.asarray((drawn > 0.9) & (cv2.erode((drawn > 0.5).astype(np.uint8), wide) == 0))


def _colours(lab: Codes, drawn: Values) -> tuple[Values, Values] | None:
    """How much nearer each colour is to what lies around than to what lies along the line, units of evidence; and how
    far it is from what lies around, L*a*b* codes. None where either is too small to say."""
    near = wider(drawn > 0.05, TUNING.around) & (drawn < 0.02)
    rim, others = _rim(drawn, TUNING.rim), np.flatnonzero(near)
    if min(rim.sum(), len(others)) < 3 * TUNING.colours:
        return None
    away = _away(lab, others)
    unlike = rim & (away > TUNING.unlike)
    own = np.flatnonzero(unlike if unlike.sum() > TUNING.enough * rim.sum() else rim)
    tell = np.clip((_away(lab, own) - away) / np.float32(TUNING.lab), -TUNING.most, TUNING.most)
    return np.asarray(cv2.GaussianBlur(tell, (0, 0), 1.0)), np.asarray(cv2.blur(away, (3, 3)))


def _places(lab: Codes, tell: Values, away: Values, drawn: Values) -> Iterator[_Place]:
    """Places that may be seen through by their colours. Of those that reach the line, what lies along it is left."""
    like = (drawn > 0.9) & (tell > TUNING.like) & (away < TUNING.close)
    opened = cv2.morphologyEx(like.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    _, parts, stats, _ = cv2.connectedComponentsWithStats(opened)
    along, clear = set(np.unique(parts[_rim(drawn, 1)])), ~_rim(drawn, 2)
    for part in 1 + np.argsort(-stats[1:, cv2.CC_STAT_AREA], kind="stable")[: TUNING.most_places]:
        reaches = part in along
        mask = (parts == part) & clear if reaches else parts == part
        if mask.sum() >= TUNING.speck:
            yield _Place(mask, reaches, _unlike(lab, mask, drawn))


def _unlike(lab: Codes, place: Mask, drawn: Values) -> float:
    """Codes by which the colours of a place are off those that lie close by outside."""
    window = window_of(place.astype(np.uint8), TUNING.beside)
    assert window is not None
    close, near = place[window], lab[window]
    outside = near[wider(close, TUNING.beside) & (drawn[window] < 0.02)]
    if len(outside) < TUNING.few:
        return math.inf
    here, others, more = (_some(pixels).astype(np.float32) for pixels in (near[close], outside[::2], outside[1::2]))
    off = _apart(here, others)
    return off if off > TUNING.as_usual * _apart(more, others) else 0.0


def _apart(pixels: Values, others: Values) -> float:
    """Codes from pixels (n, 3) to the likest of others (m, 3): the median."""
    squares = np.square(pixels).sum(axis=1)[:, None] + np.square(others).sum(axis=1) - 2 * pixels @ others.T
    return float(np.sqrt(np.median(squares.min(axis=1))))


def _some(pixels: Codes) -> Codes:
    """(n, 3) some pixels of many, the same every time."""
    every = np.linspace(0, len(pixels) - 1, min(len(pixels), TUNING.looked_at)).astype(int)
    return np.asarray(pixels[every])


def _goes_another_way(place: _Place, along: float) -> bool:
    """Whether a place stays with the background while the subject goes, by the evidence along the line."""
    if place.reaches or place.motion is None or along > TUNING.stays:
        return False
    return place.motion > max(along + TUNING.other_way, along * TUNING.stays_of)


def _as_beside(place: _Place, along: float) -> bool:
    """Whether a place behind something thin has the very colours of the outside, and does not go with the subject; one
    that reaches the line has to stay with the background besides."""
    if place.reaches and (place.motion is None or place.motion < TUNING.stays or along > TUNING.stays):
        return False
    return place.unlike <= TUNING.just_as_beside and not _goes(place)


def _goes(place: _Place) -> bool:
    """Whether a place goes with the subject all the same: a patch on it."""
    return place.motion is not None and place.motion < TUNING.goes


def _away(lab: Codes, part: NDArray[np.int64]) -> Values:
    """(height, width) how far each colour is from the nearest main colour of some pixels, L*a*b* codes."""
    pixels, chance = lab.reshape(-1, 3).astype(np.float32), np.random.default_rng(0)
    cv2.setRNGSeed(1)
    squares = squares_to(main_colours(pixels, part, TUNING.colours, TUNING.sample, chance)).min(axis=1)
    return np.asarray(np.sqrt(np.maximum(squares, 0))[bins_of(lab)], np.float32)
