"""What of a matte is thin: what an opening takes away from it (the white top-hat).

Source: Serra, Image analysis and mathematical morphology, 1982; Soille, Morphological image analysis, 2003.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.float32]

THICK = 7
"""Px of the working size from which on a part is not thin."""
TELLS = 0.2
"""How much an opening must take from a pixel that is of a thin part."""


def solid_of(matte: Values, thick: int = THICK) -> Values:
    """(height, width) a matte, 0 to 1, without the parts that are thinner than so many px."""
    shape = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (thick, thick))
    return np.asarray(cv2.morphologyEx(matte, cv2.MORPH_OPEN, shape))


def thin_of(matte: Values, thick: int = THICK) -> NDArray[np.bool_]:
    """(height, width) where the parts of a matte, 0 to 1, lie that are thinner than so many px."""
    return matte - solid_of(matte, thick) > TELLS
