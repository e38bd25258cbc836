"""A field of grain with a measured spectrum, and with what a lens takes from it at each size of its disc."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.setup.document.finish import MeasuredGrain

Plane = NDArray[np.float32]
TILE = 512
"""Px of a side. The field goes on from one side at the other, and begins elsewhere in every frame."""
RADII = (0.35, 0.5, 0.7, 1.0, 1.4, 2.0, 2.8, 4.0, 5.6, 8.0, 11.0, 16.0, 24.0)
"""Px of the discs for which there is a field: from one to the next nobody sees a difference."""
UNIT = 24
"""Steps of a field's values for one standard deviation: what lies beyond five of them is cut off."""
AXES = np.array([[3**-0.5, 3**-0.5, 3**-0.5], [2**-0.5, 0, -(2**-0.5)], [6**-0.5, -2 * 6**-0.5, 6**-0.5]], np.float64)
"""Grey and two colour differences, as rows of a rotation: chroma is coarser than luma in most footage."""
SEED = 20


@lru_cache(maxsize=6)
def grain_fields(measured: MeasuredGrain, size: float, scale: float) -> NDArray[np.int8]:
    """What discs take from grain, as noise of its own.

    Source: a disc's transfer function is 2 J1(x) / x with x = 2 pi r f (J. W. Goodman, Introduction to Fourier Optics,
    section 6.4; from memory). What it leaves has the power |H|^2 of the grain's, so 1 - |H|^2 is given back.

    Args:
        size: how many times as coarse as it was measured.
        scale: px of the picture for one px of the source.

    Returns:
        (1 + len(RADII), TILE, TILE, 3): first nothing, then for each disc red, green and blue in 1/UNIT standard
        deviations of the whole grain of each.
    """
    wide = round(TILE / min(scale, 1.0))
    generator = np.random.default_rng(SEED)
    mixed, along = mixed_of(measured.together), np.zeros((1 + len(RADII), TILE, TILE, 3), np.float32)
    transfers = [_transfer(radius, _frequencies(TILE)) for radius in RADII]
    for axis, spectrum in enumerate(measured.spectra):
        frequencies = _frequencies(wide)
        amplitude = np.sqrt(power_at(spectrum, frequencies * size))
        white = np.fft.rfft2(generator.standard_normal((wide, wide)))
        grain = np.fft.irfft2(white * amplitude, (wide, wide))
        grain /= grain.std()
        if wide != TILE:  # as the picture, it loses what a smaller one does not show
            grain = cv2.resize(grain, (TILE, TILE), interpolation=cv2.INTER_AREA)
        waves = np.fft.rfft2(grain)
        waves[0, 0] = 0  # so that no frame is lighter than another
        for level, transfer in enumerate(transfers, 1):
            lost = np.fft.irfft2(waves * np.sqrt(1 - transfer**2), (TILE, TILE))
            along[level, :, :, axis] = lost
    fields = np.clip(np.round(along @ (mixed.T * np.float32(UNIT))), -127, 127).astype(np.int8)
    fields.flags.writeable = False
    return fields


def mixed_of(together: tuple[float, ...]) -> NDArray[np.float32]:
    """What grey and colour differences add to red, green and blue, each of which has a deviation of 1 then.

    Args:
        together: how red goes with green, red with blue, and green with blue.
    """
    rg, rb, gb = together
    values, vectors = np.linalg.eigh(AXES @ np.array([[1, rg, rb], [rg, 1, gb], [rb, gb, 1]]) @ AXES.T)
    sound = (vectors * np.maximum(values, 1e-6)) @ vectors.T
    # Cholesky in these axes: the fields keep their meaning, and the channels go together as they do.
    mixed = AXES.T @ np.linalg.cholesky(sound)
    return np.asarray(mixed / np.sqrt((mixed**2).sum(axis=1, keepdims=True)), np.float32)


def power_at(spectrum: tuple[float, ...], frequencies: NDArray[np.float64]) -> NDArray[np.float64]:
    """Power at frequencies in cycles a pixel, of a spectrum from 0 to 0.5; beyond it stays as it is there."""
    known = (np.arange(len(spectrum)) + 0.5) / len(spectrum) * 0.5
    return np.asarray(np.interp(frequencies, known, spectrum), np.float64)


def _frequencies(side: int) -> NDArray[np.float64]:
    """Cycles a pixel of each wave of a real transform of a square."""
    return np.asarray(np.hypot(np.fft.fftfreq(side)[:, None], np.fft.rfftfreq(side)[None, :]), np.float64)


def _transfer(radius: float, frequencies: NDArray[np.float64]) -> NDArray[np.float64]:
    from scipy.special import j1

    x = np.maximum(2 * np.pi * radius * frequencies, 1e-6)
    return np.asarray(2 * j1(x) / x)
