"""The background behind a subject, recovered from frames in which it can be seen.

Each other frame is laid over this one by the background's homography and, where there is parallax, by what a local flow
says besides; its exposure is matched; the median of all is taken. What no frame shows stays unknown, and is said so.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import Codes, Transfer
from kalyptra.core.clip.transfer import to_light
from kalyptra.core.following.register.median import median_of
from kalyptra.core.pull_push import fill_in
from kalyptra.core.window import Window

Light = NDArray[np.float32]


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the demo's clips, where no source is named."""

    parallax: float = 0.35
    """Median px, of the size the frames were aligned at, by which corners miss the homography from where on a local
    flow is looked for."""
    even: float = 16.0
    """Px over which a flow is smoothed."""
    most_flow: float = 3.0
    """Px of a local flow that is believed less and less from here on."""
    flow_size: int = 320
    """Px on the long side of the window at which it is looked for."""
    coarse: int = 4
    gain: float = 24.0
    """Px over which exposure is compared."""
    most_gain: float = 2.5
    dark: float = 0.002
    """Linear light that is added before two are compared, so that noise in the dark does not decide."""


TUNING = Tuning()


@dataclass(frozen=True)
class Other:
    """Another frame of the shot.

    Attributes:
        codes: (height, width, 3) all of it, on its transfer curve.
        hidden: (height, width) 1 where a subject is, grown.
        matrix: (3, 3) from this frame to it, px of the pictures.
        amiss: px of the pictures by which background corners miss that.
    """

    codes: Codes
    transfer: Transfer
    hidden: NDArray[np.uint8]
    matrix: NDArray[np.float64]
    amiss: float


def recovered(
    light: Light, hole: NDArray[np.uint8], window: Window, others: Sequence[Other], most: int
) -> tuple[Light, NDArray[np.uint8]]:
    """What lies behind a hole.

    Args:
        light: (height, width, 3) the frame.
        hole: (height, width) 1 where a subject hides the background, grown.
        window: the part of the frame that is wanted: the hole, and what surrounds it.
        others: frames that show some of it, the best first.
        most: how many of them make a pixel at most.

    Returns:
        (height, width, 3) of the window, the frame itself outside the hole, and how often each pixel was seen; 0 marks
        what is unknown, and holds nothing.
    """
    here, inside = np.ascontiguousarray(light[window]), np.ascontiguousarray(hole[window]) > 0
    laid = [_laid_over(here, inside, window, other) for other in others]
    pictures = np.stack([shown for shown, _ in laid]) if laid else np.zeros((0, *here.shape), np.float32)
    valid = np.stack([shows for _, shows in laid]) if laid else np.zeros((0, *inside.shape), bool)
    plate, seen = median_of(pictures, valid & inside, most)
    if any(other.amiss > TUNING.parallax for other in others) and len(others) > 1:
        # Now that there is a picture of what lies behind, each frame is fitted to that inside the hole, too.
        known = ~inside | (seen > 0)
        guess = np.where(inside[..., None], plate, here).astype(np.float32)
        for i, neighbour in enumerate(others):
            if neighbour.amiss > TUNING.parallax:
                pictures[i], valid[i] = _moved(pictures[i], valid[i], guess, known & valid[i])
        plate, seen = median_of(pictures, valid & inside, most)
    return np.where(inside[..., None], plate, here).astype(np.float32), np.where(inside, seen, 255).astype(np.uint8)


def _laid_over(here: Light, inside: NDArray[np.bool_], window: Window, other: Other) -> tuple[Light, NDArray[np.bool_]]:
    """Another frame as this one would show it, and where it does."""
    height, width = inside.shape
    shift = np.array([[1, 0, window[1].start], [0, 1, window[0].start], [0, 0, 1]], np.float64)
    to_other = other.matrix @ shift
    how = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    laid = cv2.warpPerspective(other.codes, to_other, (width, height), flags=how, borderMode=cv2.BORDER_REPLICATE)
    picture = to_light(laid, other.transfer)
    shown = np.zeros(other.hidden.shape, np.uint8)
    shown[2:-2, 2:-2] = 255
    shown[other.hidden > 0] = 0
    valid = (
        cv2.warpPerspective(
            shown, to_other, (width, height), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderValue=0
        )
        > 250
    )
    if other.amiss > TUNING.parallax:
        picture, valid = _moved(picture, valid, here, valid & ~inside)
    return _exposed(picture, here, valid & ~inside), valid


def _moved(
    picture: Light, valid: NDArray[np.bool_], here: Light, both: NDArray[np.bool_]
) -> tuple[Light, NDArray[np.bool_]]:
    """A picture moved by what a local flow says where both can be compared; beyond that it fades out."""
    height, width = valid.shape
    factor = min(1.0, TUNING.flow_size / max(height, width))
    small = (max(16, round(width * factor)), max(16, round(height * factor)))
    a, b = (_grey(cv2.resize(each, small, interpolation=cv2.INTER_AREA)) for each in (here, picture))
    known = cv2.resize(both.astype(np.float32), small, interpolation=cv2.INTER_AREA)
    # What cannot be compared must not pull: there the picture is shown itself.
    a = np.where(known > 0.5, a, b)
    flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST).calc(a, b, None)
    trusted = (cv2.erode(known, np.ones((5, 5), np.uint8)) > 0.5).astype(np.float32)
    # Something near the camera moves far: it must not carry along what lies behind it.
    trusted *= np.exp(-np.square(np.linalg.norm(flow, axis=2) / np.float32(TUNING.most_flow * factor)))
    weight = cv2.GaussianBlur(trusted, (0, 0), TUNING.even * factor)
    smooth = (
        cv2.GaussianBlur(flow * trusted[..., None], (0, 0), TUNING.even * factor) / np.maximum(weight, 1e-3)[..., None]
    )
    smooth *= np.clip(weight * 4, 0, 1)[..., None]
    whole = cv2.resize(smooth, (width, height), interpolation=cv2.INTER_LINEAR) / np.float32(factor)
    x, y = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    x, y = x + whole[..., 0], y + whole[..., 1]
    moved = cv2.remap(picture, x, y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    shown = cv2.remap(valid.astype(np.uint8) * 255, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
    return np.maximum(moved, 0), shown > 250


def _grey(light: Light) -> NDArray[np.uint8]:
    """Lightness in 8 bits, spread so that dark pictures show their texture, too."""
    grey = np.sqrt(np.clip(light.mean(axis=2), 0, 1))
    return np.asarray(np.round(grey * 255), np.uint8)


def _exposed(picture: Light, here: Light, both: NDArray[np.bool_]) -> Light:
    """A picture as bright as this one, near by near: the light may have moved, too."""
    if both.sum() < 64:
        return picture
    height, width = both.shape
    small = (max(1, width // TUNING.coarse), max(1, height // TUNING.coarse))
    weight = both.astype(np.float32)
    sums = (
        cv2.resize((each + TUNING.dark) * weight[..., None], small, interpolation=cv2.INTER_AREA)
        for each in (here, picture)
    )
    mine, other = (cv2.GaussianBlur(total, (0, 0), TUNING.gain / TUNING.coarse) for total in sums)
    near = cv2.GaussianBlur(
        cv2.resize(weight, small, interpolation=cv2.INTER_AREA), (0, 0), TUNING.gain / TUNING.coarse
    )
    gain = np.clip(mine / np.maximum(other, 1e-9), 1 / TUNING.most_gain, TUNING.most_gain).astype(np.float32)
    gain = np.where(near[..., None] > 1e-3, gain, np.float32(1))
    fill_in(gain, np.clip(near * 4, 0, 1).astype(np.float32))
    gain = cv2.resize(gain, (width, height), interpolation=cv2.INTER_LINEAR)
    return np.asarray((picture + TUNING.dark) * gain - TUNING.dark, np.float32)
