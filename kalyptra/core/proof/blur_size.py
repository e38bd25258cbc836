"""Blur size in false colour: dark where all is sharp, amber towards the near side, teal towards the far side."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

ENDS = (10.0, 20.0, 40.0, 80.0, 160.0, 320.0, 640.0)
"""Disc diameters in px of the source at which the colours may end: the first that holds all of the picture."""
SHARP = np.array([31, 42, 68])
NEAR = np.array([[200, 116, 28], [255, 226, 150]])
FAR = np.array([[31, 138, 138], [190, 240, 226]])


def end_for(largest: float) -> float:
    """The disc diameter at which the colours end, px, for a picture whose largest disc is given."""
    return next((end for end in ENDS if end >= largest), ENDS[-1])


def scale_of(size: NDArray[np.float32], end: float) -> NDArray[np.float32]:
    """Place on the colour scale, 0 to 1, of a diameter in px: its square root, so that small discs are told apart."""
    return np.sqrt(np.minimum(np.abs(size) / np.float32(end), 1))


def blur_view(size: NDArray[np.float32], end: float) -> NDArray[np.uint8]:
    """Colours for signed disc diameters.

    Args:
        size: (height, width) px of the source, near positive.
        end: the diameter at which the colours end, px.

    Returns:
        (height, width, 3) sRGB codes.
    """
    table = np.stack([_colours(FAR), _colours(NEAR)])
    place = np.round(scale_of(size, end) * 255).astype(np.intp)
    return np.asarray(table[(size > 0).astype(np.intp), place], np.uint8)


def _colours(side: NDArray[np.int64]) -> NDArray[np.float64]:
    """256 colours from sharp over the side's first to its second."""
    stops = np.array([0.0, 0.45, 1.0])
    colours = np.vstack([SHARP, side])
    places = np.linspace(0, 1, 256)
    return np.round(np.stack([np.interp(places, stops, colours[:, c]) for c in range(3)], axis=1))
