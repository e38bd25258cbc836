"""What is done after the lens, at one frame."""

from __future__ import annotations

from dataclasses import dataclass

from kalyptra.core.setup.document.finish import (
    FASTEST,
    SLOWEST,
    Between,
    ColourTable,
    DrivenBy,
    Finish,
    Framing,
    MeasuredGrain,
    Speed,
    Stretch,
    Treatment,
)
from kalyptra.core.setup.time.easing import ease_share
from kalyptra.core.setup.time.keyed import mix_linear, mix_place


@dataclass(frozen=True)
class GrainAt:
    """Grain that is given back.

    Attributes:
        strength: 1 for as much as the lens took.
        size: how many times as coarse as it was measured.
    """

    strength: float
    size: float
    measured: MeasuredGrain


@dataclass(frozen=True)
class ColoursAt:
    """A change of colours.

    Attributes:
        exposure: stops.
        contrast, gamma, saturation: 1 changes nothing.
        warmth: shift of the white in mired, warmer above 0.
        tint: code values of red, green and blue, 0 to 1.
        tint_strength: 0 to 1.
    """

    exposure: float = 0.0
    contrast: float = 1.0
    gamma: float = 1.0
    saturation: float = 1.0
    warmth: float = 0.0
    tint: tuple[float, float, float] = (0.0, 0.0, 0.0)
    tint_strength: float = 0.0


PLAIN = ColoursAt()
"""It changes nothing."""


@dataclass(frozen=True)
class WhereAt:
    """Where a change of colours acts: from `start`, not at all, to `end`, wholly.

    Attributes:
        start, end: px of the source for blur, metres for distance.
        subject: in or outside of whose matte; all together without it.
    """

    driven_by: DrivenBy
    start: float
    end: float
    subject: str | None


@dataclass(frozen=True)
class FlatAt:
    """One colour over all outside of a subject."""

    strength: float
    colour: tuple[float, float, float]
    subject: str | None
    softness: float


@dataclass(frozen=True)
class FramingAt:
    """Which part of the picture is rendered.

    Attributes:
        aspect: width over height; None for the source's.
        scale: 1 or more.
        place: px of the source that lie in the middle; None for its own middle.
    """

    aspect: float | None = None
    scale: float = 1.0
    place: tuple[float, float] | None = None


@dataclass(frozen=True)
class FinishAt:
    """All that is done after the lens at a frame; what is None does nothing.

    Attributes:
        strength: of the result over the source, 0 to 1.
    """

    strength: float
    grain: GrainAt | None
    outside: ColoursAt | None
    where: WhereAt | None
    flat: FlatAt | None
    whole: ColoursAt | None
    table: ColourTable | None
    framing: FramingAt = FramingAt()

    @property
    def is_plain(self) -> bool:
        """Whether what the lens made stays as it is."""
        return self.strength == 1 and not (self.grain or self.outside or self.flat or self.whole or self.table)


@dataclass(frozen=True)
class Timing:
    """How fast a range of the clip passes in what is rendered.

    Attributes:
        first: the range's first frame.
        speeds: for each frame of the range how many times as fast as the clip it passes, above 0.
        mixes: whether what lies between two frames is mixed of them; else the nearest is shown.
        sounds: whether the sound goes along where the speed is another one, and stays it.
    """

    first: int
    speeds: tuple[float, ...]
    mixes: bool = True
    sounds: bool = True

    @property
    def last(self) -> int:
        return self.first + len(self.speeds) - 1

    @property
    def steady(self) -> float | None:
        """The speed that all frames have; None where it changes."""
        return self.speeds[0] if len(set(self.speeds)) == 1 else None


def timing_of(speed: Speed, first: int, last: int) -> Timing:
    """What a range's speeds come to; an ease that overshoots stays within what a speed may be."""
    speeds = (speed.factor.at(frame, mix_linear) for frame in range(first, last + 1))
    within = tuple(min(FASTEST, max(SLOWEST, value)) for value in speeds)
    return Timing(first, within, speed.between is Between.MIX, speed.sound)


def framing_at(framing: Framing, frame: float) -> FramingAt:
    across, _, down = framing.aspect.value.partition(":")
    return FramingAt(
        float(across) / float(down) if down else None,
        framing.scale.at(frame, mix_linear),
        framing.place.at(frame, mix_place) if framing.place else None,
    )


def finish_at(finish: Finish, frame: float, effect: bool) -> FinishAt:
    """What is done after the lens at a frame.

    Args:
        effect: whether there is an effect at all.
    """
    strength = finish.strength.at(frame, mix_linear) if effect else 0.0
    if finish.stretch:
        strength *= share_of(finish.stretch, frame)
    outside = _outside_at(finish.outside, frame)
    return FinishAt(
        strength=strength,
        grain=_grain_at(finish, frame),
        outside=outside,
        where=_where_at(finish.outside) if outside else None,
        flat=_flat_at(finish, frame),
        whole=_whole_at(finish, frame),
        table=finish.whole.table if finish.whole.table and finish.whole.table.strength > 0 else None,
        framing=framing_at(finish.framing, frame),
    )


def share_of(stretch: Stretch, frame: float) -> float:
    """How much of the result is seen at a frame of a stretch, 0 to 1: wholly after the ramp in, not at all outside."""
    if not stretch.first <= frame <= stretch.last:
        return 0.0
    come = (frame - stretch.first + 1) / (stretch.ramp_in + 1)
    gone = (stretch.last - frame + 1) / (stretch.ramp_out + 1)
    return ease_share(stretch.ease, min(1.0, come, gone)) if min(come, gone) < 1 else 1.0


def _grain_at(finish: Finish, frame: float) -> GrainAt | None:
    strength = finish.grain.strength.at(frame, mix_linear)
    if finish.grain.measured is None or strength <= 0:
        return None
    return GrainAt(strength, finish.grain.size, finish.grain.measured)


def _outside_at(treatment: Treatment, frame: float) -> ColoursAt | None:
    tint_strength = treatment.tint_strength.at(frame, mix_linear)
    colours = ColoursAt(
        exposure=treatment.exposure.at(frame, mix_linear),
        contrast=treatment.contrast.at(frame, mix_linear),
        gamma=treatment.gamma.at(frame, mix_linear),
        saturation=treatment.saturation.at(frame, mix_linear),
        warmth=treatment.warmth.at(frame, mix_linear),
        tint=code_values(treatment.tint) if tint_strength > 0 else PLAIN.tint,
        tint_strength=tint_strength,
    )
    return None if colours == PLAIN else colours


def _where_at(treatment: Treatment) -> WhereAt:
    if treatment.driven_by is DrivenBy.BLUR:
        start, end = treatment.blur_from, treatment.blur_to
    elif treatment.driven_by is DrivenBy.DISTANCE:
        start, end = treatment.distance_from, treatment.distance_to
    else:
        start, end = 0.0, 1.0
    by_matte = treatment.driven_by in (DrivenBy.INSIDE, DrivenBy.OUTSIDE)
    return WhereAt(treatment.driven_by, start, end, treatment.subject if by_matte else None)


def _flat_at(finish: Finish, frame: float) -> FlatAt | None:
    strength = finish.flat.strength.at(frame, mix_linear)
    if strength <= 0:
        return None
    return FlatAt(strength, code_values(finish.flat.colour), finish.flat.subject, finish.flat.softness)


def _whole_at(finish: Finish, frame: float) -> ColoursAt | None:
    whole = finish.whole
    colours = ColoursAt(
        exposure=whole.exposure.at(frame, mix_linear),
        contrast=whole.contrast.at(frame, mix_linear),
        saturation=whole.saturation.at(frame, mix_linear),
    )
    return None if colours == PLAIN else colours


def code_values(colour: str) -> tuple[float, float, float]:
    """The code values, 0 to 1, of a colour such as #c8741c."""
    red, green, blue = (int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5))
    return red, green, blue
