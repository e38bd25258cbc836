"""Colours of a picture, or of a part of it: exposure, white, contrast, gamma, saturation, tint."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.transfer import light_of
from kalyptra.core.compiled import compiled
from kalyptra.core.finish.curve import STRIP, Curve, curve_of, look_up, number
from kalyptra.core.setup.resolve.finish import ColoursAt

Light = NDArray[np.float32]
LUMA = np.array([0.2126, 0.7152, 0.0722])
"""Recommendation ITU-R BT.709, section 3.2."""
XYZ_TO_RGB = np.array([[3.2406, -1.5372, -0.4986], [-0.9689, 1.8758, 0.0415], [0.0557, -0.2040, 1.0570]])
"""IEC 61966-2-1, of the primaries of BT.709."""
GREY = 0.18
"""Light that contrast leaves as it is."""
WHITE = 6504.0
"""Kelvin of the white of BT.709, D65."""


def with_colours(
    light: Light,
    colours: ColoursAt,
    transfer: Transfer,
    where: NDArray[np.float32] | None = None,
    after: ColoursAt | None = None,
) -> None:
    """Change colours in place.

    Args:
        light: (height, width, 3) linear light; changed.
        transfer: what the tint's code values mean.
        where: (height, width) 0 to 1, how much of the change; all of it without one.
        after: what is then done to the whole picture. In one go it costs next to nothing.
    """
    last = straight_of(after, transfer) if after else np.eye(3)
    if last is None:
        with_colours(light, colours, transfer, where)
        with_colours(light, after or colours, transfer)
        return
    share, then = _everywhere() if where is None else where, last.astype(np.float32)
    straight = straight_of(colours, transfer)
    if straight is not None:
        _mix_straight(light, straight.astype(np.float32), share, where is None, then)
        return
    curves = np.stack([tone_curve(colours.contrast, colours.gamma, float(gain)) for gain in _gains(colours)])
    height, width = light.shape[:2]
    flat = light.reshape(height, 3 * width)
    bits, mixed = flat.view(np.int32), matrix_of(colours, transfer).astype(np.float32)
    steps, curved = np.empty((STRIP, 3 * width), np.int32), np.empty((STRIP, 3 * width), np.float32)
    for top in range(0, height, STRIP):  # a strip stays at hand from one loop to the next
        strip, rows = slice(top, top + STRIP), slice(min(STRIP, height - top))
        number(bits[strip], steps[rows])
        look_up(steps[rows], curves, curved[rows])
        _mix(flat[strip], curved[rows], mixed, share if where is None else share[strip], where is None, then)


def straight_of(colours: ColoursAt, transfer: Transfer) -> NDArray[np.float64] | None:
    """The change as one matrix on linear light; None where it bends."""
    bends = colours.contrast != 1 or colours.gamma != 1
    return None if bends else np.asarray(matrix_of(colours, transfer) * _gains(colours))


def _gains(colours: ColoursAt) -> NDArray[np.float64]:
    return np.asarray(white_of(colours.warmth) * 2.0**colours.exposure)


def matrix_of(colours: ColoursAt, transfer: Transfer) -> NDArray[np.float64]:
    """What saturation and tint do to linear red, green and blue; both keep luminance."""
    grey = np.outer(np.ones(3), LUMA)
    saturated = grey + colours.saturation * (np.eye(3) - grey)
    tint = light_of(np.array(colours.tint), transfer)
    towards = np.outer(tint / max(float(LUMA @ tint), 1e-3), LUMA)
    return np.asarray(saturated + colours.tint_strength * (towards @ saturated - saturated))


@lru_cache(maxsize=32)
def white_of(warmth: float) -> NDArray[np.float64]:
    """Gains of red, green and blue that shift the white, luminance kept.

    Source: CIE 15:2004, the daylight illuminants D, and the coefficients for chromaticities between 4,000 and 25,000 K.

    Args:
        warmth: mired; above 0 the picture gets the colour that a lower colour temperature has.
    """
    kelvin = float(np.clip(1e6 / (1e6 / WHITE + warmth), 4000, 25000))
    gains = XYZ_TO_RGB @ _daylight(kelvin) / (XYZ_TO_RGB @ _daylight(WHITE))
    return np.asarray(gains / float(LUMA @ gains))


def _daylight(kelvin: float) -> NDArray[np.float64]:
    """XYZ of daylight of a colour temperature, Y of 1."""
    if kelvin <= 7000:
        x = -4.6070e9 / kelvin**3 + 2.9678e6 / kelvin**2 + 0.09911e3 / kelvin + 0.244063
    else:
        x = -2.0064e9 / kelvin**3 + 1.9018e6 / kelvin**2 + 0.24748e3 / kelvin + 0.237040
    y = -3.0 * x * x + 2.870 * x - 0.275
    return np.array([x / y, 1.0, (1 - x - y) / y])


@lru_cache(maxsize=48)
def tone_curve(contrast: float, gamma: float, gain: float) -> Curve:
    """Light that comes of light."""
    return curve_of(lambda light: (GREY * (light * gain / GREY) ** contrast) ** (1 / gamma), from_nothing=contrast > 0)


@lru_cache(maxsize=1)
def _everywhere() -> NDArray[np.float32]:
    return np.ones((1, 1), np.float32)


@compiled
def _mix_straight(light, matrix, where, everywhere, then):  # type: ignore[no-untyped-def]
    one = np.float32(1)
    for y in range(light.shape[0]):
        for x in range(light.shape[1]):
            w = one if everywhere else where[y, x]
            r, g, b = light[y, x, 0], light[y, x, 1], light[y, x, 2]
            p = r + w * (matrix[0, 0] * r + matrix[0, 1] * g + matrix[0, 2] * b - r)
            q = g + w * (matrix[1, 0] * r + matrix[1, 1] * g + matrix[1, 2] * b - g)
            s = b + w * (matrix[2, 0] * r + matrix[2, 1] * g + matrix[2, 2] * b - b)
            light[y, x, 0] = then[0, 0] * p + then[0, 1] * q + then[0, 2] * s
            light[y, x, 1] = then[1, 0] * p + then[1, 1] * q + then[1, 2] * s
            light[y, x, 2] = then[2, 0] * p + then[2, 1] * q + then[2, 2] * s


@compiled
def _mix(flat, curved, matrix, where, everywhere, then):  # type: ignore[no-untyped-def]
    one = np.float32(1)
    for y in range(flat.shape[0]):
        for x in range(flat.shape[1] // 3):
            w = one if everywhere else where[y, x]
            r, g, b = flat[y, 3 * x], flat[y, 3 * x + 1], flat[y, 3 * x + 2]
            p, q, s = curved[y, 3 * x], curved[y, 3 * x + 1], curved[y, 3 * x + 2]
            r += w * (matrix[0, 0] * p + matrix[0, 1] * q + matrix[0, 2] * s - r)
            g += w * (matrix[1, 0] * p + matrix[1, 1] * q + matrix[1, 2] * s - g)
            b += w * (matrix[2, 0] * p + matrix[2, 1] * q + matrix[2, 2] * s - b)
            flat[y, 3 * x] = then[0, 0] * r + then[0, 1] * g + then[0, 2] * b
            flat[y, 3 * x + 1] = then[1, 0] * r + then[1, 1] * g + then[1, 2] * b
            flat[y, 3 * x + 2] = then[2, 0] * r + then[2, 1] * g + then[2, 2] * b
