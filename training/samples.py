"""Make samples: python -m training.samples FOLDER MINUTES FIRST [WEIGHTS [KIND...]].

Each clip is made from its number, followed from a true key, and every frame's planes are kept with the true matte. The
frame before is wrong in the ways that following makes it wrong: by what the network says itself (WEIGHTS, read anew for
each clip), by what the contest says, or by a true matte that is damaged.
Where kinds are named, only clips of those are made, of the test bed's tune half.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core import one_thread_a_frame
from kalyptra.core.following.propagate.background import Surroundings
from kalyptra.core.following.propagate.contest import px_inside
from kalyptra.core.following.propagate.evidence import PLANES
from kalyptra.core.following.propagate.look import WORKING_WIDTH, looked_at
from kalyptra.core.following.propagate.state import AROUND
from kalyptra.core.following.propagate.step import Weigh
from kalyptra.core.following.propagate.subject import FollowedSubject
from kalyptra.core.matte.stored import codes_of
from kalyptra.core.window import window_of
from kalyptra.truth.motion.clip import MotionClip, Scenario, Trouble
from kalyptra.truth.motion.kinds import KINDS
from kalyptra.truth.motion.scene import Background, Camera
from training.kinds import carrying, made_up

TUNE_KINDS = ("walker", "turner", "animal", "ball", "car", "cloth")
"""The kinds of the test bed's tune half: those of the other half are never trained on."""
SEED = 3_000_000
LIKELY = {
    Trouble.OCCLUDER: 0.3, Trouble.LOOKALIKE: 0.25, Trouble.LEAVES: 0.15, Trouble.BLUR: 0.08, Trouble.EXPOSURE: 0.15,
    Trouble.LIKE_COLOURS: 0.15,
}  # fmt: skip
KEPT = 0.6
"""The share of frames that become samples: neighbours are much alike."""
DRAWN = 0.25
"""The share of clips whose key is a line that was drawn, and loose."""
CARRIES = 0.3
"""The share of clips whose subject has something before it that has the colours of the place."""
GRADED = 0.5
"""The share of clips that are seen in another light: dim, tinted, flat or steep."""
CONTEST = PLANES.index("matte of the contest")
Planes = NDArray[np.float32]


def scenario_of(number: int) -> tuple[Scenario, bool]:
    """What clip `number` is of, and whether its subject is made up."""
    rng = np.random.default_rng([number, 11])
    troubles = frozenset(trouble for trouble, share in LIKELY.items() if rng.random() < share)
    background = Background(rng.choice([place.value for place in Background]))
    camera = Camera(rng.choice([camera.value for camera in Camera]))
    # To leave and return takes its time.
    frames = 60 if Trouble.LEAVES in troubles else int(rng.choice([16, 24, 36, 48]))
    kind = str(rng.choice(TUNE_KINDS))
    scenario = Scenario(f"{number}", "training", kind, background, camera, troubles, SEED + number, frames)
    return scenario, bool(rng.random() < 0.6)


def clip_of(number: int) -> MotionClip:
    """The clip of this number: what `scenario_of` says, and of some what the subject carries."""
    scenario, unlike = scenario_of(number)
    kind = made_up(number) if unlike else None
    if np.random.default_rng([number, 29]).random() < CARRIES:
        kind = carrying(kind or KINDS[scenario.kind], number)
        scenario = replace(scenario, troubles=scenario.troubles | {Trouble.LIKE_COLOURS})
    return MotionClip(scenario, kind)


def samples_of(number: int, weigh: Weigh | None) -> Iterator[tuple[Planes, NDArray[np.float32]]]:
    """Planes and true mattes of a clip's frames, in windows."""
    clip = clip_of(number)
    rng = np.random.default_rng([number, 13])
    order = frames_of(clip, rng)
    if not order:
        return
    size = (WORKING_WIDTH, round(WORKING_WIDTH * 9 / 16))
    truth = {f: cv2.resize(clip.truth(f), size, interpolation=cv2.INTER_AREA) for f in order}
    way, drawn = rng.random(), rng.random() < DRAWN
    network, damaged = weigh is not None and way < 0.75, way > 0.6
    seen: list[Planes] = []

    def decide(planes: Planes) -> NDArray[np.float32]:
        seen.append(planes)
        return weigh(planes) if network and weigh else np.ascontiguousarray(planes[CONTEST])

    light = light_of(number)

    def picture(frame: int) -> NDArray[np.uint8]:
        return np.asarray(cv2.LUT(looked_at(clip, frame), light))

    codes, key = picture(order[0]), truth[order[0]]
    around = Surroundings(picture, order)
    subject = FollowedSubject(around, codes, loose(rng, key) if drawn else key, drawn=drawn, weigh=decide)
    for frame in order[1:]:
        window = window_of((subject.matte > 0.3).astype(np.uint8), AROUND) if subject.seen else None
        seen.clear()
        subject.step(picture(frame))
        # The first is the subject's; somebody alike who is followed beside it comes after it.
        if seen and window is not None and rng.random() < KEPT:
            yield seen[0], truth[frame][window]
        if damaged and rng.random() < 0.4:
            subject.correct(damage(rng, truth[frame], picture(frame)))


def frames_of(clip: MotionClip, rng: np.random.Generator) -> list[int]:
    """Frames to follow a clip over, ahead or back from where nearly all of its subject is seen; none if it never is."""
    whole = [frame for frame in range(clip.frames) if clip.seen(frame) > 0.8]
    if not whole:
        return []
    return list(range(whole[-1], -1, -1)) if rng.random() < 0.3 else list(range(whole[0], clip.frames))


def light_of(number: int) -> NDArray[np.uint8]:
    """(256, 1, 3) what each code of a clip becomes: of many clips the same, of the others as by another light."""
    rng = np.random.default_rng([number, 17])
    codes = np.arange(256)[:, None, None] / 255 * np.ones(3)
    if rng.random() < GRADED:
        tint = rng.uniform(0.55, 1, 3)
        codes = rng.uniform(0.2, 1) * tint / tint.max() * codes ** rng.uniform(0.75, 1.5) + rng.uniform(0, 0.06)
    return np.asarray(np.clip(255 * codes, 0, 255).round(), np.uint8)


def loose(rng: np.random.Generator, matte: NDArray[np.float32]) -> NDArray[np.float32]:
    """A matte as a line is drawn: up to two px outside of the edge, and less far here than there."""
    waves = cv2.resize(rng.normal(0, 0.6, (9, 16)).astype(np.float32), matte.shape[::-1], interpolation=cv2.INTER_CUBIC)
    smooth = cv2.GaussianBlur(px_inside(matte > 0.5) + rng.uniform(-0.3, 1.8) + waves, (0, 0), rng.uniform(0.5, 3))
    return np.asarray(np.clip(smooth + 0.5, 0, 1), np.float32)


def damage(rng: np.random.Generator, matte: NDArray[np.float32], codes: NDArray[np.uint8]) -> NDArray[np.float32]:
    """A true matte with parts lost and gained, its edge moved, or shifted as a whole."""
    height, width = matte.shape
    solid = matte > 0.5
    if not solid.any():
        return matte
    if rng.random() < 0.06:
        shift = np.array([[1, 0, rng.normal(0, 10)], [0, 1, rng.normal(0, 7)]], np.float32)
        return np.asarray(cv2.warpAffine(matte, shift, (width, height)), np.float32)
    deep = px_inside(solid)
    waves = rng.normal(0, 1, (height // 12, width // 12)).astype(np.float32)
    deep = deep + cv2.resize(waves, (width, height), interpolation=cv2.INTER_CUBIC) * rng.uniform(0, 2.5)
    deep = deep + rng.normal(0, 0.6)
    rows, columns = np.nonzero(solid)
    lab = cv2.cvtColor(codes, cv2.COLOR_RGB2LAB).astype(np.float32)
    for _ in range(int(rng.integers(0, 3))):
        at = int(rng.integers(len(rows)))
        y, x = int(rows[at]), int(columns[at])
        near = np.zeros((height, width), np.uint8)
        axes = (int(rng.integers(4, 28)), int(rng.integers(4, 28)))
        cv2.ellipse(near, (x, y), axes, float(rng.uniform(0, 180)), 0, 360, 1, -1)
        alike = cv2.blur((np.abs(lab - lab[y, x]).mean(axis=2) < rng.uniform(6, 16)).astype(np.float32), (5, 5)) > 0.5
        region = (near > 0) & (alike if rng.random() < 0.6 else True)
        deep = np.where(region, -3 if rng.random() < 0.55 else 3, deep)
    return np.asarray(cv2.GaussianBlur(np.clip(deep / 1.5 + 0.5, 0, 1).astype(np.float32), (3, 3), 0), np.float32)


def packed(planes: Planes) -> NDArray[np.uint8]:
    """Planes in 8 bits: steps of 1/48 about 0."""
    return np.round(planes * 48 + 128).astype(np.uint8)


def unpacked(codes: NDArray[np.uint8]) -> Planes:
    return np.asarray((codes.astype(np.float32) - 128) / 48, np.float32)


def write_clips(arrays_of: Callable[[int], Mapping[str, NDArray[np.uint8]]]) -> None:
    """A file a clip into the folder FOLDER for MINUTES, from number FIRST on; none of a clip without samples."""
    folder, minutes, number = Path(sys.argv[1]), float(sys.argv[2]), int(sys.argv[3])
    folder.mkdir(parents=True, exist_ok=True)
    one_thread_a_frame()
    until = time.monotonic() + 60 * minutes
    while time.monotonic() < until:
        try:
            arrays = arrays_of(number)
        except (cv2.error, ValueError) as problem:  # a made-up subject may be nothing at all
            print(number, problem, flush=True)
            arrays = {}
        if arrays:
            part = folder / f"{number:06d}.part.npz"
            np.savez_compressed(part, allow_pickle=False, **arrays)
            part.rename(folder / f"{number:06d}.npz")
        number += 1


def main() -> None:
    weights = Path(sys.argv[4]) if len(sys.argv) > 4 else None
    kinds = sys.argv[5:]

    def arrays_of(number: int) -> dict[str, NDArray[np.uint8]]:
        scenario, unlike = scenario_of(number)
        if kinds and (unlike or scenario.kind not in kinds):
            return {}
        weigh = None
        if weights and weights.exists():
            from training.network import weigh_of

            weigh = weigh_of(weights)
        arrays: dict[str, NDArray[np.uint8]] = {}
        for i, (planes, truth) in enumerate(samples_of(number, weigh)):
            arrays |= {f"x{i}": packed(planes), f"y{i}": codes_of(truth)}
        return arrays

    write_clips(arrays_of)


if __name__ == "__main__":
    main()
