"""The subject where its outline was last known for good: steps are compared with it, so that errors do not add up."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.track.corners import TrackingView, tracked
from kalyptra.core.following.track.motion import fit_motion
from kalyptra.core.setup.document.followed import Motion
from kalyptra.core.setup.geometry.warp import Matrix, inverse

CORNERS = 100
LEAST_CORNERS, LEAST_SHARE = 12, 0.4
"""Corners that have to agree, and their share of all, for the anchor to hold."""


@dataclass(frozen=True)
class Anchor:
    """A picture of the subject.

    Attributes:
        lab: (height, width, 3) codes of a part of a frame.
        mask: (height, width) 1 in the subject.
        place: from its px to those of the frame that is looked at.
        misses: steps in a row in which it was not found.
    """

    lab: NDArray[np.uint8]
    mask: NDArray[np.uint8]
    place: Matrix
    misses: int = 0

    @staticmethod
    def of(lab: NDArray[np.uint8], mask: NDArray[np.uint8], origin: NDArray[np.float64]) -> Anchor:
        """Of a window whose corner lies at origin (x, y) of its frame."""
        place = np.eye(3)
        place[:2, 2] = origin
        return Anchor(lab, mask, place)

    def carried(self, matrix: Matrix) -> Anchor:
        """The same after the subject moved."""
        place = matrix @ self.place
        return replace(self, place=place / place[2, 2])

    def tried(self, met: bool) -> Anchor:
        """The same after it was looked for."""
        return replace(self, misses=0 if met else self.misses + 1)

    def correction(self, now: TrackingView, origin: NDArray[np.float64], kind: Motion) -> Matrix | None:
        """By what motion the subject lies elsewhere than it was carried to; None where that is not sure.

        Args:
            now: the window of the frame; origin (x, y) its corner.
            kind: how much may change.
        """
        height, width = now.grey.shape
        to_window = np.eye(3)
        to_window[:2, 2] = -origin
        middle = np.eye(3)
        middle[:2, 2] = 0.5
        matrix = inverse(middle) @ to_window @ self.place @ middle
        lab = cv2.warpPerspective(self.lab, matrix, (width, height), borderMode=cv2.BORDER_REPLICATE)
        mask = cv2.warpPerspective(self.mask, matrix, (width, height), flags=cv2.INTER_NEAREST)
        shown = TrackingView(np.asarray(lab), np.ascontiguousarray(lab[..., 0]))
        tracks = tracked(shown, now, np.asarray(mask), CORNERS, np.eye(3))
        fitted, agree = fit_motion(kind, tracks.before, tracks.after)
        return fitted if agree.sum() >= max(LEAST_CORNERS, LEAST_SHARE * tracks.looked_for) else None
