"""Recovered plates beside their truth, and what they are good for: the ring around a subject through the lens."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core import (
    ClipFacts,
    CutOut,
    FootageKind,
    Picture,
    Plate,
    Rate,
    Transfer,
    at_full_size,
    follow_mattes,
    open_clip,
    recover,
    through_lens,
    to_codes,
    to_light,
)
from kalyptra.shell.benches.figure import Figure
from kalyptra.shell.benches.follow import TrackedClip
from kalyptra.shell.benches.truth import Moment, moments

GRAIN = 2.0
LEAST_RING, HALO = 2.0, 10.0
"""Px of the small pictures."""


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
        grain = np.random.default_rng(frame).normal(0, GRAIN, codes.shape)
        return Picture(np.clip(codes + grain, 0, 255).astype(np.uint8), Transfer.SRGB)

    def close(self) -> None:
        pass


def psnr(a: NDArray[Any], b: NDArray[Any], where: NDArray[np.bool_]) -> float:
    """Peak signal-to-noise ratio of codes, dB."""
    difference = (a.astype(np.float64) - b)[where]
    return float(10 * np.log10(255**2 / np.mean(np.square(difference))))


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


def run() -> Iterator[Figure]:
    wanted = (8, 24, 40)
    yield Figure(
        "recovered plate, locked camera, what was seen", recovered_psnr(Passing(0.0), wanted), "dB", 40.0, True
    )
    yield Figure(
        "recovered plate, drifting camera, what was seen", recovered_psnr(Passing(1.5), wanted), "dB", 32.0, True
    )
    yield from rings()


def rings() -> Iterator[Figure]:
    """The ring around the runner through the lens: with the plate recovered, filled, and by the naive way; all with the
    matte that Kalyptra followed from one key."""
    clip = TrackedClip("runner")
    facts = ClipFacts.model_validate(json.loads((clip.folder / "prepared.json").read_text())["facts"])
    chosen = [moment for moment in moments() if moment.name.startswith("runner")]
    frames = sorted({_frame(matte) for matte in chosen})
    plates = dict(recover(open_clip(clip.path, facts), clip.truth, 0, clip.frames - 1, wanted=frames))
    keys = {frame: clip.truth(frame) for frame in (0, 48, 80, clip.frames - 1)}
    carried = {matte.frame: matte.matte for matte in follow_mattes(keys, clip.footage, range(clip.frames))}
    gains, halos, shares = [], [], []
    for moment in chosen:
        frame = _frame(moment)
        patch = plates[frame]
        assert patch is not None
        whole = cv2.cvtColor(cv2.imread(str(clip.folder / f"plate-{frame:03d}.webp")), cv2.COLOR_BGR2RGB)
        whole = np.zeros_like(whole)
        height, width = patch.picture.shape[:2]
        place = np.s_[patch.top : patch.top + height, patch.left : patch.left + width]
        hole = np.zeros(whole.shape[:2], np.float32)
        whole[place], hole[place] = patch.picture[..., :3], patch.picture[..., 3] < 255
        size = moment.light.shape[1::-1]
        light = to_light(np.asarray(cv2.resize(whole, size, interpolation=cv2.INTER_AREA)), Transfer.SRGB)
        share = cv2.resize(hole, size, interpolation=cv2.INTER_AREA)[..., None] > 0.99
        known = np.where(share, light, moment.light).astype(np.float32)
        ours, filled = (_error(moment, _seen(moment, plate, moment.matte)) for plate in (known, None))
        gains.append(10 * np.log10(filled / ours))
        rough = at_full_size(carried[frame], _small_codes(moment)) if frame in carried else moment.matte
        naive = _seen(moment, moment.light, rough)
        mine = _seen(moment, known, rough)
        behind = through_lens(known, _behind(moment), (), moment.opening, Plate(known, _behind(moment)))
        ring = _ring(rough, HALO)
        glow = [float(np.abs(_codes(picture) - _codes(behind))[ring].mean()) for picture in (mine, naive)]
        halos.append(glow[0])
        shares.append(glow[0] / max(glow[1], 1e-6))
    yield Figure("ring beside the true lens, recovered over filled", float(np.mean(gains)), "dB", 3.0, True)
    yield Figure("halo with a followed matte, mean", float(np.mean(halos)), "of 255")
    yield Figure("halo with a followed matte, share of the naive way's", float(np.mean(shares)), "", 1 / 3)


def _frame(moment: Moment) -> int:
    return int(moment.name.split()[1])


def _small_codes(moment: Moment) -> NDArray[np.uint8]:
    return to_codes(moment.light, Transfer.SRGB)


def _behind(moment: Moment) -> NDArray[np.float32]:
    from kalyptra.core import fill

    return fill(moment.dioptres[..., None], (moment.matte < 0.02).astype(np.float32))[..., 0]


def _seen(moment: Moment, plate: NDArray[np.float32] | None, matte: NDArray[np.float32]) -> NDArray[np.float32]:
    known = Plate(plate, _behind(moment)) if plate is not None else None
    cut_out = CutOut(matte, moment.subject)
    return through_lens(moment.light, moment.dioptres, [cut_out], moment.opening, known)


def _codes(light: NDArray[np.float32]) -> NDArray[np.float64]:
    return to_codes(light, Transfer.SRGB).astype(np.float64)


def _ring(matte: NDArray[np.float32], reach: float) -> NDArray[np.bool_]:
    """What lies outside a matte, up to so many px from it."""
    away = cv2.distanceTransform((matte < 0.02).astype(np.uint8), cv2.DIST_L2, 3)
    return np.asarray((away > 0) & (away <= reach))


def _error(moment: Moment, result: NDArray[np.float32]) -> float:
    """Mean square error beside the true lens in the ring within one largest disc of the matte (2 px at least)."""
    largest = float(np.abs(moment.opening.coc(moment.dioptres, moment.light.shape[1])).max())
    ring = _ring(moment.matte, max(largest, LEAST_RING))
    return float(np.square(_codes(result) - moment.true)[ring].mean())
