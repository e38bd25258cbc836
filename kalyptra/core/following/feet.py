"""Where a subject stands in each frame: the foot of its matte."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from pydantic_core import to_json

from kalyptra.core.setup.document.records import Recorded
from kalyptra.core.setup.document.setup import AnyMatte, Refine, Subject, outlines_of
from kalyptra.core.setup.geometry.curve import Point
from kalyptra.core.setup.resolve.look import matte_at
from kalyptra.core.store import Store
from kalyptra.core.subject_matte import unrefined_matte


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the demo's clips, where no source is named."""

    working: int = 960
    """Px of the width at which feet are looked for."""
    sole: float = 0.04
    """The lowest part of a subject that says where its foot is from left to right, as a share of its height."""
    least: int = 3
    """Px of coverage in the lowest row of a foot."""
    around: int = 48
    """Frames on either side that say how low feet go."""
    lower: float = 0.95
    """How much more the lower feet count there than the higher ones, as a share of all."""
    hidden: float = 0.045
    """How far above that a foot is taken to be lifted or hidden, as a share of the subject's height."""
    rounds: int = 12


TUNING = Tuning()


Foot = tuple[int, float, float]
"""Frame, and px of the source from the left and from the top."""
Seen = tuple[int, float, float, float]
"""A foot, and how high the whole subject is, px of the source."""


def feet(subject: Subject, frames: Iterable[int], size: tuple[int, int], store: Store) -> Iterator[Seen | None]:
    """The foot in each of the frames; None where there is no matte, or the frame's edge cuts the foot off.

    What hides a foot, or the walker who lifts it, makes it look higher: see `grounded`.

    Args:
        size: (width, height) of the clip.

    Raises:
        NotKept: a stored matte is not there.
    """
    scale = min(1.0, TUNING.working / size[0])
    small = max(1, round(size[1] * scale)), max(1, round(size[0] * scale))
    for frame in frames:
        foot = foot_of(unrefined_matte(matte_at(subject, frame), Refine(), small, scale, store))
        if foot is None:
            yield None
        else:
            x, y, high = (round(number / scale, 2) for number in foot)
            yield frame, x, y, high


def grounded(seen: Sequence[Seen]) -> list[Foot]:
    """The feet that stand on the ground: those that are not far above where the lowest ones around them go.

    Args:
        seen: in the order of frames.
    """
    if len(seen) < 4:
        return [foot[:3] for foot in seen]
    table = np.array(seen, float)
    height = float(np.median(table[:, 3]))
    standing = []
    for foot in seen:
        away = table[:, 0] - foot[0]
        near = np.abs(away) <= TUNING.around
        t, y = away[near] / TUNING.around, table[near, 2]
        powers = np.stack([np.ones_like(t), t, t * t], axis=1)[:, : min(3, len(t))]
        weight = np.ones_like(t)
        fitted = y.max()
        for _ in range(TUNING.rounds):
            root = np.sqrt(weight)
            parts = np.linalg.lstsq(powers * root[:, None], y * root, rcond=None)[0]
            fitted = parts[0]
            weight = np.where(y > powers @ parts, TUNING.lower, 1 - TUNING.lower)
        if foot[2] > fitted - TUNING.hidden * height:
            standing.append(foot[:3])
    return standing


def foot_of(matte: NDArray[np.float32]) -> tuple[float, float, float] | None:
    """The foot of a matte, px from its left and its top edge, and its height; None where it has none or is cut off."""
    solid = np.where(matte > 0.5, matte, 0)
    rows = np.flatnonzero(solid.sum(axis=1) >= TUNING.least)
    if len(rows) == 0 or rows[-1] >= matte.shape[0] - 1:
        return None
    high = rows[-1] - rows[0] + 1
    sole = solid[rows[-1] - max(1, round(TUNING.sole * high)) + 1 : rows[-1] + 1].sum(axis=0)
    x = float(np.average(np.arange(len(sole)) + 0.5, weights=sole))
    return x, float(rows[-1] + 1), float(high)


def matte_name(subject: Subject) -> str:
    """A name for what a subject's matte is over time: another one where it has changed.

    It is made of all that a point has, as setups of every version had it, not of what is written of one today. What
    lies in records has names: by them it is known whether this was worked out before.
    """
    outlines = outlines_of(subject.matte)
    recorded = [outline.steps for outline in outlines if isinstance(outline.steps, Recorded)]
    if len(recorded) != len(outlines) or not recorded:
        return _name_of(subject.matte)
    rest = subject.matte.model_dump_json(exclude={"outlines": {"__all__": {"steps"}}})
    key = hashlib.sha256(to_json([rest, [steps.windows for steps in recorded]])).digest()
    name: str = recorded[0].remembered(("matte name", key), lambda: _name_of(subject.matte))
    return name


def _name_of(whole: AnyMatte) -> str:
    matte = whole.model_dump(mode="json")
    for outline in matte.get("outlines", ()):
        for key in outline["shape"]["keys"]:
            points = key["value"]["points"]
            points[:] = [
                {name: point.get(name, field.default) for name, field in Point.model_fields.items()} for point in points
            ]
    return hashlib.sha256(to_json(matte)).hexdigest()[:16]
