"""What the benches work on: a frame of the demo, with the truth that belongs to it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from numpy.typing import NDArray

DEMO = Path(__file__).resolve().parents[3] / "demo" / "runner"
NEAR = 1.0
"""Metres of the brightest code of the runner's distance clip."""
FRAME = 60


@dataclass(frozen=True)
class Scene:
    """A picture with its distances (1/m) and its subject's matte, all of one size."""

    codes: NDArray[np.uint8]
    dioptres: NDArray[np.float32]
    matte: NDArray[np.float32]

    @property
    def subject_distance(self) -> float:
        return float(1 / np.median(self.dioptres[self.matte > 0.95]))


def runner(width: int, height: int) -> Scene:
    """The parcel runner in front of the quay, at any size."""

    def at_size(picture: NDArray[Any]) -> NDArray[Any]:
        shrinks = width < picture.shape[1]
        scaled: NDArray[Any] = cv2.resize(
            picture, (width, height), interpolation=cv2.INTER_AREA if shrinks else cv2.INTER_CUBIC
        )
        return scaled

    codes = at_size(frame(DEMO / "clip.mp4", "rgb24"))
    matte = at_size(frame(DEMO / "matte.mkv", "gray").astype(np.float32) / 255)
    distance = frame(DEMO / "distance.mkv", "gray16le").astype(np.float32) / 65535 / NEAR
    dioptres = cv2.resize(distance, (width, height), interpolation=cv2.INTER_NEAREST)
    return Scene(codes, dioptres, np.clip(matte, 0, 1))


def frame(path: Path, pixels: str) -> NDArray[Any]:
    with av.open(str(path)) as container:
        for i, picture_at in enumerate(container.decode(video=0)):
            if i == FRAME:
                picture: NDArray[Any] = picture_at.to_ndarray(format=pixels)
                return picture
    raise FileNotFoundError(f"{path} has no frame {FRAME}")
