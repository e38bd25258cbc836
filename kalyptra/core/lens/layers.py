"""Layers through the lens: the ground with all its distances, and subjects laid over it from far to near."""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled
from kalyptra.core.lens.blur import NEGLIGIBLE, Setting, blur, blur_into
from kalyptra.core.lens.by_place import ByPlace, Sides
from kalyptra.core.lens.iris import reach_of
from kalyptra.core.lens.scatter import Flat
from kalyptra.core.lens.taps_by_place import reach_by_place
from kalyptra.core.setup.document.setup import Iris
from kalyptra.core.window import Window, widened, window_of, within

Light = NDArray[np.float32]
STEP_OF_NEARNESS = 0.02
"""Share of a subject's dioptres by which ground must be nearer to lie wholly before it."""


def see_ground(
    light: Light,
    radius: NDArray[np.float32],
    spread: Iris | ByPlace,
    setting: Setting,
    sides: Sides | None = None,
) -> Light:
    """The picture that fills the frame, as the lens sees it.

    Args:
        light: (height, width, 3) linear light.
        radius: (height, width) px of each pixel's disc, not negative.
        spread: what a point becomes.
        sides: what differs on the two sides of the focus.

    Returns:
        (height, width, 3) linear light, an array of its own.
    """
    if _stays_sharp(radius, sides):
        return light.copy()
    out = np.empty_like(light)
    blur_into(out, Flat(light, None, False, radius, sides), spread, setting)
    return out


def lay_over(
    ground: Light,
    window: Window,
    colour: Light,
    matte: NDArray[np.float32],
    radius: NDArray[np.float32],
    spread: Iris | ByPlace,
    setting: Setting,
    sides: Sides | None = None,
) -> None:
    """Lay a subject over what lies behind it, in place. Out of focus it spreads over its surroundings.

    Args:
        ground: (height, width, 3) linear light of the whole frame; changed.
        window: the part of it that the subject covers; the arrays below are as large.
        colour: the subject's own colour, three channels.
        matte: its coverage.
        radius: px of its discs, not negative.
        spread: what a point of the whole frame becomes.
        sides: what differs on the two sides of the focus, as large as the radius.

    Source: T. Porter, T. Duff, Compositing Digital Images (1984), operator over, premultiplied.
    """
    if _stays_sharp(radius, sides):
        lay_sharp(colour, matte, ground[window])
        return
    most = math.ceil(_largest(radius, sides))
    reach = reach_of(spread, most) if isinstance(spread, Iris) else reach_by_place(spread, most)
    outer, margins = widened(window, reach + 4, matte.shape, ground.shape)
    own, a, discs = (cv2.copyMakeBorder(plane, *margins, cv2.BORDER_CONSTANT) for plane in (colour, matte, radius))
    there = spread if isinstance(spread, Iris) else spread.moved(outer)
    _over(blur(Flat(own, a, False, discs, sides.bordered(margins) if sides else None), there, setting), ground[outer])


def _largest(radius: NDArray[np.float32], sides: Sides | None) -> float:
    most = float(cv2.minMaxLoc(radius)[1])
    return most if sides is None or sides.red_blue is None else max(most, float(cv2.minMaxLoc(sides.red_blue)[1]))


def _stays_sharp(radius: NDArray[np.float32], sides: Sides | None) -> bool:
    return _largest(radius, sides) <= NEGLIGIBLE


def nearer_part(
    dioptres: NDArray[np.float32], nearest: float, window: Window, matte: NDArray[np.float32], reach: int
) -> tuple[Window, NDArray[np.float32]] | None:
    """The ground that lies nearer than a subject and so spreads over it, as the floor before its feet does.

    Args:
        dioptres: (height, width) 1/m of the ground.
        nearest: the subject's own, 1/m.
        window: the part of the frame that the subject covers.
        matte: its coverage there.
        reach: px that the largest disc of the ground reaches; what lies farther off does not touch the subject.

    Returns:
        A window and the ground's coverage in it, 0 to 1; None where no ground is nearer.
    """
    outer, margins = widened(window, reach, matte.shape, dioptres.shape)
    here = dioptres[outer]
    if cv2.minMaxLoc(here)[1] <= nearest:
        return None
    nearer = np.clip((here - np.float32(nearest)) * np.float32(1 / (nearest * STEP_OF_NEARNESS)), 0, 1)
    nearer *= 1 - cv2.copyMakeBorder(matte, *margins, cv2.BORDER_CONSTANT)
    inner = window_of((nearer > 0).astype(np.uint8), 0)
    if inner is None:
        return None
    return within(outer, inner), np.ascontiguousarray(nearer[inner])


def lay_sharp(colour: Light, matte: NDArray[np.float32], ground: Light) -> None:
    """Lay something without any blur over what lies behind it, in place; the arrays are as large as each other.

    Args:
        ground: (height, width, 3) linear light; changed.
        colour: its own colour wherever the matte reaches.
    """
    _mix(colour, matte, ground)


@compiled
def _mix(colour, matte, ground):  # type: ignore[no-untyped-def]
    for y in range(ground.shape[0]):
        for x in range(ground.shape[1]):
            a = matte[y, x]
            if a > 0:
                for c in range(3):
                    ground[y, x, c] += a * (colour[y, x, c] - ground[y, x, c])


@compiled
def _over(layer, ground):  # type: ignore[no-untyped-def]
    for y in range(ground.shape[0]):
        for x in range(ground.shape[1]):
            rest = max(np.float32(1) - layer[y, x, 3], np.float32(0))
            if rest < 1:
                ground[y, x, 0] = layer[y, x, 0] + rest * ground[y, x, 0]
                ground[y, x, 1] = layer[y, x, 1] + rest * ground[y, x, 1]
                ground[y, x, 2] = layer[y, x, 2] + rest * ground[y, x, 2]
