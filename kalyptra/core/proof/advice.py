"""What is likely amiss with a distance map: each finding in words, with what to do."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

TURNED = 0.12
"""By what share of its range a map must be farther below than above to look the wrong way round."""
SHARP_PX = 1.0
"""Px of the source up to which a disc softens nothing that one could see."""
MOST_BLUR = 0.08
"""Share of the picture's width that a disc seldom exceeds in lenses' pictures (common practice, no source)."""
MIDDLE = (0.46, 0.54)
"""Share of the picture's height between which a band lies in its middle."""
TALL = 1.8
"""Height over width from which on a matte is taken for somebody who stands."""
FEET = (0.5, 0.99)
"""Share of the picture's height between which somebody's feet are seen: lower ones are cut off by the picture."""
LEAST_FEATHER, WANTED_FEATHER = 1.0, 30.0
"""Px at 1080 lines: below the first a line looks cut; the second hides a rough one (common practice, no source)."""
AT_FOCUS = 0.01
"""Dioptres from the focus within which nothing is ever soft, whatever the lens."""
NOTHING = 1e-4
"""Dioptres of a change that is none."""


MADE_UP = 0.03
"""Share of a picture that may be filled before it is told (common practice, no source)."""


@dataclass(frozen=True)
class Note:
    """A finding.

    Attributes:
        kind: what it is, for the page.
        text: what it is and what to do, in words.
        about: the id of the source or subject that it is about.
        value: metres that would mend it, where that is one value.
        first, last: the frames that it is about, where it is about some.
        advice: whether nothing is wrong, and something may look better; told once.
    """

    kind: str
    text: str
    about: str = ""
    value: float | None = None
    first: int | None = None
    last: int | None = None
    advice: bool = False


def is_turned(dioptres: NDArray[np.float32]) -> bool:
    """Whether a map is farther below than above: pictures are nearly always the other way round."""
    third = max(1, dioptres.shape[0] // 3)
    span = float(dioptres.max() - dioptres.min())
    below, above = float(dioptres[-third:].mean()), float(dioptres[:third].mean())
    return span > NOTHING and above - below > TURNED * span


def is_sunken(dioptres: NDArray[np.float32], matte: NDArray[np.float32]) -> bool:
    """Whether a map has a subject farther away than what is around it."""
    inside = matte > 0.5
    if not inside.any():
        return False
    rows, columns = np.flatnonzero(inside.any(axis=1)), np.flatnonzero(inside.any(axis=0))
    grow = max(2, (rows[-1] - rows[0]) // 8)
    box = (slice(max(0, rows[0] - grow), rows[-1] + grow), slice(max(0, columns[0] - grow), columns[-1] + grow))
    around = ~inside[box] & (matte[box] < 0.02)
    span = float(dioptres.max() - dioptres.min())
    if not around.any() or span <= NOTHING:
        return False
    return float(np.median(dioptres[box][around]) - np.median(dioptres[inside])) > TURNED * span


def wrong_way(name: str, about: str) -> Note:
    return Note(
        "turned", f"{name} may be the wrong way round: what is far below or behind a subject counts as near. Turn it.",
        about,
    )  # fmt: skip


def nothing_sharp(sizes: NDArray[np.float32], dioptres: NDArray[np.float32], focus: float, sharp: float) -> Note | None:
    """Whether nothing lies at the focus distance.

    Args:
        sizes: signed disc diameters over the picture, px of the source.
        dioptres: of the same places.
        focus: metres.
        sharp: the largest disc that counts as sharp, px of the source.
    """
    least = np.unravel_index(np.argmin(np.abs(sizes)), sizes.shape)
    if abs(float(sizes[least])) <= max(sharp, SHARP_PX):
        return None
    nearest = 1 / max(float(dioptres[least]), 1e-5)
    return Note(
        "nothing-sharp",
        f"Nothing lies at the focus distance of {focus:.2f} m. The nearest to it is at {nearest:.2f} m.",
        value=round(nearest, 3),
    )


def switched_off() -> Note:
    return Note("no-effect", "The whole effect is off: what is shown and rendered is the source.")


def without_strength() -> Note:
    return Note("no-strength", "No blur is seen: the result has a strength of 0 % at this frame. Give it some.")


def made_up(share: float, way: float) -> Note | None:
    """That a camera that was moved shows too much that nobody ever saw.

    Args:
        share: of the picture, 0 to 1, that is filled.
        way: metres that the camera went.
    """
    if share <= MADE_UP:
        return None
    text = f"The camera is {way * 100:.0f} cm beside where it was, and {share:.0%} of this frame is filled, not seen."
    reach = max(1, round(way * MADE_UP / share * 100))
    return Note("made-up", f"{text} Up to about {reach} cm it is less than {MADE_UP:.0%}.")


def nothing_soft(
    sizes: NDArray[np.float32],
    unheld: NDArray[np.float32],
    behind: NDArray[np.float32],
    dioptres: NDArray[np.float32],
    focus: float,
    f_number: float,
) -> Note | None:
    """Why nothing gets soft, where nothing does.

    Args:
        sizes: signed disc diameters over the picture, px of the source.
        unheld: the same without a range that is held sharp.
        behind: the same of what lies behind the subjects.
        dioptres: of the same places.
        focus: metres.
    """
    if float(np.abs(sizes).max()) > SHARP_PX:
        return None
    if float(np.abs(unheld).max()) > SHARP_PX:
        return Note("held-all", "No blur is seen: all of this lies in the range that is held sharp. Make it narrower.")
    if float(np.abs(behind).max()) > SHARP_PX:
        return Note(
            "all-covered",
            "No blur is seen: subjects that are sharp cover all of the picture. Make their mattes smaller.",
        )
    if float(np.abs(dioptres - 1 / focus).max()) < AT_FOCUS:
        return Note(
            "all-at-focus", f"No blur is seen: all of this lies at the focus, {focus:.2f} m. Say what is farther."
        )
    return Note("nothing-soft", f"No blur exceeds 1 px: at f/{f_number:.1f} all of this is sharp. Open the lens.")


def without_effect(name: str, about: str, over: str) -> Note:
    return Note(
        "hidden", f"{name} changes nothing here: {over} lies over all of it. Move it up, or limit the other.", about
    )


def fighting(name: str, other: str, about: str) -> Note:
    return Note(
        "fight", f"{name} and {other} disagree by more than half of the range and are mixed, so that neither holds. "
        "Give one of them a region, or let the nearer one win.", about,
    )  # fmt: skip


def too_much(sizes: NDArray[np.float32], width: int) -> Note | None:
    """Whether discs are larger than a lens' usually are.

    Args:
        sizes: signed disc diameters over the picture, px of the source.
        width: of the clip, px.
    """
    most = float(np.abs(sizes).max())
    if most <= MOST_BLUR * width:
        return None
    text = f"The largest disc is {most:.0f} px, {most / width:.0%} of the width: lenses seldom show more than"
    return Note("too-much", f"{text} {MOST_BLUR:.0%}.", advice=True)


def floating(name: str, about: str, matte: NDArray[np.float32]) -> Note | None:
    """Whether somebody stands where the ground is as far away as all behind it.

    Args:
        matte: (height, width) 0 to 1, of a subject before one distance for all.
    """
    rows, columns = np.flatnonzero((matte > 0.5).any(axis=1)), np.flatnonzero((matte > 0.5).any(axis=0))
    if (
        not rows.size
        or not FEET[0] < (rows[-1] + 1) / matte.shape[0] < FEET[1]
        or np.ptp(rows) < TALL * np.ptp(columns)
    ):
        return None
    text = (
        f"The ground under {name} is as far away as the backdrop, so that it floats. Make a ground for it to stand on."
    )
    return Note("floating", text, about, advice=True)


def in_the_middle(name: str, about: str, share: float) -> Note | None:
    """Whether a band lies in the middle of the picture, where a miniature looks least like one.

    Args:
        share: where its middle lies, as a share of the picture's height.
    """
    if not MIDDLE[0] < share < MIDDLE[1]:
        return None
    return Note(
        "middle", f"{name} lies in the middle. A model looks smaller with it lower or higher.", about, advice=True
    )


def from_above(name: str, about: str) -> Note:
    text = f"{name}: a model is seen from above. A horizon in the picture gives a miniature away: leave it out."
    return Note("from-above", text, about, advice=True)


def hard_line(name: str, about: str, feather: float, height: int) -> Note | None:
    """Whether a line that is not drawn to the picture has hardly any feather.

    Args:
        feather: inwards and outwards together, px.
        height: of the clip, px.
    """
    if feather * 1080 / height >= LEAST_FEATHER:
        return None
    text = (
        f"The line around {name} is hard. Draw its edge to the picture, or feather it: a rough line by 30 px at 1080."
    )
    return Note("hard-line", text, about, value=round(WANTED_FEATHER / 2 * height / 1080, 1), advice=True)
