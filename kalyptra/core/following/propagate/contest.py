"""The contest of two layers for each pixel around a subject.

Subject and background are each moved on by their own motion and predict the next picture; the layer that predicts a
pixel better has it, together with where the matte is expected, whose colour that was nearby, and whose it is by the
key.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.colours import colour_share
from kalyptra.core.following.propagate.exposure import LEAST, MOST, exposed_back, exposure_ratio
from kalyptra.core.following.propagate.hidden import beside_hidden, clear_of
from kalyptra.core.following.propagate.layer import MovedLayer, affine_of, moved_on, shift_of
from kalyptra.core.following.propagate.state import SubjectState
from kalyptra.core.log_odds import expit
from kalyptra.core.matte.guided_filter import guided_filter
from kalyptra.core.window import Window


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the demo's clips; what goes with a key's colours, on the test bed's tune half."""

    band: int = 10
    band_by_colour: int = 10
    """Px on either side of the expected edge in which pixels may change hands."""
    expected: float = 0.6
    """Evidence per px inside the expected edge."""
    match: float = 5.0
    most_match: float = 4.0
    """Codes of error worth one unit of evidence, and the most it is worth."""
    no_source: float = 14.0
    """The error of a layer that has nothing to show at a pixel."""
    capped: float = 40.0
    colour: float = 0.55
    lasting: float = 6.0
    """Evidence of a colour that the key has in the subject alone."""
    between: float = 0.12
    """What colours between the subject's and the others' say is nothing."""
    surprise: float = 12.0
    known: float = 0.3
    """Codes of error of the background, and how surely a colour is the subject's, where something comes up apart."""
    sure: float = 8.0
    edge: int = 3
    edge_eps: float = 0.0002
    steeper: float = 1.4
    crumb: float = 0.03
    """Parts smaller than this share of the largest are dropped."""
    astray: int = 8
    """Px from where the key's matte has come to, beyond which a part of its own is somebody else."""


TUNING = Tuning()
NOWHERE = -24.0
"""Px inside of a subject that is not expected at a pixel at all."""


@dataclass(frozen=True)
class Frame:
    """A frame that a subject is looked for in: RGB codes, L*a*b* codes, lightness, and names of its colours."""

    codes: NDArray[np.uint8]
    lab: NDArray[np.uint8]
    grey: NDArray[np.uint8]
    names: NDArray[np.uint8]

    @staticmethod
    def of(codes: NDArray[np.uint8], state: SubjectState) -> Frame:
        lab = cv2.cvtColor(codes, cv2.COLOR_RGB2LAB)
        return Frame(codes, lab, np.ascontiguousarray(lab[..., 0]), state.palette.named(lab))


@dataclass(frozen=True)
class Contest:
    """What came of it in a window, (height, width) each where nothing else is said.

    Attributes:
        front, behind: the two layers, and the codes by which each fails to predict the picture.
        says: whose colour it is by the key, -1 to 1.
        deep: px inside the expected edge, negative outside.
        evidence: log odds for the subject.
        matte: 0 to 1.
        amiss: mean codes by which the subject differs from what was expected, inside it.
        exposure: codes of this frame beside the key's.
    """

    window: Window
    front: MovedLayer
    behind: MovedLayer
    error: NDArray[np.float32]
    error_behind: NDArray[np.float32]
    says: NDArray[np.float32]
    deep: NDArray[np.float32]
    evidence: NDArray[np.float32]
    matte: NDArray[np.float32]
    amiss: float
    exposure: float

    def in_picture(self, size: tuple[int, ...]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """(height, width) of the whole picture: by how many codes the subject fails to predict it, and px inside of it.
        Beyond the window it is not expected at all.
        """
        error, deep = np.full(size, TUNING.no_source, np.float32), np.full(size, NOWHERE, np.float32)
        error[self.window], deep[self.window] = self.error, self.deep
        return error, deep


def contested(before: SubjectState, frame: Frame, window: Window, flow: Any, alone: bool = True) -> Contest:
    """Hold the contest in a window of the next frame.

    Args:
        flow: OpenCV's dense inverse search.
        alone: whether nobody alike is followed beside it: who meets somebody is told apart by more (`meeting.py`).
    """
    was, grey_was, names_was = _cut(before.codes, window), _cut(before.grey, window), _cut(before.names, window)
    now, grey_now, names_now = _cut(frame.codes, window), _cut(frame.grey, window), _cut(frame.names, window)
    matte = np.ascontiguousarray(before.matte[window])
    # Colours that tell the subject for sure let it change more between two frames.
    worth = before.lasting.worth
    reach = TUNING.band + round(TUNING.band_by_colour * worth)
    expected = TUNING.expected * (1 - worth / 2)
    five = np.ones((5, 5), np.uint8)
    inside = cv2.erode((matte > 0.9).astype(np.uint8), five)
    outside = 1 - cv2.dilate((matte > 0.05).astype(np.uint8), five)
    affine_behind, agree_behind, _ = affine_of(grey_was, grey_now, outside)
    own = cv2.erode((matte > 0.7).astype(np.uint8), np.ones((3, 3), np.uint8))
    hidden = beside_hidden(before.trail.matte_in(window), matte) if alone and not before.trail.lost else None
    if hidden is not None:
        inside, own = clear_of(hidden, inside), clear_of(hidden, own)
    affine, agree, _ = affine_of(grey_was, grey_now, inside, pace=before.pace, stiff=hidden is not None)
    if not agree:
        affine = shift_of(was, now, inside, before.pace)
    front = moved_on(flow, affine, agree, was, grey_was, grey_now, matte, own > 0)
    behind = moved_on(flow, affine_behind, agree_behind, was, grey_was, grey_now, matte, matte < 0.3)
    error, error_behind = _error(front, now, front.matte > 0.5), _error(behind, now, behind.matte < 0.5)
    motion = np.clip((error_behind - error) / np.float32(TUNING.match), -TUNING.most_match, TUNING.most_match)

    solid = front.matte > 0.5
    deep = px_inside(solid)
    band = np.abs(deep) <= reach
    share = colour_share(front.names(names_was), front.matte, names_now, band)
    separate = float(np.abs(share - 0.5).mean() * 2) if len(share) else 0.0
    evidence = np.float32(expected) * np.clip(deep, -reach, reach) + motion
    exposure = before.exposure * exposure_ratio(behind.picture, now, behind.matte < 0.1)
    exposure = float(np.clip(exposure, LEAST, MOST))
    says = before.lasting.says(cv2.cvtColor(exposed_back(now, exposure), cv2.COLOR_RGB2LAB))
    surely = np.sign(says) * np.maximum(np.abs(says) - np.float32(TUNING.between), 0)
    evidence += np.float32(TUNING.lasting * worth) * surely
    evidence[band] += np.float32(TUNING.colour * separate) * np.log(share / (1 - share))
    within = np.maximum(evidence, np.clip(np.float32(0.5) * deep + motion, -TUNING.sure, TUNING.sure))
    # Farther out only what the background does not explain and the key knows can be the subject: it comes up from
    # behind something.
    new = ((error_behind > TUNING.surprise) & (says > TUNING.known)).astype(np.uint8)
    new = (cv2.morphologyEx(new, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)) > 0) & (deep <= 0)
    without = np.where(new, np.float32(TUNING.lasting) * says, np.float32(-TUNING.sure))
    evidence = np.where(band, evidence, np.where(deep > 0, within, without))
    evidence = np.clip(evidence, -TUNING.sure, TUNING.sure).astype(np.float32)
    refined = guided_filter(now, expit(evidence), TUNING.edge, TUNING.edge_eps, TUNING.steeper)
    refined[~band & (deep <= 0) & ~new] = 0
    core = deep > reach if (deep > reach).any() else solid
    amiss = float(error[core].mean()) if core.any() else TUNING.capped
    return Contest(
        window, front, behind, error, error_behind, says, deep, evidence,
        without_crumbs(refined), amiss, exposure,
    )  # fmt: skip


def without_crumbs(matte: NDArray[np.float32], own: NDArray[np.float32] | None = None) -> NDArray[np.float32]:
    """A matte without its small parts.

    Args:
        own: (height, width) 0 to 1, what is known to be of the subject: a small part that lies on it stays.
    """
    count, parts, stats, _ = cv2.connectedComponentsWithStats((matte > 0.5).astype(np.uint8))
    if count <= 2:
        return matte
    sizes = stats[:, cv2.CC_STAT_AREA]
    small = sizes < TUNING.crumb * sizes[1:].max()
    small[0] = False
    if own is not None:
        small &= np.bincount(parts.ravel(), own.ravel(), count) < sizes / 2
    return np.where(small[parts], np.float32(0), matte)


def without_strays(
    matte: NDArray[np.float32], own: NDArray[np.float32], says: NDArray[np.float32]
) -> NDArray[np.float32]:
    """A matte without the parts that went away from it: somebody who passed behind the subject, and was taken along.

    Args:
        own: (height, width) where the key's matte has come to, 0 to 1.
        says: (height, width) whose colour it is by the key, -1 to 1: what comes up from behind something has its own.
    """
    if not (own > 0.3).any():
        return matte
    count, parts, stats, _ = cv2.connectedComponentsWithStats((matte > 0.3).astype(np.uint8))
    if count <= 2:
        return matte
    side = 2 * TUNING.astray + 1
    near = cv2.dilate((own > 0.3).astype(np.uint8), np.ones((side, side), np.uint8))
    sizes = stats[:, cv2.CC_STAT_AREA]
    strays = np.bincount(parts.ravel(), near.ravel(), count) < sizes / 2
    strays &= np.bincount(parts.ravel(), says.ravel(), count) < TUNING.between * sizes
    strays[[0, 1 + int(sizes[1:].argmax())]] = False
    return np.where(strays[parts], np.float32(0), matte)


def px_inside(here: NDArray[np.bool_]) -> NDArray[np.float32]:
    """(height, width) px inside of a region's edge, negative outside."""
    solid = here.astype(np.uint8)
    inside, outside = cv2.distanceTransform(solid, cv2.DIST_L2, 3), cv2.distanceTransform(1 - solid, cv2.DIST_L2, 3)
    return np.asarray(inside - outside, np.float32)


def _cut(values: NDArray[np.uint8], window: Window) -> NDArray[np.uint8]:
    return np.ascontiguousarray(values[window])


def _error(layer: MovedLayer, now: NDArray[np.uint8], has: NDArray[np.bool_]) -> NDArray[np.float32]:
    """How badly a layer's prediction fits, per pixel: mean of codes over 5 x 5 px and channels."""
    difference = cv2.absdiff(layer.picture, now).astype(np.float32)
    mean = np.minimum(cv2.transform(difference, np.full((1, 3), 1 / 3, np.float32)), np.float32(TUNING.capped))
    shows = cv2.GaussianBlur(has.astype(np.float32), (0, 0), 1.5)
    return np.asarray(cv2.blur(mean, (5, 5)) * shows + np.float32(TUNING.no_source) * (1 - shows), np.float32)
