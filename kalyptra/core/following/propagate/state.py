"""A subject in a frame, with all that is remembered of it and of what lies around it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.colours import Palette
from kalyptra.core.following.propagate.lasting import KeyColours
from kalyptra.core.following.propagate.thin_parts import ThinParts
from kalyptra.core.following.propagate.trail import KeyTrail
from kalyptra.core.window import window_of

AROUND = 56
"""Px around the subject that are looked at, at the working size."""
LEAST_AREA = 30
"""Px; with less of it left the subject is lost."""


@dataclass(frozen=True)
class SubjectState:
    """A subject in a frame, at the working size.

    Attributes:
        codes: (height, width, 3) RGB in 8 bits; grey: its lightness; names: its colours by `palette`.
        matte: (height, width) 0 to 1.
        palette: the colours of the key's neighbourhood, to tell where nearby each was seen.
        lasting: what the key's colours say for good.
        trail: the key's picture and matte carried along.
        exposure: codes of this frame beside the key's.
        thin: its thin parts; None where it has hardly any.
        pace: (2,) px that it moved by from the frame before.
    """

    codes: NDArray[np.uint8]
    grey: NDArray[np.uint8]
    names: NDArray[np.uint8]
    matte: NDArray[np.float32]
    palette: Palette
    lasting: KeyColours
    trail: KeyTrail
    exposure: float = 1.0
    thin: ThinParts | None = None
    pace: NDArray[np.float32] = field(default_factory=lambda: np.zeros(2, np.float32))

    @staticmethod
    def at(
        codes: NDArray[np.uint8],
        matte: NDArray[np.float32],
        others: Sequence[tuple[NDArray[np.uint8], NDArray[np.float32]]] = (),
    ) -> SubjectState:
        """What is known where the matte is given; the colours of other keys, pictures and mattes, count as well."""
        lab = cv2.cvtColor(codes, cv2.COLOR_RGB2LAB)
        window = window_of((matte > 0.5).astype(np.uint8), AROUND) or (slice(None), slice(None))
        palette = Palette.of(np.ascontiguousarray(lab[window]), np.ascontiguousarray(matte[window]))
        lasting = KeyColours.of((lab, matte), *((cv2.cvtColor(other, cv2.COLOR_RGB2LAB), of) for other, of in others))
        return SubjectState(
            codes, np.ascontiguousarray(lab[..., 0]), palette.named(lab), matte, palette, lasting,
            KeyTrail.at(codes, matte),
        )  # fmt: skip

    def elsewhere(self) -> SubjectState:
        """The same subject, lost: nothing tells any more where its parts have come to."""
        return replace(self, trail=self.trail.broken(), thin=None, pace=np.zeros(2, np.float32))

    @property
    def seen(self) -> bool:
        return float(self.matte.sum()) >= LEAST_AREA
