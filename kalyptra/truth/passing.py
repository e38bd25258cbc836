"""A disc that passes before a picture of a real place, so that what lies behind it is known."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core import ClipFacts, FootageKind, Picture, Rate, Transfer, recover
from kalyptra.truth.measures import psnr
from kalyptra.truth.motion.clip import grained

GRAIN = 2.0


@dataclass
class Passing:
    """A disc that crosses a picture of a real place, before a camera that stands still or drifts, with its truth.

    Attributes:
        drift: px that the camera moves a frame, with a little turn.
    """

    drift: float
    frames: int = 48
    size: tuple[int, int] = (540, 960)

    def __post_init__(self) -> None:
        from skimage import data

        self._place = cv2.resize(data.stereo_motorcycle()[1], (1400, 900), interpolation=cv2.INTER_AREA)
        self.facts = ClipFacts(
            kind=FootageKind.SEQUENCE, container="made", codec="made", width=self.size[1], height=self.size[0],
            rate=Rate(numerator=25, denominator=1), frames=self.frames, transfer=Transfer.SRGB, bits=8,
        )  # fmt: skip

    def plate(self, frame: int) -> NDArray[np.uint8]:
        motion = cv2.getRotationMatrix2D((700, 450), 0.02 * self.drift * frame, 1 + 0.0004 * self.drift * frame)
        motion[:, 2] -= [220 + self.drift * frame, 180 + 0.3 * self.drift * frame]
        return np.asarray(cv2.warpAffine(self._place, motion, self.size[::-1], flags=cv2.INTER_CUBIC))

    def truth(self, frame: int) -> NDArray[np.float32]:
        out = np.zeros(self.size, np.uint8)
        cv2.circle(
            out, ((200 + 11 * frame) * 16, (250 + round(40 * np.sin(frame / 8))) * 16), 70 * 16, 255, -1, cv2.LINE_AA, 4
        )
        return out.astype(np.float32) / np.float32(255)

    def picture(self, frame: int) -> Picture:
        share = self.truth(frame)[..., None]
        codes = self.plate(frame) * (1 - share) + np.array([200, 60, 40], np.float32) * share
        return Picture(grained(codes, np.random.default_rng(frame), GRAIN), Transfer.SRGB)

    def close(self) -> None:
        pass


def recovered_psnr(clip: Passing, wanted: tuple[int, ...]) -> float:
    """Of what was seen at least once."""
    errors = []
    for frame, patch in recover(clip, clip.truth, 0, clip.frames - 1, wanted=wanted):
        assert patch is not None
        height, width = patch.picture.shape[:2]
        place = np.s_[patch.top : patch.top + height, patch.left : patch.left + width]
        seen = (patch.picture[..., 3] > 0) & (patch.picture[..., 3] < 255)
        errors.append(psnr(patch.picture[..., :3], clip.plate(frame)[place], seen))
    return float(np.mean(errors))
