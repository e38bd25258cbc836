"""What is likely amiss with a distance map: each finding in words, with what to do."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

TURNED = 0.12
"""By what share of its range a map must be farther below than above to look the wrong way round."""
SHARP_PX = 1.0
"""Px of the source up to which a disc softens nothing that one could see."""
NOTHING = 1e-4
"""Dioptres of a change that is none."""


@dataclass(frozen=True)
class Note:
    """A finding.

    Attributes:
        kind: what it is, for the page.
        text: what it is and what to do, in words.
        about: the id of the source or subject that it is about.
        value: metres that would mend it, where that is one value.
        first, last: the frames that it is about, where it is about some.
    """

    kind: str
    text: str
    about: str = ""
    value: float | None = None
    first: int | None = None
    last: int | None = None


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


def nothing_soft(sizes: NDArray[np.float32], f_number: float) -> Note | None:
    """Whether the lens is stopped down so far that nothing gets soft."""
    most = float(np.abs(sizes).max())
    if most > SHARP_PX:
        return None
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
