"""A made clip: what a camera records of a subject that moves, with all that is true about it."""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core import ClipFacts, FootageKind, Picture, Rate, Transfer
from kalyptra.truth.motion import surfaces
from kalyptra.truth.motion.kinds import COATS, HAIR, KINDS, SKIN, TROUSERS, Kind
from kalyptra.truth.motion.puppet import Part
from kalyptra.truth.motion.scene import (
    HEIGHT,
    RATE,
    WIDTH,
    Aim,
    Background,
    Camera,
    Place,
    aim_at,
    laid_over,
    lay,
    reached,
)

Matte = NDArray[np.float32]
SHUTTER, EXPOSURES = 0.5, 5
"""Share of a frame's time in which the shutter is open, and in how many instants it is made of where things blur."""
GRAIN = 2.4
"""Standard deviation of the grain, codes of 255."""
QUALITY = 24
"""Of H.264, as a phone or a drone writes it (common practice, no source)."""


class Trouble(StrEnum):
    OCCLUDER = "occluder"
    LOOKALIKE = "look-alike"
    LEAVES = "leaves and returns"
    BLUR = "motion blur"
    EXPOSURE = "exposure drift"
    LIKE_COLOURS = "like colours"


@dataclass(frozen=True)
class Scenario:
    """What a clip is of. Its half chooses the surfaces, its seed everything else."""

    name: str
    half: str
    kind: str
    background: Background
    camera: Camera
    troubles: frozenset[Trouble]
    seed: int
    frames: int = 80


@dataclass
class MotionClip:
    """A scenario as a source of pictures (960 x 540, sRGB, coded), with its truth."""

    scenario: Scenario
    own_kind: Kind | None = None
    """A kind that is in no list, for training."""
    only: int | None = None
    """How many of its first frames are recorded; None for all of them."""
    frames: int = field(init=False)
    width: int = field(init=False, default=WIDTH)

    def __post_init__(self) -> None:
        made = self.scenario
        self.frames = made.frames if self.only is None else self.only
        self.facts = ClipFacts(
            kind=FootageKind.SEQUENCE, container="made", codec="made", width=WIDTH, height=HEIGHT,
            rate=Rate(numerator=RATE, denominator=1), frames=self.frames, transfer=Transfer.SRGB, bits=8,
        )  # fmt: skip
        rng = np.random.default_rng([made.seed, len(made.name)])
        self._kind: Kind = self.own_kind or KINDS[made.kind]
        colours = list(self._kind.colours)
        if len(colours) >= 5:  # people wear several clothes
            colours[1], colours[2] = COATS[int(rng.integers(len(COATS)))], TROUSERS[int(rng.integers(len(TROUSERS)))]
        self._traits = rng.uniform(0, 1, 12)
        self._faces = [
            surfaces.surface(rng, made.half, colour, 0.25 if colour in (SKIN, HAIR) else 1.0) for colour in colours
        ]
        alike = colours[min(1, len(colours) - 1)] if Trouble.LIKE_COLOURS in made.troubles else None
        self._place = Place(made.background, made.half, rng, alike)
        self._post = surfaces.surface(rng, made.half, tuple(rng.uniform(60, 150, 3)))
        self._other = rng.uniform(0, 1, 12)
        self._ahead = bool(rng.random() < 0.5)

    # What a page or a follower asks of footage.

    def picture(self, frame: int) -> Picture:
        return Picture(self._coded[frame], Transfer.SRGB)

    def close(self) -> None:
        pass

    # The truth.

    def truth(self, frame: int) -> Matte:
        """(height, width) what of the subject is seen, 0 to 1."""
        return self._recorded[1][frame].astype(np.float32) / np.float32(255)

    def seen(self, frame: int) -> float:
        """The share of the subject that is seen; what an occluder hides or the picture cuts off is not."""
        return float(self._recorded[2][frame])

    def clean(self, frame: int) -> surfaces.Picture:
        """(height, width, 3) the same without the subject and without grain, sRGB codes."""
        seconds = frame / RATE
        aim = self._aim(seconds)
        out = self._place.picture(aim, seconds)
        self._lay_others(out, aim, seconds, ahead=False)
        return out

    def through_lens(self, frame: int, disc: float) -> surfaces.Picture:
        """What a lens focused at the subject would show, codes: two layers, so that it is exact.

        Args:
            disc: diameter in px that everything behind opens to.

        Raises:
            ValueError: something lies before the subject, whose blur would be a third layer.
        """
        if {Trouble.OCCLUDER, Trouble.LOOKALIKE} & self.scenario.troubles:
            raise ValueError("something lies before the subject")
        light = _light(self.clean(frame))
        blurred = cv2.filter2D(light, -1, disc_kernel(disc), borderType=cv2.BORDER_REPLICATE)
        colour, matte = self.subject(frame / RATE)
        whole = blurred * (1 - matte[..., None]) + _light(colour) * matte[..., None]
        return _codes(whole)

    # How it is made.

    def _aim(self, seconds: float) -> Aim:
        made = self.scenario
        return aim_at(made.camera, seconds, made.seed, 0.75 * self._speed)

    @property
    def _speed(self) -> float:
        """Px a second that the subject goes; before a camera that stays no farther than it sees."""
        fast = self._kind.pace * self._kind.height * (1.6 if Trouble.BLUR in self.scenario.troubles else 1.0)
        most = WIDTH * (1.9 if self.scenario.camera is Camera.PAN else 0.55) / (self.scenario.frames / RATE)
        return min(fast, most)

    def _standing(self, seconds: float) -> NDArray[np.float64]:
        """(3, 3) from the subject's lengths to the world."""
        size, pace = self._kind.height, self._kind.pace
        high = HEIGHT - 12 if not pace and size > 250 else HEIGHT * 0.88
        if Trouble.LEAVES in self.scenario.troubles:
            whole = self.scenario.frames / RATE
            out = WIDTH / 2 + size
            # It starts and stops gently: nothing jumps.
            x = WIDTH * 0.5 + out * np.sin(np.pi * np.clip((seconds / whole - 0.1) / 0.8, 0, 1)) ** 2
            faces = 1.0 if seconds < whole / 2 else -1.0
        else:
            x = WIDTH * (0.24 if pace else 0.5) + self._speed * seconds + (0 if pace else 40 * np.sin(0.8 * seconds))
            faces = 1.0
        return np.array([[size * (faces if pace else 1.0), 0, x], [0, size, high], [0, 0, 1.0]])

    def subject(self, seconds: float) -> tuple[surfaces.Picture, Matte]:
        """Its colour wherever it reaches, and its coverage with nothing before it."""
        out = np.zeros((HEIGHT, WIDTH, 3), np.float32)
        aim = self._aim(seconds)
        matrix = aim.matrix() @ self._standing(seconds)
        covered = lay(out, self._kind.parts(seconds, self._traits), self._faces, self._kind.height, matrix, 0.5)
        window = reached(covered)
        out[window] /= np.maximum(covered[window], 1e-6)[..., None]
        return out, covered

    def _lay_others(self, out: surfaces.Picture, aim: Aim, seconds: float, ahead: bool) -> Matte:
        """The look-alike and the post, whichever lie on that side of the subject; what they cover."""
        covered = np.zeros(out.shape[:2], np.float32)
        size = self._kind.height
        if Trouble.LOOKALIKE in self.scenario.troubles and ahead == self._ahead:
            start, pace = WIDTH * 0.86, -max(0.8 * self._kind.pace, 0.4) * size
            at = np.array(
                [[-size, 0, start + pace * seconds], [0, size, HEIGHT * (0.9 if ahead else 0.86)], [0, 0, 1.0]]
            )
            covered = lay(out, self._kind.parts(seconds + 0.7, self._other), self._faces, size, aim.matrix() @ at, 0.5)
        if ahead and Trouble.OCCLUDER in self.scenario.troubles:
            x = (
                WIDTH * 0.24 + self._speed * self.scenario.frames / RATE / 2
                if self._kind.pace
                else WIDTH * 0.5 + 120 - 90 * seconds
            )
            wide = 46 + 40 * self._other[5]
            post = Part(
                np.array([(x, -300.0), (x + wide, -300.0), (x + wide, HEIGHT + 300.0), (x, HEIGHT + 300.0)]),
                0,
                (x, 0.0),
            )
            covered = np.maximum(covered, lay(out, [post], [self._post], 1.0, aim.matrix(1.1), 1.0))
        return covered

    def instant(self, seconds: float) -> tuple[surfaces.Picture, Matte, Matte]:
        """Codes, what of the subject is seen, and its whole coverage, at an instant."""
        aim = self._aim(seconds)
        out = self._place.picture(aim, seconds)
        self._lay_others(out, aim, seconds, ahead=False)
        colour, matte = self.subject(seconds)
        window = reached(matte)
        laid_over(out[window], colour[window], matte[window])
        before = self._lay_others(out, aim, seconds, ahead=True)
        return out, np.asarray(matte * (1 - before), np.float32), matte

    @cached_property
    def _recorded(self) -> tuple[list[NDArray[np.uint8]], list[NDArray[np.uint8]], list[float]]:
        """Pictures with grain, mattes as codes, and seen shares."""
        made = self.scenario
        times = np.linspace(-SHUTTER / 2, SHUTTER / 2, EXPOSURES) / RATE if Trouble.BLUR in made.troubles else [0.0]
        pictures, mattes, shares = [], [], []
        full = max(float(self.subject(frame / RATE)[1].sum()) for frame in range(0, made.frames, 8))
        for frame in range(self.frames):
            instants = [self.instant(max(0.0, frame / RATE + away)) for away in times]
            light = np.mean([_light(codes) for codes, _, _ in instants], axis=0) if len(instants) > 1 else None
            codes = _codes(np.asarray(light, np.float32)) if light is not None else instants[0][0]
            seen = np.mean([visible for _, visible, _ in instants], axis=0) if len(instants) > 1 else instants[0][1]
            whole = float(np.mean([matte.sum() for _, _, matte in instants]))
            if Trouble.EXPOSURE in made.troubles:
                codes = codes * np.float32(1 + 0.22 * np.sin(2 * np.pi * frame / made.frames))
            pictures.append(grained(codes, np.random.default_rng([made.seed, frame]), GRAIN))
            mattes.append(np.round(np.clip(seen, 0, 1) * 255).astype(np.uint8))
            shares.append(min(1.0, float(seen.sum()) / max(whole, 0.35 * full, 1.0)))
        return pictures, mattes, shares

    @cached_property
    def _coded(self) -> list[NDArray[np.uint8]]:
        return recorded(self._recorded[0])


def grained(codes: surfaces.Picture, rng: np.random.Generator, grain: float) -> NDArray[np.uint8]:
    """A picture as codes with grain of a standard deviation."""
    whole = rng.normal(0, grain, codes.shape)
    whole += codes
    return np.clip(whole, 0, 255, out=whole).astype(np.uint8)


def recorded(pictures: Sequence[NDArray[np.uint8]]) -> list[NDArray[np.uint8]]:
    """Pictures, (height, width, 3) RGB, as they come out of a camera's file.

    Without B frames: with them the coder's result depends on how busy the machine is.
    """
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "clip.mp4"
        with av.open(str(path), "w") as container:
            stream = container.add_stream(
                "libx264", rate=RATE, options={"crf": str(QUALITY), "preset": "veryfast", "bf": "0", "threads": "1"}
            )
            stream.width, stream.height, stream.pix_fmt = pictures[0].shape[1], pictures[0].shape[0], "yuv420p"
            for codes in pictures:
                container.mux(stream.encode(av.VideoFrame.from_ndarray(codes, format="rgb24")))
            container.mux(stream.encode())
        with av.open(str(path)) as container:
            return [picture.to_ndarray(format="rgb24") for picture in container.decode(video=0)]


def disc_kernel(diameter: float) -> Matte:
    """How a disc of so many px covers the pixels around its middle, sum 1; 16 x 16 samples a pixel."""
    reach, fine = int(np.ceil(diameter / 2 + 0.5)), 16
    side = 2 * reach + 1
    at = (np.arange(side * fine) + 0.5) / fine - side / 2
    inside = (at[:, None] ** 2 + at[None] ** 2 <= (diameter / 2) ** 2).astype(np.float32)
    covered = inside.reshape(side, fine, side, fine).mean(axis=(1, 3))
    return np.asarray(covered / covered.sum(), np.float32)


def _light(codes: surfaces.Picture) -> surfaces.Picture:
    """sRGB codes as linear light. Source: IEC 61966-2-1; not the product's own, which this judges."""
    value = np.clip(codes, 0, 255) / np.float32(255)
    return np.asarray(np.where(value <= 0.04045, value / 12.92, ((value + 0.055) / 1.055) ** 2.4), np.float32)


def _codes(light: surfaces.Picture) -> surfaces.Picture:
    value = np.clip(light, 0, 1)
    return np.asarray(np.where(value <= 0.0031308, value * 12.92, 1.055 * value ** (1 / 2.4) - 0.055) * 255, np.float32)
