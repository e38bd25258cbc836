"""The demo's moments through a true lens, as `docs/demo.md` describes them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core import Opening, ThinLens, Transfer, fill, to_codes, to_light

DEMO = Path(__file__).resolve().parents[2] / "demo"
SCENES = {"runner": (1.0, 0.035), "glass": (0.6, 0.05)}
"""For each scene the distance in metres of the brightest code, and the focal length in metres."""


@dataclass(frozen=True)
class Moment:
    """One moment through one lens, all at the size of the true-lens picture.

    Attributes:
        light: the pinhole picture as a camera records it: clipped, in 8 bits.
        true: what the lens shows, sRGB codes.
        plate: the picture without the subject, as recorded.
        dioptres: 1/m of all; matte: the subject's coverage.
    """

    name: str
    opening: Opening
    light: NDArray[np.float32]
    true: NDArray[np.uint8]
    plate: NDArray[np.float32]
    dioptres: NDArray[np.float32]
    matte: NDArray[np.float32]

    @property
    def subject(self) -> float:
        """The subject's distance, metres."""
        return float(1 / np.median(self.dioptres[self.matte > 0.95]))


def moments() -> Iterator[Moment]:
    """All moments of the demo, scene by scene."""
    for scene, (near, focal_length) in SCENES.items():
        for path in sorted((DEMO / scene).glob("lens-*.npz")):
            frame = int(path.stem.split("-")[1])
            with np.load(path) as file:
                shown = {name: file[name] for name in file.files}
            size = shown["sharp"].shape[1::-1]
            # A pixel of the small picture lies on a few of the full one: the middle one speaks for it.
            distance = cv2.resize(
                shown["distance"].astype(np.float32) / 65535 / near, size, interpolation=cv2.INTER_NEAREST
            )
            matte = cv2.resize(matte_of(scene, frame), size, interpolation=cv2.INTER_AREA)
            for name, picture in shown.items():
                if not name.startswith("f"):
                    continue
                f_number, focus = (float(part) for part in name[1:].split("-at"))
                opening = Opening(ThinLens(focal_length, f_number, focus, 0.036))
                yield Moment(f"{scene} {frame} {name}", opening, recorded(shown["sharp"]), codes(picture),
                             recorded(shown["plate"]), distance, matte)  # fmt: skip


def matte_of(scene: str, frame: int) -> NDArray[np.float32]:
    with av.open(str(DEMO / scene / "matte.mkv")) as container:
        for number, picture in enumerate(container.decode(video=0)):
            if number == frame:
                return np.asarray(picture.to_ndarray(format="gray"), np.float32) / np.float32(255)
    raise FileNotFoundError(f"{scene} has no matte for frame {frame}")


def codes(light: NDArray[Any]) -> NDArray[np.uint8]:
    return to_codes(np.ascontiguousarray(light, np.float32), Transfer.SRGB)


def recorded(light: NDArray[Any]) -> NDArray[np.float32]:
    """As an 8-bit camera would have it."""
    return to_light(codes(light), Transfer.SRGB)


def ground_dioptres(moment: Moment) -> NDArray[np.float32]:
    """Distances without the subject's."""
    known = cv2.erode((moment.matte < 0.004).astype(np.uint8), np.ones((3, 3), np.uint8)).astype(np.float32)
    return fill(moment.dioptres[..., None], known)[..., 0]
