"""Carry a matte one frame on.

Subject and background are two layers. Each is moved on by its own motion and predicts the next picture; pixel by pixel,
the layer that predicts it better has it, together with where the matte is expected, whose colour that was nearby, and
whose it is by the key. What is lost altogether is looked for by the key's colours in the whole picture.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.colours import Palette, colour_share
from kalyptra.core.following.propagate.lasting import KeyColours
from kalyptra.core.following.propagate.layer import MovedLayer, affine_of, moved_on
from kalyptra.core.matte.guided_filter import guided_filter
from kalyptra.core.window import Window, window_of


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the demo's clips; what goes with a key's colours, on the test bed's tune half."""

    around: int = 56
    """Px around the subject that are looked at."""
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
    gone: float = -0.3
    """How far a matte must have the colours of what lies around the subject to be none of it."""
    least_area: int = 30
    """Px; with less of it left the subject is lost."""


TUNING = Tuning()


@dataclass(frozen=True)
class SubjectState:
    """A subject in a frame, at the working size.

    Attributes:
        codes: (height, width, 3) RGB in 8 bits; grey: its lightness; names: its colours by `palette`.
        matte: (height, width) 0 to 1.
        palette: the colours of the key's neighbourhood, to tell where nearby each was seen.
        lasting: what the key's colours say for good.
    """

    codes: NDArray[np.uint8]
    grey: NDArray[np.uint8]
    names: NDArray[np.uint8]
    matte: NDArray[np.float32]
    palette: Palette
    lasting: KeyColours

    @staticmethod
    def at(codes: NDArray[np.uint8], matte: NDArray[np.float32]) -> SubjectState:
        """What is known where the matte is given."""
        lab = cv2.cvtColor(codes, cv2.COLOR_RGB2LAB)
        window = window_of((matte > 0.5).astype(np.uint8), TUNING.around) or (slice(None), slice(None))
        palette = Palette.of(np.ascontiguousarray(lab[window]), np.ascontiguousarray(matte[window]))
        lasting = KeyColours.of(lab, matte)
        return SubjectState(codes, np.ascontiguousarray(lab[..., 0]), palette.named(lab), matte, palette, lasting)

    @property
    def seen(self) -> bool:
        return float(self.matte.sum()) >= TUNING.least_area


@dataclass(frozen=True)
class Signs:
    """How well a step went; all 0 to 1 but the error.

    Attributes:
        clear: how clearly pixels near the edge belong to one of the layers.
        error: mean codes by which the subject differs from what was expected, inside it.
        change: the share of the matte that is not where it was expected.
        agree: the share of the subject's corners that were found again and agree.
        own: how far the matte has the key's colours, -1 to 1.
    """

    clear: float
    error: float
    change: float
    agree: float
    own: float

    @property
    def sure(self) -> float:
        """How far this one step can be trusted, 0 to 1."""
        shown = np.exp(-self.error / 25) * np.exp(-3 * self.change)
        return float(self.clear * shown * (0.4 + 0.6 * self.agree))


LOST = Signs(0.0, 255.0, 1.0, 0.0, -1.0)
FOUND_AGAIN = replace(LOST, clear=0.95, error=12.0, change=0.2, agree=0.3)
"""What can be said of a matte that was found by its colours alone, but for those."""


def propagate(before: SubjectState, codes: NDArray[np.uint8], flow: Any) -> tuple[SubjectState, Signs]:
    """Carry a matte to the next frame.

    Args:
        codes: (height, width, 3) RGB of the next frame, as large as the one before.
        flow: OpenCV's dense inverse search.
    """
    lab = cv2.cvtColor(codes, cv2.COLOR_RGB2LAB)
    grey, names = np.ascontiguousarray(lab[..., 0]), before.palette.named(lab)
    window = window_of((before.matte > 0.3).astype(np.uint8), TUNING.around)
    empty = SubjectState(codes, grey, names, np.zeros_like(before.matte), before.palette, before.lasting)
    if window is not None and before.seen:
        refined, signs = _contest(before, codes, lab, grey, names, window, flow)
        if before.lasting.worth * signs.own > TUNING.gone:
            empty.matte[window] = refined
            return empty, signs
    again = before.lasting.found_again(lab)
    if again is None:
        return empty, LOST
    matte = guided_filter(codes, again, TUNING.edge, TUNING.edge_eps, TUNING.steeper)
    own = float(before.lasting.says(lab)[again > 0.5].mean())
    return replace(empty, matte=matte), replace(FOUND_AGAIN, own=own)


def _contest(
    before: SubjectState, codes: NDArray[np.uint8], lab: NDArray[np.uint8], grey: NDArray[np.uint8],
    names: NDArray[np.uint8], window: Window, flow: Any,
) -> tuple[NDArray[np.float32], Signs]:  # fmt: skip
    """The matte in a window of the next frame, and how well that went."""
    was, grey_was, names_was = _cut(before.codes, window), _cut(before.grey, window), _cut(before.names, window)
    now, grey_now, names_now = _cut(codes, window), _cut(grey, window), _cut(names, window)
    matte = np.ascontiguousarray(before.matte[window])
    # Colours that tell the subject for sure let it change more between two frames.
    worth = before.lasting.worth
    reach = TUNING.band + round(TUNING.band_by_colour * worth)
    expected = TUNING.expected * (1 - worth / 2)
    five = np.ones((5, 5), np.uint8)
    inside = cv2.erode((matte > 0.9).astype(np.uint8), five)
    outside = 1 - cv2.dilate((matte > 0.05).astype(np.uint8), five)
    affine_behind, agree_behind, _ = affine_of(grey_was, grey_now, outside)
    affine, agree, corners = affine_of(grey_was, grey_now, inside)
    own = cv2.erode((matte > 0.7).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    front = moved_on(flow, affine, agree, was, grey_was, grey_now, matte, own)
    behind = moved_on(flow, affine_behind, agree_behind, was, grey_was, grey_now, matte, matte < 0.3)
    error, error_behind = _error(front, now, front.matte > 0.5), _error(behind, now, behind.matte < 0.5)
    motion = np.clip((error_behind - error) / np.float32(TUNING.match), -TUNING.most_match, TUNING.most_match)

    solid = (front.matte > 0.5).astype(np.uint8)
    deep = cv2.distanceTransform(solid, cv2.DIST_L2, 3) - cv2.distanceTransform(1 - solid, cv2.DIST_L2, 3)
    band = np.abs(deep) <= reach
    share = colour_share(front.names(names_was), front.matte, names_now, band)
    separate = float(np.abs(share - 0.5).mean() * 2) if len(share) else 0.0
    evidence = np.float32(expected) * np.clip(deep, -reach, reach) + motion
    says = before.lasting.says(lab[window])
    surely = np.sign(says) * np.maximum(np.abs(says) - np.float32(TUNING.between), 0)
    evidence += np.float32(TUNING.lasting * worth) * surely
    evidence[band] += np.float32(TUNING.colour * separate) * np.log(share / (1 - share))
    within = np.maximum(evidence, np.clip(np.float32(0.5) * deep + motion, -TUNING.sure, TUNING.sure))
    # Farther out only what the background does not explain and the key knows can be the subject: it comes up from
    # behind something.
    new = ((error_behind > TUNING.surprise) & (says > TUNING.known)).astype(np.uint8)
    new = (cv2.morphologyEx(new, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)) > 0) & (deep <= 0)
    outside = np.where(new, np.float32(TUNING.lasting) * says, np.float32(-TUNING.sure))
    evidence = np.where(band, evidence, np.where(deep > 0, within, outside))
    evidence = np.clip(evidence, -TUNING.sure, TUNING.sure)
    rough = (1 / (1 + np.exp(-evidence))).astype(np.float32)
    refined = guided_filter(now, rough, TUNING.edge, TUNING.edge_eps, TUNING.steeper)
    refined[~band & (deep <= 0) & ~new] = 0
    _without_crumbs(refined)
    core = deep > reach
    clear = 1 - float(np.exp(-np.abs(evidence[band])).mean()) if band.any() else 0.0
    change = float(np.abs(refined - front.matte).sum() / max(float(front.matte.sum()), 1.0))
    amiss = (
        float(error[core].mean()) if core.any() else float(error[solid > 0].mean()) if solid.any() else TUNING.capped
    )
    inside = refined > 0.5
    own = float(says[inside].mean()) if inside.any() else -1.0
    return refined, Signs(clear, amiss, min(change, 1.0), agree, own)


def _cut(values: NDArray[np.uint8], window: Window) -> NDArray[np.uint8]:
    return np.ascontiguousarray(values[window])


def _error(layer: MovedLayer, now: NDArray[np.uint8], has: NDArray[np.bool_]) -> NDArray[np.float32]:
    """How badly a layer's prediction fits, per pixel: mean of codes over 5 x 5 px and channels."""
    difference = cv2.absdiff(layer.picture, now).astype(np.float32)
    mean = np.minimum(cv2.transform(difference, np.full((1, 3), 1 / 3, np.float32)), np.float32(TUNING.capped))
    shows = cv2.GaussianBlur(has.astype(np.float32), (0, 0), 1.5)
    return np.asarray(cv2.blur(mean, (5, 5)) * shows + np.float32(TUNING.no_source) * (1 - shows), np.float32)


def _without_crumbs(matte: NDArray[np.float32]) -> None:
    """Drop small parts, in place."""
    count, parts, stats, _ = cv2.connectedComponentsWithStats((matte > 0.5).astype(np.uint8))
    if count > 2:
        sizes = stats[:, cv2.CC_STAT_AREA]
        small = sizes < TUNING.crumb * sizes[1:].max()
        small[0] = False
        matte[small[parts]] = 0
