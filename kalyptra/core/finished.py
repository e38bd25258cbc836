"""What is done after the lens, in its order: grain, what is out of focus, flat colour, whole picture, strength."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.transfer import light_of
from kalyptra.core.finish.colours import with_colours
from kalyptra.core.finish.grain import carry_grain
from kalyptra.core.finish.table import with_table
from kalyptra.core.layered import CutOut, Light, Matte, Opening, blur_size
from kalyptra.core.lens.optics import radius_of
from kalyptra.core.setup.document.finish import DrivenBy
from kalyptra.core.setup.resolve.finish import FinishAt, FlatAt, WhereAt
from kalyptra.core.store import Store

Plane = NDArray[np.float32]
NEAREST = 0.02
"""Metres from which on distances are told apart."""


@dataclass(frozen=True)
class Seen:
    """What a picture shows, besides its light.

    Attributes:
        source: what the camera saw, linear light.
        dioptres: (height, width) 1/m of all that is not cut out.
        cut_outs: subjects on layers of their own.
        mattes: of each subject, by its id.
        opening: the lens.
        frame: its number.
        scale: px of the picture for one px of the source.
        transfer: of the footage.
    """

    source: Light
    dioptres: Plane
    cut_outs: Sequence[CutOut]
    mattes: Sequence[tuple[str, Matte]]
    opening: Opening
    frame: int
    scale: float
    transfer: Transfer


def finished(blurred: Light, finish: FinishAt, seen: Seen, store: Store) -> Light:
    """What is made of what the lens made.

    Args:
        blurred: (height, width, 3) linear light; left as it is.
        store: where a colour table comes from.

    Raises:
        NotInStore: it is not there.
    """
    if finish.strength <= 0:
        return seen.source
    if finish.is_plain:
        return blurred
    light = blurred.copy()
    if finish.grain:
        radius = radius_of(blur_size(seen.dioptres, seen.cut_outs, seen.opening))
        carry_grain(light, radius, finish.grain, seen.frame, seen.scale, seen.transfer)
    if finish.outside and finish.where:
        after = None if finish.flat else finish.whole
        with_colours(light, finish.outside, seen.transfer, where(finish.where, seen), after)
    if finish.flat:
        _lay_flat(light, finish.flat, seen)
    if finish.whole and (finish.flat or not finish.outside):
        with_colours(light, finish.whole, seen.transfer)
    if finish.table:
        table = finish.table
        with_table(light, store.picture(table.name), table.name, table.strength, seen.transfer)
    if finish.strength < 1:
        cv2.addWeighted(light, finish.strength, seen.source, 1 - finish.strength, 0, dst=light)
    return light


def where(at: WhereAt, seen: Seen) -> Plane:
    """(height, width) 0 to 1: how much of a change of colours a place gets. It is soft where mattes are soft."""
    if at.driven_by in (DrivenBy.INSIDE, DrivenBy.OUTSIDE):
        matte = _covered(at.subject, seen)
        return matte if at.driven_by is DrivenBy.INSIDE else np.asarray(1 - matte, np.float32)
    share = _share(at, seen.dioptres, seen)
    for cut_out in sorted(seen.cut_outs, key=lambda c: -c.distance):
        own = _share(at, cut_out.dioptres, seen)
        share = share + cut_out.matte * (own - share)
    return np.ascontiguousarray(share, np.float32)


def _share(at: WhereAt, dioptres: Plane, seen: Seen) -> Plane:
    """How much of a change what is so far away gets."""
    value, start, end = dioptres, 1 / max(at.start, NEAREST), 1 / max(at.end, NEAREST)  # even in dioptres, as blur is
    if at.driven_by is DrivenBy.BLUR:
        start, end = at.start, at.end
        value = np.asarray(
            np.abs(seen.opening.coc(dioptres, seen.source.shape[1])) / np.float32(seen.scale), np.float32
        )
    steepness = 1 / (end - start if abs(end - start) > 1e-6 else 1e-6)
    return np.asarray(np.clip((value - np.float32(start)) * np.float32(steepness), 0, 1), np.float32)


def _covered(subject: str | None, seen: Seen) -> Matte:
    """What a subject covers, or all of them together."""
    chosen = [matte for name, matte in seen.mattes if subject in (None, name)]
    if not chosen:
        return np.zeros(seen.dioptres.shape, np.float32)
    return np.asarray(np.maximum.reduce(chosen), np.float32)


def _lay_flat(light: Light, flat: FlatAt, seen: Seen) -> None:
    outside = 1 - _covered(flat.subject, seen)
    spread = flat.softness * seen.scale / 2
    if spread > 0.3:  # a box of this width twice goes over from nothing to all within the softness
        size = max(1, round(spread))
        outside = cv2.blur(cv2.blur(outside, (size, size)), (size, size))
    share = (outside * np.float32(flat.strength))[..., None]
    colour = light_of(np.array(flat.colour), seen.transfer).astype(np.float32)
    light += share * (colour - light)
