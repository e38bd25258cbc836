"""What is done after the lens: grain, what is out of focus, the whole picture, and how strongly all of it acts."""

from __future__ import annotations

from enum import StrEnum
from itertools import pairwise
from typing import Annotated, Self

from pydantic import Field, model_validator

from kalyptra.core.setup.document.distance import Distance, Place, Share
from kalyptra.core.setup.document.stored import Name
from kalyptra.core.setup.frozen import Frozen
from kalyptra.core.setup.time.easing import Ease
from kalyptra.core.setup.time.keyed import Keyed, constant

TwiceAtMost = Annotated[float, Field(ge=0, le=2)]
Stops = Annotated[float, Field(ge=-6, le=6)]
Contrast = Annotated[float, Field(ge=0, le=3)]
Gamma = Annotated[float, Field(ge=0.2, le=5)]
Mired = Annotated[float, Field(ge=-150, le=150)]
"""A shift of the white in millionths of 1 over kelvin: an equal one looks equally large everywhere."""
Colour = Annotated[str, Field(pattern=r"^#[0-9a-f]{6}$")]
"""Code values of the picture, red, green and blue."""
Finite = Annotated[float, Field(ge=-1e3, le=1e3, allow_inf_nan=False)]
Correlation = Annotated[float, Field(ge=-1, le=1)]
Frames = Annotated[int, Field(ge=0, le=10_000_000)]
SubjectName = Annotated[str, Field(pattern=r"^[a-z0-9]{4,16}$")]

BANDS = 12
"""At how many frequencies a spectrum is known, from 0 to half a cycle a pixel."""


class GrainAtTone(Frozen):
    """How strong grain is in a channel where it is as light as this."""

    tone: Share
    """Code value."""
    deviation: Annotated[float, Field(ge=0, le=100)]
    """Standard deviation in code values of 255."""


Tones = Annotated[tuple[GrainAtTone, ...], Field(min_length=1, max_length=16)]


class MeasuredGrain(Frozen):
    """Grain as it was measured in a clip."""

    channels: Annotated[tuple[Tones, ...], Field(min_length=3, max_length=3)]
    """Of red, green and blue, by tone."""
    together: Annotated[tuple[Correlation, ...], Field(min_length=3, max_length=3)]
    """How red goes with green, red with blue, and green with blue."""
    spectra: Annotated[tuple[tuple[Finite, ...], ...], Field(min_length=3, max_length=3)]
    """Power over frequency, from 0 to half a cycle a pixel, of grey and of two colour differences; their mean is 1."""
    first: Frames
    last: Frames
    """Between which frames it was measured."""

    @model_validator(mode="after")
    def _is_grain(self) -> Self:
        if any(a.tone >= b.tone for tones in self.channels for a, b in pairwise(tones)):
            raise ValueError("tones must be in order")
        if any(len(spectrum) != BANDS or min(spectrum) < 0 or sum(spectrum) <= 0 for spectrum in self.spectra):
            raise ValueError(f"a spectrum has {BANDS} values, none below 0")
        return self


class Grain(Frozen):
    """The source's grain, given back to what the lens made smooth."""

    strength: Keyed[TwiceAtMost] = constant(0.0, TwiceAtMost)
    """1 gives back as much as the lens took."""
    size: Annotated[float, Field(ge=0.5, le=4)] = 1.0
    measured: MeasuredGrain | None = None


class DrivenBy(StrEnum):
    """What says where a treatment acts."""

    BLUR = "blur"
    INSIDE = "inside"
    OUTSIDE = "outside"
    DISTANCE = "distance"


class Treatment(Frozen):
    """What is done to the colours of what is out of focus, or of a part chosen otherwise."""

    driven_by: DrivenBy = DrivenBy.BLUR
    subject: SubjectName | None = None
    """In or outside of whose matte; all together without it."""
    blur_from: Annotated[float, Field(ge=0, le=4000)] = 1.0
    blur_to: Annotated[float, Field(ge=0, le=4000)] = 8.0
    """Diameters in px at which it begins, and at which it acts wholly."""
    distance_from: Distance = 3.0
    distance_to: Distance = 10.0
    saturation: Keyed[TwiceAtMost] = constant(1.0, TwiceAtMost)
    exposure: Keyed[Stops] = constant(0.0, Stops)
    contrast: Keyed[Contrast] = constant(1.0, Contrast)
    gamma: Keyed[Gamma] = constant(1.0, Gamma)
    warmth: Keyed[Mired] = constant(0.0, Mired)
    tint: Colour = "#3b6fa0"
    tint_strength: Keyed[Share] = constant(0.0, Share)


class Flat(Frozen):
    """One colour laid over all outside of a subject, for a title."""

    strength: Keyed[Share] = constant(0.0, Share)
    colour: Colour = "#1f2a44"
    subject: SubjectName | None = None
    softness: Annotated[float, Field(ge=0, le=2000)] = 0.0
    """Px over which it goes from nothing to full at the subject's line."""


class ColourTable(Frozen):
    """A `.cube` file in the store."""

    name: Name
    title: Annotated[str, Field(max_length=200)] = ""
    strength: Share = 1.0


class Whole(Frozen):
    """What is done to the whole picture."""

    exposure: Keyed[Stops] = constant(0.0, Stops)
    contrast: Keyed[Contrast] = constant(1.0, Contrast)
    saturation: Keyed[TwiceAtMost] = constant(1.0, TwiceAtMost)
    table: ColourTable | None = None


class Aspect(StrEnum):
    """Width over height of what is rendered."""

    SOURCE = "source"
    SCOPE = "2.39:1"
    WIDE = "16:9"
    PORTRAIT = "4:5"
    SQUARE = "1:1"
    UPRIGHT = "9:16"


class Framing(Frozen):
    """Which part of the picture is rendered. With keys it moves from one to another."""

    aspect: Aspect = Aspect.SOURCE
    scale: Keyed[Annotated[float, Field(ge=1, le=4)]] = constant(1.0, Annotated[float, Field(ge=1, le=4)])
    """How many times as large as it is: more of its rim is left out then."""
    place: Keyed[Place] | None = None
    """Px of the source that lie in the middle; its own middle without one. What would lie beyond it is not shown."""


class Between(StrEnum):
    """What is rendered where a frame falls between two of the clip."""

    MIX = "mix"
    NEAREST = "nearest"


SLOWEST, FASTEST = 0.25, 4.0
SpeedFactor = Annotated[float, Field(ge=SLOWEST, le=FASTEST)]


class Speed(Frozen):
    """How fast the clip runs in what is rendered. Keys lie at frames of the clip, as all keys do."""

    factor: Keyed[SpeedFactor] = constant(1.0, SpeedFactor)
    between: Between = Between.MIX
    sound: bool = True
    """Whether the sound goes along, in its pitch, or is left out where the speed is another."""


class Stretch(Frozen):
    """Frames in which the result is seen; outside of them it is the source."""

    first: Frames
    last: Frames
    ramp_in: Frames = 0
    ramp_out: Frames = 0
    """Frames over which it comes and goes, within the stretch; ramps that meet leave it at less than its whole."""
    ease: Ease = Ease.EASED

    @model_validator(mode="after")
    def _forwards(self) -> Self:
        if self.last < self.first:
            raise ValueError("the last frame lies before the first")
        return self


class Finish(Frozen):
    """All that is done after the lens."""

    strength: Keyed[Share] = constant(1.0, Share)
    """The result over the source."""
    stretch: Stretch | None = None
    grain: Grain = Grain()
    outside: Treatment = Treatment()
    flat: Flat = Flat()
    whole: Whole = Whole()
    framing: Framing = Framing()
    speed: Speed = Speed()
