"""Where the background is seen through what a line encloses: between spokes and bars, in the crook of an arm.

A line has no holes. What is within one has the colours of what lies around, and none of those that are seen along the
line; it reaches the line nowhere; and it does not go along with the subject as the subject itself does. From such
places the rest is found by the colours.
Source of that: Rother, Kolmogorov and Blake, GrabCut, SIGGRAPH 2004 (OpenCV's).
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.lab import bins_of, main_colours, squares_to
from kalyptra.core.following.propagate.layer import affine_of
from kalyptra.core.window import window_of

Codes = NDArray[np.uint8]
Values = NDArray[np.float32]
Mask = NDArray[np.bool_]

AHEAD = (1, 2, 3, 6, 12, 20)
LOOKS = 3
"""Frames to come that are looked at: so many of them, the first in which subject and background have gone apart."""


class Tuning(NamedTuple):
    """What can be tuned. Chosen on made-up racks, ladders, hoops and chairs, and on clips of the tune half's kinds and
    made-up parcels and coats with patches, which have no holes: nothing was to be taken of those."""

    agree: float = 0.2
    """The share of corners that must agree on a motion."""
    moving: float = 6.0
    """Codes from which on a pixel does not go along with the background."""
    apart: float = 1.0
    """Px that subject and background must go apart: otherwise nothing tells them from each other."""
    codes: float = 4.0
    lab: float = 8.0
    """Codes of error, and of colour, that are one unit of evidence."""
    most: float = 2.0
    capped: float = 40.0
    like: float = 0.25
    close: float = 12.0
    """Evidence of colour from which on a place may be seen through, and how far that may be from what lies around."""
    goes: float = -1.1
    other_way: float = 0.45
    """Mean evidence of motion below which such a place goes along with the subject: it is a patch on it; and by how
    much it must be more, of all of them, than along the line."""
    speck: int = 12
    """Px."""
    own: float = -0.4
    maybe: float = 0.1
    """Evidence of motion with which a pixel goes with the subject, and with which it may stay."""
    surely_own: float = -0.5
    """Evidence of colour with which a pixel is surely the subject's."""
    colours: int = 20
    sample: int = 4000
    """Main colours of either side, and the pixels that they are found from."""
    around: int = 30
    """Px around the line whose colours are those of the background."""
    rim: int = 3
    rests: float = 1.0
    """Px along the line whose colours are the subject's, that must go along with it; and how much of that may stay
    beside what goes: of somebody who sits and talks it is the subject itself that stays."""
    least: float = 0.08
    """The share of what is enclosed that must be seen through; less may be chance."""
    turns: int = 2


TUNING = Tuning()


def seen_through(codes: Codes, ahead: Iterable[Codes], drawn: Values) -> Mask:
    """(height, width) where the background is seen through a shape.

    Args:
        codes: (height, width, 3) RGB of the frame that the line was drawn on, 8 bits.
        ahead: frames to come; no more of them are asked for than are needed.
        drawn: (height, width) 0 to 1, what the line encloses.
    """
    nothing = np.zeros(drawn.shape, bool)
    inside, rim = drawn > 0.5, _rim(drawn, TUNING.rim)
    window = window_of(inside.astype(np.uint8), TUNING.around)
    stays = _stays(codes, ahead, drawn)
    if window is None or stays is None or not _goes_as_a_whole(stays, rim):
        return nothing
    colours = _colours(codes, drawn, rim)
    if colours is None:
        return nothing
    seeds = _seeds(colours, stays, drawn)
    if seeds.sum() < TUNING.least * inside.sum() or stays[seeds].mean() < stays[rim].mean() + TUNING.other_way:
        return nothing
    tell = colours[0]
    marks = np.where(inside, np.where(tell > 0, cv2.GC_PR_BGD, cv2.GC_PR_FGD), cv2.GC_BGD).astype(np.uint8)
    marks[inside & ((tell < TUNING.surely_own) | _rim(drawn, 1))], marks[seeds] = cv2.GC_FGD, cv2.GC_BGD
    part = np.ascontiguousarray(marks[window])
    cv2.setRNGSeed(1)
    models = np.zeros((1, 65)), np.zeros((1, 65))
    cv2.grabCut(np.ascontiguousarray(codes[window]), part, None, *models, TUNING.turns, cv2.GC_INIT_WITH_MASK)
    nothing[window] = (part == cv2.GC_BGD) | (part == cv2.GC_PR_BGD)
    return nothing & inside


def _rim(drawn: Values, px: int) -> Mask:
    """(height, width) what lies along the line, inside of it."""
    wide = np.ones((2 * px + 1,) * 2, np.uint8)
    return np.asarray((drawn > 0.9) & (cv2.erode((drawn > 0.5).astype(np.uint8), wide) == 0))


def _stays(codes: Codes, ahead: Iterable[Codes], drawn: Values) -> Values | None:
    """How much better the background's motion explains each pixel than the subject's, units of evidence.

    None where the two do not go apart.
    """
    grey, size = cv2.cvtColor(codes, cv2.COLOR_RGB2GRAY), drawn.shape[::-1]
    five = np.ones((5, 5), np.uint8)
    outside = 1 - cv2.dilate((drawn > 0.05).astype(np.uint8), five)
    inside = cv2.erode((drawn > 0.9).astype(np.uint8), five)
    middle = np.append(np.argwhere(inside > 0).mean(axis=0)[::-1], 1.0) if inside.any() else np.zeros(3)
    sums = []
    for picture in ahead:

        def error(motion: NDArray[np.float32], then: Codes = picture) -> Values:
            flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
            back = cv2.warpAffine(then, motion, size, flags=flags, borderMode=cv2.BORDER_REPLICATE)
            away = np.minimum(cv2.absdiff(codes, back).astype(np.float32).mean(axis=2), np.float32(TUNING.capped))
            return np.asarray(cv2.blur(away, (3, 3)), np.float32)

        then = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)
        motion, agree, _ = affine_of(grey, then, outside)
        behind = error(motion)
        moving = cv2.dilate(((behind > TUNING.moving) & (inside > 0)).astype(np.uint8), five)
        own, agree_own, _ = affine_of(grey, then, inside * moving, motion)
        if min(agree, agree_own) < TUNING.agree or np.linalg.norm((own - motion) @ middle) < TUNING.apart:
            continue
        sums.append(np.clip((error(own) - behind) / np.float32(TUNING.codes), -TUNING.most, TUNING.most))
        if len(sums) == LOOKS:
            break
    if not sums:
        return None
    return np.asarray(cv2.GaussianBlur(np.mean(sums, axis=0), (0, 0), 1.0), np.float32)


def _goes_as_a_whole(stays: Values, rim: Mask) -> bool:
    along = stays[rim]
    return bool((along > TUNING.maybe).sum() <= TUNING.rests * (along < TUNING.own).sum())


def _colours(codes: Codes, drawn: Values, rim: Mask) -> tuple[Values, Values] | None:
    """How much nearer each colour is to what lies around than to what lies along the line, units of evidence; and how
    far it is from what lies around, L*a*b* codes. None where either is too small to say."""
    lab = cv2.cvtColor(codes, cv2.COLOR_RGB2LAB)
    wide = np.ones((2 * TUNING.around + 1,) * 2, np.uint8)
    near = (cv2.dilate((drawn > 0.05).astype(np.uint8), wide) > 0) & (drawn < 0.02)
    own, others = np.flatnonzero(rim), np.flatnonzero(near)
    if min(len(own), len(others)) < 3 * TUNING.colours:
        return None
    away = _away(lab, others)
    tell = np.clip((_away(lab, own) - away) / np.float32(TUNING.lab), -TUNING.most, TUNING.most)
    return np.asarray(cv2.GaussianBlur(tell, (0, 0), 1.0)), np.asarray(cv2.blur(away, (3, 3)))


def _seeds(colours: tuple[Values, Values], stays: Values, drawn: Values) -> Mask:
    """Places that are surely background: parts by their colours that do not reach the line, nor go with the subject."""
    tell, away = colours
    seen = (drawn > 0.9) & (tell > TUNING.like) & (away < TUNING.close)
    opened = cv2.morphologyEx(seen.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    count, parts, stats, _ = cv2.connectedComponentsWithStats(opened)
    sizes = stats[:, cv2.CC_STAT_AREA]
    taken = (sizes >= TUNING.speck) & (np.bincount(parts.ravel(), stays.ravel(), count) > TUNING.goes * sizes)
    taken[np.unique(parts[_rim(drawn, 1)])] = False
    taken[0] = False
    return np.asarray(taken[parts])


def _away(lab: Codes, part: NDArray[np.int64]) -> Values:
    """(height, width) how far each colour is from the nearest main colour of some pixels, L*a*b* codes."""
    pixels, chance = lab.reshape(-1, 3).astype(np.float32), np.random.default_rng(0)
    cv2.setRNGSeed(1)
    squares = squares_to(main_colours(pixels, part, TUNING.colours, TUNING.sample, chance)).min(axis=1)
    return np.asarray(np.sqrt(np.maximum(squares, 0))[bins_of(lab)], np.float32)
