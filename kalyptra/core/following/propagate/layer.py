"""A layer of the picture, the subject or what lies behind it, moved on from one frame to the next."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.window import window_of


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the demo's clips, where no source is named."""

    corners: int = 120
    few: int = 6
    reach: int = 24
    """Px around where it is expected in which a layer is looked for as a whole."""
    back: float = 1.0
    """Px by which a corner that is tracked there and back may miss itself."""
    agree: float = 2.0
    agree_more: float = 3.0
    along: float = 0.8
    """Px by which corners may be off a motion to go along with it."""
    most_growth: float = 0.25
    line: float = 0.1
    """How far corners spread across, beside how far along, below which they tell but turn, shift and growth."""
    spread: float = 12.0
    """Px over which a layer moves as one, besides its own affine motion."""
    soft: float = 12.0
    """Codes of error at which a pixel's own move counts for 1/e."""
    trust: float = 0.02
    descent: int = 16
    """Iterations of the dense search: more find no better matte."""


TUNING = Tuning()


WINDOW, LEVELS = (15, 15), 3


@dataclass(frozen=True)
class MovedLayer:
    """A layer as the frame before has it, moved to the frame in question.

    Attributes:
        picture: (height, width, 3) codes.
        matte: (height, width) the subject's matte, moved with this layer.
        affine: (2, 3) of the whole, from the frame before.
        x, y: (height, width) where each pixel comes from in the frame before, once that is undone.
        agree: 0 to 1, the share of corners that were found again and agree.
    """

    picture: NDArray[np.uint8]
    matte: NDArray[np.float32]
    affine: NDArray[np.float32]
    x: NDArray[np.float32]
    y: NDArray[np.float32]
    agree: float

    def gone(self, place: NDArray[np.float64] | None) -> NDArray[np.float32]:
        """(2,) px by which the layer has moved at a place of the frame before; none where there is no place."""
        if place is None:
            return np.zeros(2, np.float32)
        return np.asarray(self.affine @ np.append(place, 1.0) - place, np.float32)

    def names(self, names: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """Names of colours moved likewise."""
        once = _warped(names, self.affine, cv2.INTER_NEAREST)
        return np.asarray(_pulled(once, self.x, self.y, cv2.INTER_NEAREST), np.uint8)


def dense_search() -> Any:
    """OpenCV's dense inverse search."""
    flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    flow.setGradientDescentIterations(TUNING.descent)
    return flow


def affine_of(
    before: NDArray[np.uint8],
    after: NDArray[np.uint8],
    mask: NDArray[np.uint8],
    beside: NDArray[np.float32] | None = None,
    pace: NDArray[np.float32] | None = None,
    stiff: bool = False,
) -> tuple[NDArray[np.float32], float, int]:
    """The affine motion of a layer between two grey pictures.

    Sources: Shi and Tomasi, CVPR 1994 (corners); Bouguet 2001 (tracking); Kalal, Mikolajczyk and Matas, ICPR 2010
    (there and back); Fischler and Bolles, CACM 1981 (leaving out what disagrees).

    Args:
        mask: (height, width) where the layer lies for sure.
        beside: (2, 3) another layer's motion: corners that go along with that do not count.
        pace: (2,) px that the layer is expected to move by: what is fast is found from there.
        stiff: whether it only turns, shifts and grows.

    Returns:
        (2, 3) motion, the share of corners that agree, and how many those are.
    """
    still = np.array([[1, 0, 0], [0, 1, 0]], np.float32)
    start = cv2.goodFeaturesToTrack(before, TUNING.corners, 0.005, 4, mask=mask, blockSize=5)
    if start is None or len(start) < TUNING.few:
        return still, 0.0, 0
    looked_for = len(start)
    gone = np.zeros(2, np.float32) if pace is None else pace
    lk: dict[str, Any] = {"winSize": WINDOW, "maxLevel": LEVELS, "flags": cv2.OPTFLOW_USE_INITIAL_FLOW}
    there, seen, _ = cv2.calcOpticalFlowPyrLK(before, after, start, start + gone, **lk)
    back, seen_back, _ = cv2.calcOpticalFlowPyrLK(after, before, there, there - gone, **lk)
    held = (seen[:, 0] == 1) & (seen_back[:, 0] == 1) & (np.linalg.norm(back - start, axis=2)[:, 0] < TUNING.back)
    if beside is not None:
        along = np.linalg.norm(there[:, 0] - (start[:, 0] @ beside[:, :2].T + beside[:, 2]), axis=1) < TUNING.along
        held, looked_for = held & ~along, looked_for - int(along.sum())
    a, b = start[held, 0], there[held, 0]
    if len(a) < TUNING.few:
        return still, 0.0, len(a)
    motion = None if stiff else _sheared(a, b)
    if motion is None:
        motion = cv2.estimateAffinePartial2D(a, b, method=cv2.RANSAC, ransacReprojThreshold=TUNING.agree_more)
        if motion[0] is None or _grows(motion[0]):
            return still, 0.0, len(a)
    affine, agree = motion
    return affine.astype(np.float32), float(agree.sum() / looked_for), int(agree.sum())


def _sheared(a: NDArray[np.float32], b: NDArray[np.float32]) -> tuple[NDArray[Any], NDArray[Any]] | None:
    """An affine motion of points (n, 2), and which agree; None where they do not tell how the layer shears."""
    affine, agree = cv2.estimateAffine2D(a, b, method=cv2.RANSAC, ransacReprojThreshold=TUNING.agree, maxIters=500)
    if affine is None or agree.sum() < TUNING.few or _grows(affine) or _along_a_line(a[agree[:, 0] > 0]):
        return None
    return affine, agree


def _grows(affine: NDArray[np.float64]) -> bool:
    return bool(abs(np.linalg.det(affine[:, :2]) - 1) > TUNING.most_growth)


def _along_a_line(points: NDArray[np.float32]) -> bool:
    """Whether points (n, 2) lie so nearly along a line that they say nothing of how a layer shears beside it."""
    long, across = np.linalg.svd(points - points.mean(axis=0), compute_uv=False)
    return bool(across < TUNING.line * long)


def shift_of(
    before: NDArray[np.uint8], after: NDArray[np.uint8], mask: NDArray[np.uint8], pace: NDArray[np.float32]
) -> NDArray[np.float32]:
    """The shift of a layer between two pictures, where no corners tell its motion: by where it fits best as a whole.

    Args:
        before, after: (height, width, 3) codes.
        mask: (height, width) where the layer lies.
        pace: (2,) px that it is expected to move by: it is looked for around there.

    Returns:
        (2, 3) motion.
    """
    window = window_of(mask, 0)
    shift = np.array([[1, 0, pace[0]], [0, 1, pace[1]]], np.float32)
    if window is None:
        return shift
    reach = TUNING.reach
    moved = cv2.warpAffine(after, shift, mask.shape[::-1], flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
    room = cv2.copyMakeBorder(moved, reach, reach, reach, reach, cv2.BORDER_REPLICATE)
    here = room[window[0].start : window[0].stop + 2 * reach, window[1].start : window[1].stop + 2 * reach]
    inside = np.ascontiguousarray(mask[window])
    misfit = cv2.matchTemplate(here, np.ascontiguousarray(before[window]), cv2.TM_SQDIFF, mask=np.dstack([inside] * 3))
    _, _, (x, y), _ = cv2.minMaxLoc(misfit)
    shift[:, 2] += x - reach, y - reach
    return shift


def moved_on(
    flow: Any, affine: NDArray[np.float32], agree: float, before: NDArray[np.uint8], grey_before: NDArray[np.uint8],
    grey: NDArray[np.uint8], matte: NDArray[np.float32], own: NDArray[np.bool_],
) -> MovedLayer:  # fmt: skip
    """Move a layer on: by its affine motion, then by what is left, smoothed from the layer's own pixels alone.

    Source for the dense part: Kroeger et al., Fast optical flow using dense inverse search, ECCV 2016.

    Args:
        flow: the dense search.
        before: (height, width, 3) codes, with their grey; `grey` is of the frame in question.
        matte: (height, width) the subject's matte in the frame before.
        own: (height, width) where in it this layer lies.
    """
    shown, shown_grey = _warped(before, affine), _warped(grey_before, affine)
    left = flow.calc(grey, shown_grey, None)
    height, width = grey.shape
    gx, gy = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    fits = _pulled(shown_grey, gx + left[..., 0], gy + left[..., 1])
    error = cv2.blur(cv2.absdiff(fits, grey).astype(np.float32), (5, 5))
    weight = _warped(own.astype(np.float32), affine) * np.exp(-np.square(error / np.float32(TUNING.soft)))
    weight = np.ascontiguousarray(weight, np.float32)
    left *= weight[..., None]
    total = _spread(weight) + np.float32(TUNING.trust)
    smooth = _spread(left) / total[..., None]
    x, y = gx + smooth[..., 0], gy + smooth[..., 1]
    moved = _pulled(_warped(matte, affine), x, y)
    return MovedLayer(_pulled(shown, x, y), moved, affine, x, y, agree)


def _spread(values: NDArray[np.float32]) -> NDArray[np.float32]:
    """A wide Gaussian, at half size: what is smooth needs no more."""
    height, width = values.shape[:2]
    half = cv2.resize(values, ((width + 1) // 2, (height + 1) // 2), interpolation=cv2.INTER_AREA)
    half = cv2.GaussianBlur(half, (0, 0), TUNING.spread / 2, borderType=cv2.BORDER_REPLICATE)
    return np.asarray(cv2.resize(half, (width, height), interpolation=cv2.INTER_LINEAR))


def _warped(values: NDArray[Any], affine: NDArray[np.float32], how: int = cv2.INTER_LINEAR) -> Any:
    height, width = values.shape[:2]
    return cv2.warpAffine(values, affine, (width, height), flags=how, borderMode=cv2.BORDER_REPLICATE)


def _pulled(values: NDArray[Any], x: NDArray[Any], y: NDArray[Any], how: int = cv2.INTER_LINEAR) -> Any:
    # Both maps in one depth: with mixed ones OpenCV has returned garbage.
    return cv2.remap(values, np.float32(x), np.float32(y), how, borderMode=cv2.BORDER_REPLICATE)
