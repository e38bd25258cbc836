"""What is seen around cards in space: a colour, or the shot's own picture, blurred; infinitely far."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.transfer import to_light
from kalyptra.core.setup.document.space import Around

Light = NDArray[np.float32]
SOFT, SOFTNESS = 96, 0.05
"""Px of the width that the blurred picture is made at, and how soft it is, as a share of that."""


def around_card(light: Light, around: Around, colour: str, transfer: Transfer, width: int) -> Light:
    """What is seen around: (height, width, 3) linear light.

    Args:
        light: the shot's own picture.
        colour: "#rrggbb", codes of the transfer curve.
        width: px it is made at. It has nothing fine in it: a small one says as much.
    """
    high = max(2, round(width * light.shape[0] / light.shape[1]))
    if around is Around.COLOUR:
        codes = np.array([[[int(colour[i : i + 2], 16) for i in (1, 3, 5)]]], np.uint8)
        return np.array(np.broadcast_to(to_light(codes, transfer), (high, width, 3)), np.float32)
    small = cv2.resize(light, (SOFT, max(2, round(SOFT * high / width))), interpolation=cv2.INTER_AREA)
    soft = cv2.GaussianBlur(small, (0, 0), SOFT * SOFTNESS, borderType=cv2.BORDER_REPLICATE)
    return np.asarray(cv2.resize(soft, (width, high), interpolation=cv2.INTER_CUBIC), np.float32)
