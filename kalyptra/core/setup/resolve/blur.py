"""The kind of blur and the lens' character at one frame."""

from __future__ import annotations

from dataclasses import dataclass

from kalyptra.core.setup.document.blur import Blur, BlurKind, Character
from kalyptra.core.setup.time.keyed import mix_linear, mix_place


@dataclass(frozen=True)
class BlurAt:
    """What a point becomes.

    Attributes:
        direction: degrees clockwise from the right.
        centre: px of the source; None for the middle of the picture.
    """

    kind: BlurKind = BlurKind.LENS
    direction: float = 0.0
    centre: tuple[float, float] | None = None


@dataclass(frozen=True)
class CharacterAt:
    """What a lens does that an ideal one does not; see `Character`."""

    cats_eye: float = 0.0
    fall_off: float = 0.0
    colour_shift: float = 0.0
    spherical: float = 0.0
    streak: float = 0.0
    glow: float = 0.0
    glow_size: float = 30.0


def blur_at(blur: Blur, frame: float) -> BlurAt:
    if blur.form is BlurKind.ALONG:
        return BlurAt(blur.form, direction=blur.direction.at(frame, mix_linear))
    if blur.form in (BlurKind.OUTWARDS, BlurKind.AROUND):
        return BlurAt(blur.form, centre=blur.centre.at(frame, mix_place) if blur.centre else None)
    return BlurAt(blur.form)


def character_at(character: Character, frame: float) -> CharacterAt:
    return CharacterAt(
        cats_eye=character.cats_eye.at(frame, mix_linear),
        fall_off=character.fall_off.at(frame, mix_linear),
        colour_shift=character.colour_shift.at(frame, mix_linear),
        spherical=character.spherical.at(frame, mix_linear),
        streak=character.streak.at(frame, mix_linear),
        glow=character.glow.at(frame, mix_linear),
        glow_size=character.glow_size,
    )
