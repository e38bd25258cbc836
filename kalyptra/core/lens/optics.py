"""The thin lens: how large the disc of an unfocused point is, and where sharpness ends.

A lens of focal length f and f-number N, focused at S, images a point at distance z as a disc of diameter
c = (f/N) f S/(S - f) |1/S - 1/z|. All is linear in dioptres (1/z), so distances come in as 1/m.

Source: thin-lens depth-of-field equations, as in S. F. Ray, Applied Photographic Optics (cited from memory).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

F_NUMBER_RANGE = (0.01, 256.0)


@dataclass(frozen=True)
class ThinLens:
    """A lens at one moment.

    Attributes:
        focal_length: metres.
        f_number: focal length over the diameter of the entrance pupil.
        focus: distance of the plane in focus, metres; longer than the focal length.
        sensor_width: metres.
    """

    focal_length: float
    f_number: float
    focus: float
    sensor_width: float

    def coc_slope(self, picture_width: float) -> float:
        """Disc diameter in px for each dioptre away from the focus, in a picture of that width in px."""
        f, s = self.focal_length, self.focus
        return f / self.f_number * f * s / (s - f) * picture_width / self.sensor_width

    def signed_coc(self, dioptres: NDArray[np.float32], picture_width: float) -> NDArray[np.float32]:
        """Disc diameter in px per pixel: positive nearer than the focus, negative farther away.

        Args:
            dioptres: 1/distance in 1/m, any shape; 0 is infinitely far.
            picture_width: px.
        """
        return np.float32(self.coc_slope(picture_width)) * (dioptres - np.float32(1.0 / self.focus))

    def held_coc(
        self, dioptres: NDArray[np.float32], picture_width: float, near: float, far: float, roll_off: float
    ) -> NDArray[np.float32]:
        """Signed disc diameters in px with a range set by hand: 0 within it, growing from its ends.

        Args:
            near, far: metres, the range that stays sharp.
            roll_off: how softly blur begins, as a share of the dioptres of the nearer limit; with 0 it begins
                as steeply as the lens' own.
        """
        beyond: NDArray[np.float32] = dioptres - np.clip(dioptres, np.float32(1 / far), np.float32(1 / near))
        if roll_off > 0:
            size = np.abs(beyond)
            softly = np.float32(max(roll_off / near, 1e-9))  # never 0 over 0 within the range
            beyond = np.asarray(beyond * size / (size + softly), np.float32)
        return np.float32(self.coc_slope(picture_width)) * beyond

    def hyperfocal(self, permissible: float) -> float:
        """Distance in metres; focused there, all from half of it to infinity is acceptably sharp.

        Args:
            permissible: largest disc that still counts as sharp, metres on the sensor.
        """
        return self.focal_length**2 / (self.f_number * permissible) + self.focal_length

    def limits(self, permissible: float) -> tuple[float, float]:
        """Near and far limit in metres; the far one is infinite from the hyperfocal distance on."""
        h, f, s = self.hyperfocal(permissible), self.focal_length, self.focus
        near = s * (h - f) / (h + s - 2 * f)
        far = s * (h - f) / (h - s) if s < h else math.inf
        return near, far


def radius_of(coc: NDArray[np.float32]) -> NDArray[np.float32]:
    """Disc radius in px of signed diameters, near or far."""
    radius: NDArray[np.float32] = np.abs(coc)
    radius *= np.float32(0.5)
    return radius


def f_number_for(
    softness: float, distance: float, focal_length: float, focus: float, sensor_width: float, picture_width: float
) -> float:
    """The f-number that gives a thing at `distance` a disc of `softness` px.

    Returns:
        The f-number, kept within 0.01 and 256. Where the thing lies in the focus plane no f-number
        softens it, and the widest is returned.
    """
    wide_open = ThinLens(focal_length, 1.0, focus, sensor_width)
    disc = wide_open.coc_slope(picture_width) * abs(1.0 / focus - 1.0 / distance)
    low, high = F_NUMBER_RANGE
    return min(high, max(low, disc / softness if softness > 0 else high))
