"""Where a clip plays: a camera, the place behind the subject, and how puppets are drawn."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.truth.motion import surfaces
from kalyptra.truth.motion.kinds import COATS, KINDS
from kalyptra.truth.motion.puppet import Part
from kalyptra.truth.motion.surfaces import Colour, Picture

WIDTH, HEIGHT, RATE = 960, 540, 25
FINE = 4
"""Parts are drawn at so many times the size: their coverage is exact to about 1/16."""
SPARE = 420
"""Px that a place reaches beyond the picture on every side."""


class Camera(StrEnum):
    LOCKED = "locked"
    HANDHELD = "handheld"
    PAN = "pan"
    PUSH = "push"


class Background(StrEnum):
    FLAT = "flat"
    DEPTH = "depth"
    WATER = "water"
    LEAVES = "leaves"
    PEOPLE = "people"


@dataclass(frozen=True)
class Aim:
    """Where the camera looks at a moment: px to the right and down, how close, and its roll in radians."""

    x: float
    y: float
    zoom: float
    roll: float

    def matrix(self, parallax: float = 1.0) -> NDArray[np.float64]:
        """(2, 3) from the world, px of the first frame's picture, to this picture; far things move less."""
        zoom = 1 + (self.zoom - 1) * parallax
        c, s = zoom * np.cos(self.roll), zoom * np.sin(self.roll)
        middle = np.array([WIDTH / 2, HEIGHT / 2])
        turn = np.array([[c, -s], [s, c]])
        shift = middle - turn @ (middle + parallax * np.array([self.x, self.y]))
        return np.concatenate([turn, shift[:, None]], axis=1)


def aim_at(camera: Camera, seconds: float, seed: int, follow: float) -> Aim:
    """The camera at a moment. `follow` is px a second that it pans along."""
    rng = np.random.default_rng(seed)
    phase = rng.uniform(0, 2 * np.pi, 6)
    x = y = roll = 0.0
    zoom = 1.0
    if camera is not Camera.LOCKED:  # whoever does not stand on a tripod shakes a little
        much = 1.0 if camera is Camera.HANDHELD else 0.35
        x = much * (7 * np.sin(1.9 * seconds + phase[0]) + 2.2 * np.sin(7.3 * seconds + phase[1]))
        y = much * (5 * np.sin(2.3 * seconds + phase[2]) + 1.8 * np.sin(8.1 * seconds + phase[3]))
        roll = much * 0.006 * np.sin(1.4 * seconds + phase[4])
    if camera is Camera.PAN:
        x += follow * seconds
    if camera is Camera.PUSH:
        zoom = 1 + 0.09 * seconds
    return Aim(x, y, zoom, roll)


class Place:
    """What lies behind the subject.

    Args:
        colour: of the subject, where the place shall be alike.
    """

    def __init__(self, kind: Background, half: str, rng: np.random.Generator, colour: Colour | None) -> None:
        self.kind = kind
        size = (HEIGHT + 2 * SPARE, WIDTH + 2 * SPARE)
        self._far = surfaces.place(rng, half, size, colour)
        deep = kind in (Background.DEPTH, Background.PEOPLE)
        self._near = surfaces.place(rng, half, size, colour) if deep else self._far
        self._things = [
            (float(rng.uniform(-SPARE, WIDTH + SPARE)), float(rng.uniform(60, 190)), float(rng.uniform(0.45, 0.8)),
             surfaces.surface(rng, half, tuple(rng.uniform(50, 190, 3))))
            for _ in range(7 if kind is Background.DEPTH else 0)
        ]  # fmt: skip
        self._leaves = rng.uniform(0, 1, (170, 5))
        self._people = [self._passer(half, rng) for _ in range(3 if kind is Background.PEOPLE else 0)]

    def _passer(self, half: str, rng: np.random.Generator) -> tuple[list[Picture], NDArray[np.float64], float, float]:
        """Somebody far behind: surfaces, traits, where they begin, and px a second."""
        skin, _, *rest = KINDS["walker"].colours
        colours = (skin, COATS[int(rng.integers(len(COATS)))], *rest)
        faces = [surfaces.surface(rng, half, colour) for colour in colours]
        return (
            faces,
            rng.uniform(0, 1, 8),
            float(rng.uniform(0, WIDTH)),
            float(rng.choice((-1, 1)) * rng.uniform(25, 60)),
        )

    def picture(self, aim: Aim, seconds: float) -> Picture:
        """(height, width, 3) sRGB codes as the camera sees it, without grain."""
        deep = self.kind is not Background.FLAT
        out = _seen(self._far, aim, 0.35 if deep else 1.0)
        if self.kind is Background.DEPTH:
            for x, wide, near, face in sorted(self._things, key=lambda thing: thing[2]):
                box = np.array(
                    [(x, 150 - 200 * (near - 0.5)), (x + wide, 150 - 200 * (near - 0.5)), (x + wide, 470), (x, 470)]
                )
                lay(out, [Part(box, 0, (x, 0.0), (0.0, 1.0))], [face], 1.0, aim.matrix(near), 1.0)
        if self.kind in (Background.DEPTH, Background.PEOPLE):
            ground = np.array(
                [(-SPARE, 400.0), (WIDTH + SPARE, 400.0), (WIDTH + SPARE, HEIGHT + SPARE), (-SPARE, HEIGHT + SPARE)]
            )
            lay(out, [Part(ground, 0, (-SPARE, -SPARE), (0.0, 1.0))], [self._near], 1.0, aim.matrix(), 1.0)
        if self.kind is Background.WATER:
            out = self._rippled(out, seconds)
        if self.kind is Background.LEAVES:
            self._draw_leaves(out, aim, seconds)
        for faces, traits, start, pace in self._people:
            at = aim.matrix(0.8) @ np.array(
                [[0.42 * 220 * np.sign(pace), 0, start + pace * seconds], [0, 0.42 * 220, 430], [0, 0, 1.0]]
            )
            lay(out, KINDS["walker"].parts(seconds, traits), faces, 0.42 * 220, at, 1.0)
        return out

    def _rippled(self, picture: Picture, seconds: float) -> Picture:
        y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
        depth = np.clip((y - 200) / 300, 0, 1)
        across = x + 9 * depth * np.sin(y / 9 + 4.2 * seconds) + 4 * depth * np.sin(x / 37 - 2.6 * seconds)
        down = y + 5 * depth * np.sin(x / 21 + y / 13 + 3.4 * seconds)
        return np.asarray(cv2.remap(picture, across.astype(np.float32), down.astype(np.float32), cv2.INTER_LINEAR,
                                    borderMode=cv2.BORDER_REFLECT), np.float32)  # fmt: skip

    def _draw_leaves(self, out: Picture, aim: Aim, seconds: float) -> None:
        matrix = aim.matrix(0.8)
        for u, v, size, tone, phase in self._leaves:
            x, y = matrix @ np.array([u * (WIDTH + 400) - 200, v**1.5 * 420, 1.0])
            sway = 9 * np.sin(2.2 * seconds + 6.3 * phase)
            centre = (round((x + sway) * 16), round((y + 0.3 * sway) * 16))
            axes = (round((9 + 15 * size) * 16), round((4 + 6 * size) * 16))
            colour = (40 + 70 * tone, 70 + 90 * tone, 34 + 36 * tone)
            cv2.ellipse(out, centre, axes, 180 * phase + 3 * sway, 0, 360, colour, -1, cv2.LINE_AA, 4)


def _seen(world: Picture, aim: Aim, parallax: float) -> Picture:
    matrix = aim.matrix(parallax) @ np.array([[1, 0, -SPARE], [0, 1, -SPARE], [0, 0, 1.0]])
    return np.asarray(
        cv2.warpAffine(world, matrix, (WIDTH, HEIGHT), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT),
        np.float32,
    )


def lay(
    out: Picture,
    parts: Sequence[Part],
    faces: Sequence[Picture],
    size: float,
    matrix: NDArray[np.float64],
    grain: float = 2.2,
) -> NDArray[np.float32]:
    """Draw a puppet over a picture, in place.

    Args:
        faces: its surfaces.
        size: px that one length of the puppet has.
        matrix: (2, 3) from the puppet's lengths to the picture (a place's are px already).
        grain: px of the picture that a pixel of a surface has, at that size.

    Returns:
        (height, width) its coverage, 0 to 1.
    """
    covered = np.zeros(out.shape[:2], np.float32)
    for part in parts:
        drawn = _coverage(part, matrix, out.shape[:2], size)
        if drawn is None:
            continue
        window, share = drawn
        along = np.array(part.along) / max(float(np.hypot(*part.along)), 1e-9)
        turn = np.array([[along[1], along[0]], [-along[0], along[1]]])
        pinned = (
            np.concatenate([turn / size * grain, np.array(part.origin)[:, None]], axis=1)
            if size != 1.0
            else np.array([[1.0, 0, part.origin[0]], [0, 1, part.origin[1]]])
        )
        whole = matrix @ np.concatenate([pinned, [[0, 0, 1.0]]])
        whole[:, 2] -= (window[1].start, window[0].start)
        height, width = share.shape
        face = cv2.warpAffine(
            faces[part.surface % len(faces)], whole, (width, height), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP
        )
        laid_over(out[window], face, share)
        covered[window] += share * (1 - covered[window])
    return covered


def laid_over(out: Picture, face: Picture, share: NDArray[np.float32]) -> None:
    """Lay `face` over `out`, in place, by the share that it has of each pixel. What was in `face` is lost."""
    face -= out
    face *= share[..., None]
    out += face


def reached(covered: NDArray[Any]) -> tuple[slice, slice]:
    """The window outside of which nothing is covered; an empty one if nothing is."""
    left, top, width, height = cv2.boundingRect((covered > 0).astype(np.uint8))
    return slice(top, top + height), slice(left, left + width)


def _coverage(
    part: Part, matrix: NDArray[np.float64], size: tuple[int, int], scale: float
) -> tuple[tuple[slice, slice], NDArray[np.float32]] | None:
    """The window that a part touches, and how far it covers each pixel there."""

    def put(points: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.asarray(points @ matrix[:, :2].T + matrix[:, 2])

    dots = put(part.points)
    zoom = float(np.sqrt(abs(np.linalg.det(matrix[:, :2]))))
    room = part.width * zoom + 2
    low, high = np.floor(dots.min(axis=0) - room).astype(int), np.ceil(dots.max(axis=0) + room).astype(int)
    left, top = max(0, low[0]), max(0, low[1])
    right, foot = min(size[1], high[0]), min(size[0], high[1])
    if right <= left or foot <= top:
        return None
    fine = np.zeros(((foot - top) * FINE, (right - left) * FINE), np.uint8)

    def placed(points: NDArray[np.float64]) -> NDArray[np.int32]:
        return np.asarray(np.round(((points - (left, top)) * FINE - 0.5) * 16), np.int32)

    if part.width:
        thick = max(1, round(part.width * zoom * FINE))
        cv2.polylines(fine, [placed(dots)], False, 255, thick, cv2.LINE_AA, 4)
    else:
        cv2.fillPoly(fine, [placed(dots)], 255, cv2.LINE_AA, 4)
        for hole in part.holes:
            cv2.fillPoly(fine, [placed(put(hole))], 0, cv2.LINE_AA, 4)
    share = cv2.resize(fine, (right - left, foot - top), interpolation=cv2.INTER_AREA).astype(np.float32) / np.float32(
        255
    )
    return (slice(top, foot), slice(left, right)), share
