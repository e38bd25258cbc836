"""What a lens adds to the whole picture: glow, streaks of lights, less light in the corners."""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.setup.resolve.blur import CharacterAt

Light = NDArray[np.float32]
BRIGHT = 0.7
"""Light from which on something is drawn out into a streak."""
STREAK_LENGTH = 0.35
"""Of a streak to either side, as a share of the picture's width: it has fallen to a twentieth there."""
STREAK_COLOUR = (0.45, 0.7, 1.0)
"""What cylindrical glass leaves of a light in its streak (common practice, no source)."""


def with_character(light: Light, character: CharacterAt, scale: float) -> Light:
    """The picture with what the lens adds to it; the same array where that is nothing.

    Args:
        light: (height, width, 3) linear light; left as it is.
        scale: px of the picture for one px of the source.
    """
    if character.streak > 0:
        light = light + _streaks(light) * np.float32(character.streak)
    if character.glow > 0:
        light = glowing(light, character.glow, character.glow_size * scale / 2)
    if character.fall_off > 0:
        light = light * fall_off(light.shape[0], light.shape[1], character.fall_off)[..., None]
    return light


def glowing(light: Light, strength: float, deviation: float) -> Light:
    """A soft picture laid over the sharp one, as two slides that are projected together: neither gets darker.

    Args:
        strength: of the soft picture, 0 to 1.
        deviation: of the Gaussian that makes it soft, px.
    """
    soft = cv2.GaussianBlur(light, (0, 0), max(deviation, 0.1), borderType=cv2.BORDER_REPLICATE)
    soft = np.minimum(soft, 1) * np.float32(strength)
    return np.asarray(light + soft * np.maximum(1 - light, 0), np.float32)


def fall_off(height: int, width: int, stops: float) -> NDArray[np.float32]:
    """(height, width): the share of light that places get, 1 in the middle and 2 to the minus `stops` in the corners.

    Source: the cosine fourth law of illumination, as in S. F. Ray, Applied Photographic Optics (from memory). The angle
    of view is chosen so that the corners lose as much as was asked for.
    """
    corner = math.sqrt(1 / 2 ** (-stops / 2) - 1)  # the tangent of the angle at the corner
    y = (np.arange(height) + 0.5 - height / 2)[:, None]
    x = (np.arange(width) + 0.5 - width / 2)[None, :]
    tangent = (y * y + x * x) * (corner**2 / ((height / 2) ** 2 + (width / 2) ** 2))
    return np.asarray(1 / (1 + tangent) ** 2, np.float32)


def _streaks(light: Light) -> Light:
    """Lights drawn out sideways, each falling off evenly to both sides."""
    from scipy.signal import lfilter

    lights = np.maximum(light - np.float32(BRIGHT), 0)
    small = cv2.resize(lights, (max(1, light.shape[1] // 2), light.shape[0]), interpolation=cv2.INTER_AREA)
    fall = math.exp(math.log(0.05) / max(STREAK_LENGTH * small.shape[1], 1))
    to_right = lfilter([1.0], [1.0, -fall], small, axis=1)
    to_left = lfilter([1.0], [1.0, -fall], small[:, ::-1], axis=1)[:, ::-1]
    drawn = np.asarray(to_right + to_left - small, np.float32)
    whole = cv2.resize(drawn * np.float32(1 - fall), (light.shape[1], light.shape[0]), interpolation=cv2.INTER_LINEAR)
    return np.asarray(whole * np.array(STREAK_COLOUR, np.float32) * np.float32(4), np.float32)
