"""Ways of looking at a frame: each a function of what the frame is made of."""

from __future__ import annotations

from collections.abc import Callable
from enum import StrEnum

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.transfer import to_codes, to_light
from kalyptra.core.compose import Composed, Moved
from kalyptra.core.layered import Light, Matte, Plate, blur_size, foremost, largest_disc, through_lens
from kalyptra.core.proof.blur_size import blur_view, end_for
from kalyptra.core.proof.distance import distance_view
from kalyptra.core.proof.edges import edge_view
from kalyptra.core.proof.seen import change_view, seen_view
from kalyptra.core.proof.tint import Tint, tint_of
from kalyptra.core.setup.resolve.look import spoken

Codes = NDArray[np.uint8]
"""(height, width, 3) RGB."""


class View(StrEnum):
    """What a frame is looked at as."""

    RESULT = "result"
    SOURCE = "source"
    FRAMED = "framed"
    """The result as it is rendered, where a framing cuts or enlarges it."""
    OVERLAY = "overlay"
    MATTE = "matte"
    BLUR = "blur"
    DISTANCE = "distance"
    CHANGE = "change"
    PLATE = "plate"
    BEHIND = "behind"
    SEEN = "seen"
    EDGES = "edges"


def _matte(made: Composed, subject: str | None) -> Codes:
    whole = np.round(_together(made, subject) * 255).astype(np.uint8)
    return cv2.cvtColor(whole, cv2.COLOR_GRAY2RGB)  # type: ignore[no-any-return]


def overlay(made: Composed, subject: str | None, tint: Tint = Tint.APART) -> Codes:
    """The picture under a subject's matte, or under all of them, in one colour."""
    matte = _together(made, subject)
    share = matte[..., None] * np.float32(0.5)
    colour = to_light(tint_of(tint, made.picture.codes, matte), made.picture.transfer)
    return to_codes(made.light * (1 - share) + colour * share, made.picture.transfer)


def _together(made: Composed, subject: str | None) -> Matte:
    mattes = [matte for matte, _ in made.chosen(subject)]
    return np.asarray(np.max(mattes, axis=0), np.float32) if mattes else np.zeros(made.picture.size, np.float32)


def _change(made: Composed, subject: str | None) -> Codes:
    chosen = made.chosen(subject)
    return change_view(
        [made.unrefined(matte) for _, matte in chosen], [matte for matte, _ in chosen], made.picture.size
    )


def _distance(made: Composed, _: str | None) -> Codes:
    return distance_view(foremost(made.dioptres, made.cut_outs), *spoken(made.look, made.sources.full_size))


def _blur(made: Composed, _: str | None) -> Codes:
    sizes = blur_size(made.dioptres, made.cut_outs, made.opening) / np.float32(made.scale)
    return blur_view(sizes, end_for(largest_disc(made.look, made.sources.full_size)))


def _plate(made: Composed, _: str | None) -> Codes:
    return to_codes(made.plate.light, made.picture.transfer)


def _behind(made: Composed, _: str | None) -> Codes:
    return to_codes(_plate_through_lens(made), made.picture.transfer)


def _plate_through_lens(made: Composed) -> Light:
    """The picture with the layers taken out, as the lens sees it."""
    return through_lens(made.plate.light, made.plate.dioptres, (), made.opening, made.plate, made.quality)


def _seen(made: Composed, _: str | None) -> Codes:
    covered = [cut_out.matte for cut_out in made.cut_outs]
    seen = made.known.seen if made.known else None
    filled = seen == 0 if isinstance(made, Moved) and seen is not None else None
    return seen_view(made.light, covered, seen, made.growth, filled)


def _edges(made: Composed, _: str | None) -> Codes:
    unfilled = Plate(made.light, made.dioptres)
    overlaid = through_lens(made.light, made.dioptres, made.cut_outs, made.opening, unfilled, made.quality)
    codes = [to_codes(seen, made.picture.transfer) for seen in (made.blurred, overlaid, _plate_through_lens(made))]
    return edge_view(codes[0], codes[1], codes[2], [cut_out.matte for cut_out in made.cut_outs])


VIEWS: dict[View, Callable[[Composed, str | None], Codes]] = {
    View.OVERLAY: overlay,
    View.MATTE: _matte,
    View.BLUR: _blur,
    View.DISTANCE: _distance,
    View.CHANGE: _change,
    View.PLATE: _plate,
    View.BEHIND: _behind,
    View.SEEN: _seen,
    View.EDGES: _edges,
}
"""How each view to check by is made of what a frame is made of; source and result are `frame`'s own."""
