"""Recovered plates beside their truth, and what they are good for: the ring around a subject through the lens."""

from __future__ import annotations

import json
from collections.abc import Iterator

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core import (
    ClipFacts,
    CutOut,
    Plate,
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
from kalyptra.truth.demo import Moment, moments
from kalyptra.truth.passing import Passing, recovered_psnr
from kalyptra.truth.tracked import TrackedClip

LEAST_RING, HALO = 2.0, 10.0
"""Px of the small pictures."""


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
