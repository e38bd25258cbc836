"""Surfaces of subjects and places: photographs that come with scikit-image, and patterns made here.

Of the photographs only things are taken, none of people. What is known of their origins and licences is in the
docstrings of `skimage.data`, and for those that a network was trained on in `core/following/propagate/MODEL.md`.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.float32]
"""(height, width, 3) sRGB codes, 0 to 255."""
Colour = tuple[float, float, float]
SIDE = 512
"""Px of a made pattern."""


@lru_cache(maxsize=16)
def photograph(name: str) -> Picture:
    """A picture of scikit-image's data folder by its file name."""
    import skimage

    data = cv2.imread(str(Path(skimage.__file__).parent / "data" / name), cv2.IMREAD_COLOR)
    return np.asarray(cv2.cvtColor(data, cv2.COLOR_BGR2RGB), np.float32)


def toned(picture: Picture, colour: Colour, strength: float = 0.75) -> Picture:
    """The lights and darks of a picture in the hue of a colour."""
    grey = picture.mean(axis=2, keepdims=True)
    own = grey / max(float(grey.mean()), 1.0) * np.array(colour, np.float32)
    return np.asarray(np.clip(picture * (1 - strength) + own * strength, 0, 255), np.float32)


def noise(rng: np.random.Generator, size: tuple[int, int], coarse: float, octaves: int = 4) -> NDArray[np.float32]:
    """(height, width) smooth noise about 0, spread about 1: each octave half as wide and half as strong."""
    out = np.zeros(size, np.float32)
    for i in range(octaves):
        wide = max(coarse / 2**i, 1.0)
        small = rng.normal(0, 1, (int(size[0] / wide) + 3, int(size[1] / wide) + 3)).astype(np.float32)
        out += cv2.resize(small, size[::-1], interpolation=cv2.INTER_CUBIC) / np.float32(2**i)
    return np.asarray(out / max(float(out.std()), 1e-6), np.float32)


def _mixed(share: NDArray[np.float32], low: Colour, high: Colour) -> Picture:
    share = np.clip(share, 0, 1)[..., None]
    return np.asarray(np.array(low, np.float32) * (1 - share) + np.array(high, np.float32) * share, np.float32)


def cloudy(rng: np.random.Generator, colour: Colour) -> Picture:
    """Worn cloth, plaster."""
    return toned(_mixed(0.5 + 0.22 * noise(rng, (SIDE, SIDE), 60, 5), (70, 70, 70), (190, 190, 190)), colour, 1.0)


def striped(rng: np.random.Generator, colour: Colour) -> Picture:
    x = np.arange(SIDE, dtype=np.float32)[None].repeat(SIDE, axis=0)
    bars = 0.5 + 0.4 * np.sign(np.sin(x / rng.uniform(5, 14))) + 0.06 * noise(rng, (SIDE, SIDE), 8, 2)
    return _mixed(bars.astype(np.float32), tuple(0.55 * c for c in colour), colour)  # type: ignore[arg-type]


def plaid(rng: np.random.Generator, colour: Colour) -> Picture:
    y, x = np.mgrid[0:SIDE, 0:SIDE].astype(np.float32)
    a, b = (np.sin(axis / rng.uniform(6, 18)) > 0.2 for axis in (x, y))
    return _mixed((0.35 * a + 0.35 * b + 0.1).astype(np.float32), tuple(0.5 * c for c in colour), colour)  # type: ignore[arg-type]


def plain(rng: np.random.Generator, colour: Colour) -> Picture:
    return _mixed(0.5 + 0.08 * noise(rng, (SIDE, SIDE), 120, 2), tuple(0.9 * c for c in colour), colour)  # type: ignore[arg-type]


def spotted(rng: np.random.Generator, colour: Colour) -> Picture:
    dots = np.zeros((SIDE, SIDE), np.float32)
    for x, y, r in zip(*rng.integers(0, SIDE, (2, 260)), rng.integers(3, 12, 260), strict=True):
        cv2.circle(dots, (int(x), int(y)), int(r), 1.0, -1, cv2.LINE_AA)
    return _mixed(dots, colour, tuple(min(255, 0.45 * c + 120) for c in colour))  # type: ignore[arg-type]


def cells(rng: np.random.Generator, colour: Colour) -> Picture:
    """Stones, scales: each place in the shade of the nearest of many points."""
    seeds = rng.integers(0, SIDE, (420, 2))
    mask = np.full((SIDE, SIDE), 255, np.uint8)
    mask[seeds[:, 0], seeds[:, 1]] = 0
    away, labels = cv2.distanceTransformWithLabels(mask, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    shades = rng.uniform(0.2, 0.9, int(labels.max()) + 1).astype(np.float32)
    return _mixed(shades[labels] - 0.03 * away, tuple(0.4 * c for c in colour), colour)  # type: ignore[arg-type]


def woven(rng: np.random.Generator, colour: Colour) -> Picture:
    y, x = np.mgrid[0:SIDE, 0:SIDE].astype(np.float32)
    step = float(rng.uniform(3, 7))
    threads = 0.5 + 0.25 * np.sin(x / step) * np.sin(y / step) + 0.07 * noise(rng, (SIDE, SIDE), 30, 3)
    return _mixed(threads.astype(np.float32), tuple(0.6 * c for c in colour), colour)  # type: ignore[arg-type]


def blotched(rng: np.random.Generator, colour: Colour) -> Picture:
    patches = (noise(rng, (SIDE, SIDE), 45, 2) > 0.2).astype(np.float32)
    return _mixed(cv2.GaussianBlur(patches, (0, 0), 1.5), colour, tuple(0.5 * c for c in colour))  # type: ignore[arg-type]


def streaked(rng: np.random.Generator, colour: Colour) -> Picture:
    """Wood, hair, brushed metal: noise drawn out in one direction."""
    rows, columns = (int(v) for v in rng.integers(2, 40, 2))
    small = rng.normal(0, 1, (rows * 8, columns * 8)).astype(np.float32)
    fine = cv2.resize(small, (SIDE, SIDE), interpolation=cv2.INTER_LINEAR)
    return _mixed(0.5 + rng.uniform(0.05, 0.3) * fine, tuple(0.4 * c for c in colour), colour)  # type: ignore[arg-type]


def shaded(rng: np.random.Generator, colour: Colour) -> Picture:
    """Something round in a light from the side."""
    y, x = np.mgrid[0:SIDE, 0:SIDE].astype(np.float32) / SIDE
    light = 0.5 + 0.5 * np.sin(rng.uniform(2, 9) * (x * rng.normal() + y * rng.normal()) + rng.uniform(0, 6))
    return _mixed(light + 0.05 * noise(rng, (SIDE, SIDE), 20, 3), tuple(0.35 * c for c in colour), colour)  # type: ignore[arg-type]


def photographed(rng: np.random.Generator, colour: Colour) -> Picture:
    """A piece of a photograph in a colour."""
    names = PLACES["training"]
    picture = photograph(names[int(rng.integers(len(names)))])
    side = int(min(*picture.shape[:2], rng.integers(90, 300)))
    y, x = (int(rng.integers(size - side + 1)) for size in picture.shape[:2])
    piece = cv2.resize(picture[y : y + side, x : x + side], (SIDE, SIDE), interpolation=cv2.INTER_LINEAR)
    return toned(piece, colour, float(rng.uniform(0.2, 0.9)))


PATTERNS: dict[str, tuple[Callable[[np.random.Generator, Colour], Picture], ...]] = {
    "tune": (cloudy, striped, plaid, plain),
    "test": (spotted, cells, woven, blotched),
    "training": (cloudy, striped, plaid, plain, streaked, shaded, photographed),
}
PLACES: dict[str, tuple[str, ...]] = {
    "tune": ("gravel.png", "coffee.png", "coins.png"),
    "test": ("brick.png", "grass.png", "hubble_deep_field.jpg"),
    "training": ("gravel.png", "coffee.png", "coins.png", "ihc.png", "retina.jpg"),
}
"""Photographs that places are made of; what is trained on shares nothing with the test half."""
PHOTOGRAPHED = 0.5
"""The share of places that are photographs; the others are put together here."""


def surface(rng: np.random.Generator, half: str, colour: Colour, contrast: float = 1.0) -> Picture:
    """A surface of a half of the test bed, in a colour; with little contrast for skin and hair."""
    patterns = PATTERNS[half]
    made = patterns[int(rng.integers(len(patterns)))](rng, colour)
    mean = made.mean(axis=(0, 1), keepdims=True)
    return np.asarray(mean + (made - mean) * np.float32(contrast), np.float32)


def busy(rng: np.random.Generator, half: str, size: tuple[int, int]) -> Picture:
    """A wall with many things before it: boards, pipes and signs without a word, of the half's surfaces."""
    wall = surface(rng, half, tuple(rng.uniform(60, 180, 3)))  # type: ignore[arg-type]
    out = np.tile(wall, (size[0] // SIDE + 1, size[1] // SIDE + 1, 1))[: size[0], : size[1]].copy()
    faces = [surface(rng, half, tuple(rng.uniform(30, 220, 3))) for _ in range(6)]  # type: ignore[arg-type]
    for _ in range(70):
        x, y = int(rng.integers(-80, size[1])), int(rng.integers(-80, size[0]))
        wide, high = (int(v) for v in rng.integers(14, 260, 2))
        rows, columns = (
            slice(max(0, y), max(0, min(size[0], y + high))),
            slice(max(0, x), max(0, min(size[1], x + wide))),
        )
        part = out[rows, columns]
        if part.size:
            part[:] = faces[int(rng.integers(6))][: part.shape[0], : part.shape[1]] * np.float32(rng.uniform(0.6, 1.1))
    return np.asarray(out, np.float32)


def place(rng: np.random.Generator, half: str, size: tuple[int, int], colour: Colour | None = None) -> Picture:
    """A large picture of a place, (height, width); toned where a colour is given."""
    names = PLACES[half]
    photographed = rng.random() < PHOTOGRAPHED
    picture = photograph(names[int(rng.integers(len(names)))]) if photographed else busy(rng, half, size)
    scale = max(size[0] / picture.shape[0], size[1] / picture.shape[1])
    large = cv2.resize(picture, None, fx=scale, fy=scale, interpolation=cv2.INTER_CUBIC)[: size[0], : size[1]]
    if rng.random() < 0.5:
        large = large[:, ::-1]
    large = np.asarray(np.clip(cv2.GaussianBlur(large, (0, 0), max(scale * 0.35, 0.6)), 0, 255), np.float32)
    return toned(large, colour, 0.6) if colour else np.ascontiguousarray(large)
