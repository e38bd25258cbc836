"""Edges on the test bed, seen through a lens: of mattes that were followed, and of outlines that were drawn loosely.

What is behind opens to a disc of 24 px. Beside the exact picture stands what comes of the matte, and what comes of the
true one in its place, behind it a filled plate in both. Clips with something before the subject are left out: the exact
picture is of two layers. `KALYPTRA_MOTION_CLIPS` and `KALYPTRA_MOTION_SEED` are as in `motion.py`.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core import (
    EDGE_OF_DRAWN,
    EDGE_OF_FOUND,
    PLATE_GROWTH,
    CutOut,
    Edge,
    KnownPlate,
    Opening,
    Plate,
    Refine,
    ThinLens,
    Transfer,
    clean_plate,
    coverage_of,
    edged,
    eight_bits,
    fill,
    follow_mattes,
    laid_over,
    recover,
    through_lens,
    to_codes,
    to_light,
)
from kalyptra.shell.benches.figure import Figure
from kalyptra.truth.measures import psnr
from kalyptra.truth.motion import Half, MotionClip, clips
from kalyptra.truth.motion.clip import Trouble
from kalyptra.truth.motion.scene import RATE

Values = NDArray[np.float32]
DISC = 24.0
"""Px that a point behind opens to."""
BAND, RING, QUIET = 14, (1, 10), 6
"""Px on either side of the true edge that are compared; px outside of it where a halo is looked for; px around it where
an edge has to be quiet."""
EVERY = 12
PART, OFF, NEAR, LASTING = 64, 3.0, 25, 3
"""Px that a part has at least, px from the true edge that it is off, px within which it is the same one a frame later,
and frames that it has to last to be no flicker."""
LOOSE = (1.0, 6.0)
"""Px that a line drawn by hand lies outside of the edge, here less and there more."""


class Seen(NamedTuple):
    """Of one frame, for its matte and for the true one: dB, halo in codes, and how much the edge changed."""

    psnr: float
    true_psnr: float
    halo: float
    true_halo: float
    restless: float
    true_restless: float


def run() -> Iterator[Figure]:
    most = int(os.environ.get("KALYPTRA_MOTION_CLIPS", "99"))
    seed = int(os.environ.get("KALYPTRA_MOTION_SEED", "0"))
    for half in Half:
        goals = half is Half.TEST
        plain = [c for c in clips(half, seed=seed) if not c.scenario.troubles & {Trouble.OCCLUDER, Trouble.LOOKALIKE}]
        for name, way in (("followed", followed), ("drawn loosely", drawn)):
            mattes = [(clip, way(clip)) for clip in plain[:most]]
            seen = [frame for clip, found in mattes for frame in _seen(clip, found)]
            mean = Seen(*np.mean(seen, axis=0))
            title = f"{half}, {name}"
            yield Figure(f"{title}, PSNR at the edge", mean.psnr, "dB")
            yield Figure(f"{title}, below the true matte's", mean.true_psnr - mean.psnr, "dB", 3.0 if goals else None)
            yield Figure(f"{title}, halo", mean.halo, "codes", 1.5 if goals else None)
            yield Figure(f"{title}, halo of the true matte", mean.true_halo, "codes")
            if way is followed:
                apart, left = np.mean([frame for clip, found in mattes for frame in _recovered(clip, found)], axis=0)
                yield Figure(f"{title}, PSNR at the edge with the plate recovered", apart, "dB")
                yield Figure(f"{title}, halo with the plate recovered", left, "codes", 1.5 if goals else None)
                often = (
                    80 * sum(flickers(clip, found) for clip, found in mattes) / sum(len(found) for _, found in mattes)
                )
                yield Figure(f"{title}, parts that flicker in 80 frames", often, "", 0.0 if goals else None)
            restless = mean.restless / mean.true_restless
            yield Figure(f"{title}, change along the motion beside the truth's", restless, "", 1.3 if goals else None)


def followed(clip: MotionClip) -> dict[int, Values]:
    """Mattes from one true key, by frame."""
    key = next(frame for frame in range(clip.frames) if clip.seen(frame) > 0.9)
    steps = follow_mattes({key: clip.truth(key)}, clip, range(key, clip.frames))
    return {step.frame: _with_edge(clip, step.frame, step.matte) for step in steps}


def _with_edge(clip: MotionClip, frame: int, matte: NDArray[np.uint8]) -> Values:
    codes = eight_bits(clip.picture(frame).codes)
    refine = Refine(edge=Edge.FAST, edge_width=clip.width * EDGE_OF_FOUND)
    return edged(laid_over(coverage_of(matte), (codes.shape[0], codes.shape[1])), codes, refine, 1.0, True)


def drawn(clip: MotionClip) -> dict[int, Values]:
    """What comes of lines that lie loosely around the subject, by frame."""
    out = {}
    for frame in (at + back for at in range(EVERY, clip.frames, EVERY) for back in (-1, 0)):
        codes = eight_bits(clip.picture(frame).codes)
        refine = Refine(edge=Edge.FAST, edge_width=clip.width * EDGE_OF_DRAWN)
        out[frame] = edged(loosened(clip.truth(frame)), codes, refine, 1.0, True, drawn=True)
    return out


def loosened(truth: Values) -> Values:
    """A matte with a hard edge some px outside of the true one; how many changes slowly along it and not from frame to
    frame."""
    waves = np.random.default_rng(4).uniform(0, 1, (truth.shape[0] // 40, truth.shape[1] // 40)).astype(np.float32)
    waves = np.clip(cv2.resize(waves, truth.shape[::-1], interpolation=cv2.INTER_CUBIC), 0, 1)
    return np.asarray(np.clip(0.5 - (_to_edge(truth) - LOOSE[0] - (LOOSE[1] - LOOSE[0]) * waves), 0, 1), np.float32)


def _seen(clip: MotionClip, mattes: dict[int, Values]) -> Iterator[Seen]:
    for frame in _looked_at(clip, mattes):
        made = [_through_lens(clip, frame, matte) for matte in (mattes[frame], clip.truth(frame))]
        apart, halos = zip(*(_compared(clip, frame, picture) for picture in made), strict=True)
        quiet = [_restless(clip, frame, mattes), _restless(clip, frame, {f: clip.truth(f) for f in (frame - 1, frame)})]
        yield Seen(*apart, *halos, *quiet)


def _looked_at(clip: MotionClip, mattes: dict[int, Values]) -> list[int]:
    """Frames that are compared: each has a matte before it, and shows the subject."""
    return [frame for frame in mattes if frame % EVERY == 0 and frame - 1 in mattes and clip.seen(frame) >= 0.5]


def _recovered(clip: MotionClip, mattes: dict[int, Values]) -> Iterator[tuple[float, float]]:
    """Of one frame, dB and halo, with the plate recovered from the frames around."""
    span, wanted = (min(mattes), max(mattes)), _looked_at(clip, mattes)
    for frame, patch in recover(clip, mattes.__getitem__, *span, PLATE_GROWTH * clip.width, wanted=wanted):
        known = None
        if patch is not None:
            size = mattes[frame].shape
            known = KnownPlate.patch(patch.picture, (patch.left, patch.top), size, 1.0, Transfer.SRGB)
        yield _compared(clip, frame, _through_lens(clip, frame, mattes[frame], known))


def _compared(clip: MotionClip, frame: int, made: Values) -> tuple[float, float]:
    """PSNR around the true edge in dB, and halo in codes."""
    truth, exact = clip.truth(frame), clip.through_lens(frame, DISC)
    apart = psnr(made, exact, np.abs(_to_edge(truth)) < BAND)
    return apart, halo(made - exact, truth, clip.subject(frame / RATE)[0], exact)


def _through_lens(clip: MotionClip, frame: int, matte: Values, known: KnownPlate | None = None) -> Values:
    """The product's picture: the subject in focus at 1 m, all else far enough to open to the disc."""
    focal, sensor = 0.05, 0.036
    lens = ThinLens(focal, focal**2 * clip.width / ((1 - focal) * sensor * DISC), 1.0, sensor)
    light = to_light(clip.picture(frame).codes, Transfer.SRGB)
    far = np.full(matte.shape, 1e-6, np.float32)
    plate = Plate(*clean_plate(light, far, [matte], PLATE_GROWTH * clip.width, known, nearest=[1.0]))
    made = through_lens(light, far, [CutOut(matte, 1.0)], Opening(lens), plate)
    return to_codes(made, Transfer.SRGB).astype(np.float32)


def halo(error: Values, truth: Values, own: Values, exact: Values) -> float:
    """Mean error towards the subject's colour just outside of it, codes. Colours are those around, not the pixel's own:
    a picture that is merely smoother is no halo."""
    outside = (truth < 0.02).astype(np.float32)
    share = np.maximum(cv2.blur(outside, (61, 61)), 1e-3)[..., None]
    around = cv2.blur(exact * outside[..., None], (61, 61)) / share
    inside = cv2.blur(fill(np.ascontiguousarray(own), (truth > 0.95).astype(np.float32)), (31, 31))
    towards = (inside - around) / np.maximum(np.linalg.norm(inside - around, axis=2, keepdims=True), 20)
    away = _to_edge(truth)
    ring = (away > RING[0]) & (away < RING[1]) & (outside > 0)
    return float((error * towards).sum(axis=2)[ring].mean())


def flickers(clip: MotionClip, mattes: dict[int, Values]) -> int:
    """How many wrong parts, too much or too little, come and are gone again within a few frames."""
    count, before = 0, list[tuple[NDArray[np.uint8], int]]()
    for frame in sorted(mattes):
        truth = clip.truth(frame)
        wrong = ((mattes[frame] > 0.5) != (truth > 0.5)) & (np.abs(_to_edge(truth)) > OFF)
        number, labels, sizes, _ = cv2.connectedComponentsWithStats(wrong.astype(np.uint8))
        parts = [(labels == i).astype(np.uint8) for i in range(1, number) if sizes[i, cv2.CC_STAT_AREA] >= PART]
        wide = [cv2.dilate(part, np.ones((2 * NEAR + 1, 2 * NEAR + 1), np.uint8)) for part in parts]
        count += sum(age < LASTING and not any((was & part).any() for part in parts) for was, age in before)
        ages = [1 + max((age for was, age in before if (was & part).any()), default=0) for part in parts]
        before = list(zip(wide, ages, strict=True))
    return count


def _restless(clip: MotionClip, frame: int, mattes: dict[int, Values]) -> float:
    """Mean change of a matte around the true edge, once the picture's motion is taken out."""
    before, after = (cv2.cvtColor(clip.picture(f).codes, cv2.COLOR_RGB2GRAY) for f in (frame - 1, frame))
    flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM).calc(after, before, None)
    y, x = np.indices(after.shape, np.float32)
    moved = cv2.remap(mattes[frame - 1], x + flow[..., 0], y + flow[..., 1], cv2.INTER_LINEAR)
    return float(np.abs(mattes[frame] - moved)[np.abs(_to_edge(clip.truth(frame))) < QUIET].mean())


def _to_edge(truth: Values) -> Values:
    """Px from each pixel to the edge, negative inside."""
    solid = (truth > 0.5).astype(np.uint8)
    outside, inside = (cv2.distanceTransform(part, cv2.DIST_L2, 5) for part in (1 - solid, solid))
    return np.asarray(outside - inside, np.float32)
