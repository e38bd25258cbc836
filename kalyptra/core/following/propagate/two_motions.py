"""Whether each pixel of a shape goes along with the subject or with the background, in frames to come."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.layer import affine_of
from kalyptra.core.window import middle_of

Codes = NDArray[np.uint8]
Values = NDArray[np.float32]
Mask = NDArray[np.bool_]

AHEAD = (1, 2, 3, 6, 12, 20)
LOOKS = 3
"""Frames to come that are looked at: so many of them, the first in which subject and background have gone apart."""


class Tuning(NamedTuple):
    """What can be tuned. Chosen on made-up racks, ladders, hoops and chairs, and on clips of the tune half's kinds."""

    agree: float = 0.2
    """The share of corners that must agree on a motion."""
    moving: float = 6.0
    """Codes from which on a pixel does not go along with the background."""
    apart: float = 1.0
    """Px that subject and background must go apart: otherwise nothing tells them from each other."""
    codes: float = 4.0
    """Codes of error that are one unit of evidence."""
    most: float = 2.0
    capped: float = 40.0
    fewest: int = 6
    """Px of a place that must still be seen through it, to tell how it goes."""


TUNING = Tuning()


@dataclass(frozen=True)
class Apart:
    """A frame to come in which subject and background have gone apart.

    Attributes:
        stays: (height, width) how much better the background's motion explains each pixel, units of evidence.
        gone: (2, 3) how far the subject goes against the background at a place, px.
    """

    stays: Values
    gone: NDArray[np.float32]

    def still_seen(self, place: Mask) -> Mask:
        """What was seen through a place and still is, once the subject has moved on: less than the place itself."""
        middle = middle_of(place.astype(np.float32))
        if middle is None:
            return place
        shift = np.eye(2, 3, dtype=np.float32)
        shift[:, 2] = self.gone @ np.append(middle, 1.0)
        moved = cv2.warpAffine(place.astype(np.uint8), shift, place.shape[::-1], flags=cv2.INTER_NEAREST)
        return np.asarray(place & (moved > 0))


def gone_apart(codes: Codes, ahead: Iterable[Codes], drawn: Values) -> list[Apart]:
    """The first frames in which a shape and what lies around it have gone apart.

    Args:
        codes: (height, width, 3) RGB of a frame at the working size, 8 bits.
        ahead: frames to come; no more of them are asked for than are needed.
        drawn: (height, width) 0 to 1, the shape.
    """
    grey, size = cv2.cvtColor(codes, cv2.COLOR_RGB2GRAY), drawn.shape[::-1]
    five = np.ones((5, 5), np.uint8)
    outside = 1 - cv2.dilate((drawn > 0.05).astype(np.uint8), five)
    inside = cv2.erode((drawn > 0.9).astype(np.uint8), five)
    middle = middle_of(inside.astype(np.float32))
    looks: list[Apart] = []
    if middle is None:
        return looks
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
        gone = own - motion
        if min(agree, agree_own) < TUNING.agree or np.linalg.norm(gone @ np.append(middle, 1.0)) < TUNING.apart:
            continue
        stays = np.clip((error(own) - behind) / np.float32(TUNING.codes), -TUNING.most, TUNING.most)
        looks.append(Apart(np.asarray(cv2.GaussianBlur(stays, (0, 0), 1.0), np.float32), gone))
        if len(looks) == LOOKS:
            break
    return looks


def stays_behind(looks: Sequence[Apart], place: Mask) -> float | None:
    """How much better the background's motion explains what is seen through a place than the subject's; None where
    nothing says so.

    What lay behind a place is hidden by its edge as the subject moves on: only what is still seen through it counts.
    """
    seen = [(look.stays, look.still_seen(place)) for look in looks]
    count = sum(int(still.sum()) for _, still in seen)
    return sum(float(stays[still].sum()) for stays, still in seen) / count if count >= TUNING.fewest else None
