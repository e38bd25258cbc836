"""Where each pixel of the subject comes from in the frame of its key: the key's picture and matte carried along."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.window import Window

NOWHERE = -1000.0
"""A place outside every picture."""


@dataclass(frozen=True)
class KeyTrail:
    """Attributes:
    codes, matte: (height, width, 3) and (height, width) of the key's frame.
    place: (height, width, 2) x and y in it that each pixel of the frame in question comes from.
    """

    codes: NDArray[np.uint8]
    matte: NDArray[np.float32]
    place: NDArray[np.float32]

    @staticmethod
    def at(codes: NDArray[np.uint8], matte: NDArray[np.float32]) -> KeyTrail:
        height, width = matte.shape
        across, down = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
        return KeyTrail(codes, matte, np.dstack([across, down]))

    def moved(self, window: Window, x: NDArray[np.float32], y: NDArray[np.float32]) -> KeyTrail:
        """Moved on in a window; x and y say where in the whole frame before each of its pixels comes from."""
        place = self.place.copy()
        place[window] = cv2.remap(self.place, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        return replace(self, place=place)

    @property
    def lost(self) -> bool:
        """Whether nothing comes from the key."""
        return bool(self.place[0, 0, 0] == NOWHERE)

    def broken(self) -> KeyTrail:
        """Nothing comes from the key: the subject was lost and is somewhere else now."""
        return replace(self, place=np.full_like(self.place, NOWHERE))

    def shown(self, window: Window) -> tuple[NDArray[np.uint8], NDArray[np.float32]]:
        """The key's picture and matte as they come to lie in a window."""
        codes = cv2.remap(self.codes, *self._places(window), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        return np.asarray(codes, np.uint8), self.matte_in(window)

    def matte_in(self, window: Window) -> NDArray[np.float32]:
        """The key's matte as it comes to lie in a window."""
        matte = cv2.remap(self.matte, *self._places(window), cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
        return np.asarray(matte, np.float32)

    def _places(self, window: Window) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        x, y = (np.ascontiguousarray(self.place[..., i][window]) for i in (0, 1))
        return x, y
