"""What the subject looked like where it could be seen, at half size: so that something in front of it is noticed."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.setup.geometry.warp import Matrix

SOFT = 5
"""Px of half size over which colours are averaged before they are compared: the subject sways and turns."""
FOREIGN = 26.0
"""Difference of L*a*b* codes, lightness counted half, from which on a colour is another one."""
RENEW = 6
"""Steps after which memory takes over what can be seen now."""


@dataclass(frozen=True)
class Visibility:
    """A window of a frame beside what memory expects there. All at half size.

    Attributes:
        lab: (height, width, 3) the frame.
        expected: the same as memory has it.
        place: (height, width) 1 where the subject should be.
        difference: (height, width) of the two.
    """

    lab: NDArray[np.uint8]
    expected: NDArray[np.uint8]
    place: NDArray[np.uint8]
    difference: NDArray[np.float32]

    @property
    def hidden(self) -> NDArray[np.uint8]:
        """1 where the subject should be, and something else is."""
        return ((self.difference > FOREIGN) & (self.place > 0)).astype(np.uint8)

    @property
    def visible(self) -> float:
        """The share of the subject that looks as remembered."""
        there = int(np.count_nonzero(self.place))
        return 1 - float(self.hidden.sum()) / there if there else 0.0


@dataclass(frozen=True)
class Appearance:
    """The subject's picture at half size.

    Attributes:
        lab: (height, width, 3) codes of a part of a frame.
        mask: (height, width) 1 where the subject is known.
        place: from its px to those of the frame that is looked at, at full size.
        age: steps since it was renewed.
    """

    lab: NDArray[np.uint8]
    mask: NDArray[np.uint8]
    place: Matrix
    age: int = 0

    @staticmethod
    def of(lab: NDArray[np.uint8], mask: NDArray[np.uint8], origin: NDArray[np.float64]) -> Appearance:
        """Of a window at full size. Args: origin (x, y) of the window in its frame."""
        place = np.diag([2.0, 2.0, 1.0])
        place[:2, 2] = origin
        return Appearance(halved(lab), np.ascontiguousarray(mask[::2, ::2]), place)

    def carried(self, matrix: Matrix) -> Appearance:
        """The same after the subject moved."""
        place = matrix @ self.place
        return replace(self, place=place / place[2, 2], age=self.age + 1)

    def beside(self, lab: NDArray[np.uint8], origin: NDArray[np.float64]) -> Visibility:
        """Compare with a window of a frame. Args: lab at full size; origin (x, y) of the window."""
        now = halved(lab)
        size = now.shape[1], now.shape[0]
        to_window = np.diag([0.5, 0.5, 1.0])
        to_window[:2, 2] = -origin / 2
        middle = np.eye(3)
        middle[:2, 2] = 0.5
        matrix = np.linalg.inv(middle) @ to_window @ self.place @ middle
        expected = np.asarray(cv2.warpPerspective(self.lab, matrix, size, borderMode=cv2.BORDER_REPLICATE))
        place = np.asarray(cv2.warpPerspective(self.mask, matrix, size, flags=cv2.INTER_NEAREST))
        a, b = (cv2.blur(each, (SOFT, SOFT)) for each in (expected, now))
        difference = cv2.transform(cv2.absdiff(a, b).astype(np.float32), np.array([[0.5, 1, 1]], np.float32))
        return Visibility(now, expected, place, np.asarray(difference))

    def renewed(self, seen: Visibility, mask: NDArray[np.uint8], origin: NDArray[np.float64]) -> Appearance:
        """Memory of a window: what can be seen as it is now, what is hidden as it was. Args: mask at half size."""
        place = np.diag([2.0, 2.0, 1.0])
        place[:2, 2] = origin
        lab = np.where(seen.hidden[..., None] > 0, seen.expected, seen.lab)
        return Appearance(lab, mask, place)


def halved(lab: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A picture at half size, odd edges rounded up."""
    height, width = lab.shape[:2]
    return np.asarray(cv2.resize(lab, ((width + 1) // 2, (height + 1) // 2), interpolation=cv2.INTER_AREA))
