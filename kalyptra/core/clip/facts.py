"""What is known about a clip: the frozen facts that probing finds and everything else relies on."""

from __future__ import annotations

from enum import StrEnum
from fractions import Fraction
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

Codes = NDArray[np.uint8] | NDArray[np.uint16]
"""Code values of a picture: (height, width, 3) RGB."""


class FootageKind(StrEnum):
    VIDEO = "video"
    SEQUENCE = "sequence"
    STILL = "still"


class Transfer(StrEnum):
    """The curve between code values and light."""

    BT709 = "bt709"
    SRGB = "srgb"


class Rate(BaseModel):
    """An exact rate of frames a second."""

    model_config = ConfigDict(frozen=True)

    numerator: Annotated[int, Field(gt=0)]
    denominator: Annotated[int, Field(gt=0)]

    @property
    def fraction(self) -> Fraction:
        return Fraction(self.numerator, self.denominator)

    @classmethod
    def of(cls, value: Fraction) -> Rate:
        return cls(numerator=value.numerator, denominator=value.denominator)


class ClipFacts(BaseModel):
    """A clip as the rest of Kalyptra sees it: upright, square pixels, a constant rate.

    Attributes:
        width, height: px, after rotation and pixel shape are applied.
        frames: how many, after conforming to `rate`.
        pts: for a video the presentation time stamp of the source frame behind each frame, in units of
            `time_base`; a variable rate repeats and skips here.
        members: for a sequence the names inside the archive, in order.
        rotation: degrees clockwise by which the stored picture is turned to stand upright.
        bits: bits a channel of the source.
        audio: the codec of the first audio stream, or None.
        notes: what was done to the source, in words for the editor.
    """

    model_config = ConfigDict(frozen=True)

    kind: FootageKind
    container: str
    codec: str
    width: Annotated[int, Field(ge=2, le=16384)]
    height: Annotated[int, Field(ge=2, le=16384)]
    rate: Rate
    frames: Annotated[int, Field(ge=1, le=10_000_000)]
    transfer: Transfer
    bits: int
    rotation: int = 0
    pts: tuple[int, ...] = ()
    time_base: Rate | None = None
    members: tuple[str, ...] = ()
    audio: str | None = None
    notes: tuple[str, ...] = ()

    @property
    def seconds(self) -> float:
        return float(self.frames / self.rate.fraction)
