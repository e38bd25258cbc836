"""Grain given back to what the lens made smooth, so that it is even over the frame."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.transfer import code_of, light_of
from kalyptra.core.compiled import compiled
from kalyptra.core.finish.grain_field import RADII, TILE, UNIT, grain_fields
from kalyptra.core.setup.document.finish import MeasuredGrain
from kalyptra.core.setup.resolve.finish import GrainAt

Light = NDArray[np.float32]
STRIP = 8
"""Rows that are worked on at a time."""
FINE = 8
"""Steps of a radius in a px for which the nearest field is known."""
BEND = 3
"""Degree of the polynomial that says how strong grain is by tone."""
DEGREE = 6
"""Of the polynomial in the root of light that says how fast light grows with its code."""
DARKEST = 0.06
"""Code value up to which it does not have to hold: grain of a code is a 2,000th of white there."""


def carry_grain(
    light: Light, radius: NDArray[np.float32], grain: GrainAt, frame: int, scale: float, transfer: Transfer
) -> None:
    """Give back the grain that discs took, in place.

    It is added to code values, as it was measured. The same frame always gets the same grain.

    Args:
        light: (height, width, 3) linear light; changed.
        radius: (height, width) px of the discs that each pixel was made of, not negative.
        frame: its number.
        scale: px of the picture for one px of the source.
    """
    height, width = radius.shape
    fields = grain_fields(grain.measured, grain.size, scale)
    # One row of coefficients as long as a row of the picture, so that no loop asks which channel it is at.
    deviation = np.tile(_deviation(grain.measured, transfer) * np.float32(grain.strength), (1, width))
    slope, bend = _growth(transfer)
    down, right = _offset(frame)
    flat, noise = light.reshape(height, 3 * width), np.empty((STRIP, 3 * width), np.int8)
    for top in range(0, height, STRIP):  # a strip stays at hand from one loop to the next
        strip = flat[top : top + STRIP]
        _look_up(radius[top : top + STRIP], fields, _levels(), top + down, right, noise)
        _add(strip, noise, deviation, slope, bend)


@lru_cache(maxsize=6)
def _deviation(measured: MeasuredGrain, transfer: Transfer) -> NDArray[np.float32]:
    """(BEND + 1, 3): how strong grain is in red, green and blue, in code values from 0 to 1 a step of a field, as
    polynomials in the root of a channel's light, the constant first."""
    roots = np.linspace(0, 1, 64)
    codes = code_of(roots**2, transfer)
    rows = [np.interp(codes, [at.tone for at in tones], [at.deviation for at in tones]) for tones in measured.channels]
    return np.asarray([np.polyfit(roots, row, BEND)[::-1] for row in rows], np.float32).T / np.float32(255 * UNIT)


@lru_cache(maxsize=2)
def _growth(transfer: Transfer) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """How light grows with its code, as polynomials in the root of light, the constant first: its first derivative, and
    half of its second, of which a sum over grain would be lighter than it was without."""
    codes = np.linspace(0, 1, 4000)
    light = light_of(codes, transfer)
    first = np.gradient(light, codes)
    roots, weights = np.sqrt(light), np.where(codes > DARKEST, 1 / np.maximum(first, 0.1), 1.0)
    second = np.gradient(first, codes) / 2
    return (
        np.polyfit(roots, first, DEGREE, w=weights)[::-1].astype(np.float32),
        np.polyfit(roots[codes > DARKEST], second[codes > DARKEST], 2)[::-1].astype(np.float32),
    )


@lru_cache(maxsize=1)
def _levels() -> NDArray[np.int32]:
    """The number of the field for each radius in steps of 1/FINE px; 0 where nothing was taken."""
    radii = np.arange(round(RADII[-1]) * FINE + 1) / FINE
    between = np.sqrt(np.array(RADII[:-1]) * np.array(RADII[1:]))
    nearest = 1 + np.searchsorted(between, radii)
    return np.where(radii < RADII[0], 0, nearest).astype(np.int32)


def _offset(frame: int) -> tuple[int, int]:
    """Where a frame begins in the field.

    Source: S. Vigna's splitmix64, a generator whose neighbours have nothing in common (public domain; from memory).
    """
    mask = (1 << 64) - 1
    z = (frame + 1) * 0x9E3779B97F4A7C15 & mask
    z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9 & mask
    z = (z ^ (z >> 27)) * 0x94D049BB133111EB & mask
    z ^= z >> 31
    return z % TILE, (z >> 20) % TILE


@compiled
def _look_up(radius, fields, levels, down, right, noise):  # type: ignore[no-untyped-def]
    # Numbers without a sign: no look-up has to ask whether it counts from the end.
    tile, last = np.uint32(fields.shape[1] - 1), np.int32(levels.shape[0] - 1)
    zero, one, two = np.uint32(0), np.uint32(1), np.uint32(2)
    for y in range(radius.shape[0]):
        v = np.uint32(y + down) & tile
        for x in range(radius.shape[1]):
            u, i = np.uint32(x + right) & tile, np.uint32(3 * x)
            near = min(max(np.int32(radius[y, x] * np.float32(8)), np.int32(0)), last)
            n = np.uint32(levels[np.uint32(near)])
            noise[y, i] = fields[n, v, u, zero]
            noise[y, i + one] = fields[n, v, u, one]
            noise[y, i + two] = fields[n, v, u, two]


@compiled
def _add(flat, noise, deviation, slope, bend):  # type: ignore[no-untyped-def]
    low, high = np.float32(0), np.float32(1)
    for y in range(flat.shape[0]):
        for i in range(flat.shape[1]):
            r = np.sqrt(min(max(flat[y, i], low), high))
            n = deviation[0, i] + r * (deviation[1, i] + r * (deviation[2, i] + r * deviation[3, i]))
            n = max(n, low) * np.float32(noise[y, i])
            s = slope[3] + r * (slope[4] + r * (slope[5] + r * slope[6]))
            s = slope[0] + r * (slope[1] + r * (slope[2] + r * s))
            flat[y, i] += n * (s + n * (bend[0] + r * (bend[1] + r * bend[2])))
