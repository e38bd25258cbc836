"""What is done to a matte of any kind after it is found: limits, edge, growth, feather, inversion."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.matte.closed_form import solved_edge
from kalyptra.core.matte.local_colours import edge_by_colours
from kalyptra.core.matte.normal import along_normal
from kalyptra.core.setup.document.setup import Edge, Profile, Refine
from kalyptra.core.window import window_of

Matte = NDArray[np.float32]

FINE_BAND = 0.67
"""The band in which matting solves the edge, as a share of the edge's width."""
SLIGHT = 4.0
"""Px that a feather has in all, up to which it is slight."""
DEVIATION = {Profile.SMOOTH: 20**-0.5, Profile.EVEN: 12**-0.5, Profile.LATE: 18**-0.5}
"""Standard deviation of the change across a feather that is 1 px wide, by its profile: of 6t(1 - t), of 1, of 2t."""
BESIDE = 1.5
"""Px to the other side of a line up to which a pixel lies beside it, also across a corner."""
LEVELS = (0.1, 0.3, 0.5, 0.7, 0.9)
"""The coverages whose lines a feather takes one by one: what is soft already stays so."""


def limited(matte: Matte, black: float, white: float) -> Matte:
    """Coverage stretched so that `black` becomes 0 and `white` 1."""
    if black <= 0 and white >= 1:
        return matte
    return np.asarray(np.clip((matte - np.float32(black)) / np.float32(white - black), 0, 1), np.float32)


def edged(
    matte: Matte, codes: NDArray[np.uint8], refine: Refine, scale: float, carefully: bool, drawn: bool = False
) -> Matte:
    """A matte whose edge is drawn to the picture.

    Args:
        codes: (height, width, 3) the picture, 8 bits.
        scale: px of the picture for one px of the source.
        carefully: solve a fine edge; without it, one is drawn the fast way.
        drawn: somebody drew its line, and so rather outside of the edge than inside.
    """
    if refine.edge is Edge.NONE:
        return matte
    width = max(1.0, refine.edge_width * scale)

    def drawn_to(shown: NDArray[np.uint8], rough: Matte) -> Matte:
        solved = edge_by_colours(shown, rough, width, loose=drawn)
        return solved_edge(shown, solved, width * FINE_BAND) if refine.edge is Edge.FINE and carefully else solved

    return around_it(matte, codes, width, drawn_to)


def around_it(
    matte: Matte, codes: NDArray[np.uint8], width: float, draw: Callable[[NDArray[np.uint8], Matte], Matte]
) -> Matte:
    """What is made of a picture and a matte, whose edge lies within so many px of its line: only around it."""
    window = window_of((matte > 0.02).astype(np.uint8), round(2 * width) + 8)
    if window is None:
        return matte
    out = matte.copy()
    out[window] = draw(np.ascontiguousarray(codes[window]), np.ascontiguousarray(matte[window]))
    return out


def grown(matte: Matte, refine: Refine, scale: float) -> Matte:
    """A matte of any kind grown and feathered along the distance from its line, sub-pixel.

    Drawn outlines are grown exactly where they are drawn; this does it for mattes that are pictures.
    """
    grow, inwards, outwards = refine.grow * scale, refine.feather_in * scale, refine.feather_out * scale
    if grow == 0 and inwards + outwards == 0:
        return matte
    if inwards + outwards <= 1.0:
        # The edge keeps its own softness and moves: what is looked up lies `grow` px further in.
        return _shifted(matte, _to_line(matte), grow)
    if grow == 0 and abs(inwards - outwards) < 0.01 and inwards + outwards <= SLIGHT:
        # A slight feather on both sides alike is the same as a blur, across any edge, hard or soft, and far quicker.
        blurred = cv2.GaussianBlur(matte, (0, 0), (inwards + outwards) * DEVIATION[refine.profile])
        return np.asarray(blurred, np.float32)
    # A matte is the mean of its level sets. Each is feathered alone, so that hair and motion blur stay what they are.
    window = window_of((matte > 0).astype(np.uint8), round(max(grow + outwards, 0)) + 3)
    if window is None:
        return matte
    out, here = np.zeros_like(matte), np.ascontiguousarray(matte[window])
    hard = not (cv2.blur(np.abs(here - 0.5), (3, 3)) < 0.3).any()  # nowhere is the edge wider than two pixels
    lines = [_to_line(here)] if hard else [_to_level(here, level) for level in LEVELS]
    soft = np.mean([_ramp(line, refine, scale) for line in lines], axis=0)
    if not hard:  # what lies between two levels stays as it is
        bare = np.mean([np.clip(np.float32(0.5) - line, 0, 1) for line in lines], axis=0)
        soft = np.clip(soft + (here - bare) * (soft > 0) * (soft < 1), 0, 1)
    out[window] = soft
    return out


def _ramp(signed: Matte, refine: Refine, scale: float) -> Matte:
    """From 1 at the feather inwards of the grown line to 0 at the feather outwards."""
    grow, inwards, outwards = refine.grow * scale, refine.feather_in * scale, refine.feather_out * scale
    t = np.clip((np.float32(outwards) - (signed - np.float32(grow))) / np.float32(inwards + outwards), 0, 1)
    if refine.profile is Profile.SMOOTH:
        t = t * t * (3 - 2 * t)
    elif refine.profile is Profile.LATE:
        t = t * t
    return np.asarray(t, np.float32)


def _to_level(matte: Matte, level: float) -> Matte:
    """Px from the middle of each pixel to the line of a coverage, negative inside."""
    return _to_line(np.interp(matte, (0, level, 1), (0, 0.5, 1)).astype(np.float32))


def _to_line(matte: Matte) -> Matte:
    """Px from the middle of each pixel to the line of half coverage, negative inside."""
    solid = (matte > 0.5).astype(np.uint8)
    if not solid.any() or solid.all():
        return np.full(matte.shape, 1e6 if not solid.any() else -1e6, np.float32)
    outside, names_out = cv2.distanceTransformWithLabels(1 - solid, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    inside, names_in = cv2.distanceTransformWithLabels(solid, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    # Where exactly the line passes between two pixels is known from the coverage of the nearest one on either side.
    over = np.zeros(int(names_out.max()) + 1, np.float32)
    over[names_out[solid > 0]] = matte[solid > 0] - np.float32(0.5)
    under = np.zeros(int(names_in.max()) + 1, np.float32)
    under[names_in[solid == 0]] = np.float32(0.5) - matte[solid == 0]
    out = np.where(solid > 0, -(inside - np.minimum(under[names_in], 1)), outside - np.minimum(over[names_out], 1))
    # Beside the line coverage itself says how far it is; elsewhere a pixel that is half covered says nothing of it.
    near = (np.abs(matte - 0.5) < 0.5) & (np.maximum(outside, inside) < BESIDE)
    return np.asarray(np.where(near, np.float32(0.5) - matte, out), np.float32)


def _shifted(matte: Matte, signed: Matte, grow: float) -> Matte:
    reach = abs(grow) + 4
    moved = along_normal(matte, np.clip(signed, -reach, reach), np.float32(grow))
    solid = np.clip(np.float32(0.5) - (signed - np.float32(grow)), 0, 1)
    near = np.abs(signed - np.float32(grow)) < 3
    return np.asarray(np.where(near, moved, solid), np.float32)
