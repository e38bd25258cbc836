"""Ways of looking at a frame: each a function of what the frame is made of."""

from __future__ import annotations

from collections.abc import Callable
from enum import StrEnum

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.transfer import to_codes
from kalyptra.core.compose import Composed
from kalyptra.core.layered import Matte, Plate, blur_size, foremost, through_lens
from kalyptra.core.proof.blur_size import blur_view
from kalyptra.core.proof.distance import distance_view
from kalyptra.core.proof.edges import edge_view
from kalyptra.core.proof.seen import change_view, seen_view
from kalyptra.core.setup.resolve.look import spoken

Codes = NDArray[np.uint8]
"""(height, width, 3) RGB."""
OVERLAY_LIGHT = np.array([0.78, 0.10, 0.05], np.float32)


class View(StrEnum):
    """What a frame is looked at as."""

    RESULT = "result"
    SOURCE = "source"
    OVERLAY = "overlay"
    MATTE = "matte"
    BLUR = "blur"
    DISTANCE = "distance"
    CHANGE = "change"
    PLATE = "plate"
    SEEN = "seen"
    EDGES = "edges"


def _result(made: Composed, _: str | None) -> Codes:
    return to_codes(made.result, made.picture.transfer)


def _matte(made: Composed, subject: str | None) -> Codes:
    whole = np.round(_together(made, subject) * 255).astype(np.uint8)
    return cv2.cvtColor(whole, cv2.COLOR_GRAY2RGB)  # type: ignore[no-any-return]


def _overlay(made: Composed, subject: str | None) -> Codes:
    share = _together(made, subject)[..., None] * np.float32(0.5)
    return to_codes(made.light * (1 - share) + OVERLAY_LIGHT * share, made.picture.transfer)


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
    return blur_view(blur_size(made.dioptres, made.cut_outs, made.opening) / np.float32(made.scale))


def _plate(made: Composed, _: str | None) -> Codes:
    return to_codes(made.plate.light, made.picture.transfer)


def _seen(made: Composed, _: str | None) -> Codes:
    covered = [cut_out.matte for cut_out in made.cut_outs]
    return seen_view(made.light, covered, made.known.seen if made.known else None, made.growth)


def _edges(made: Composed, _: str | None) -> Codes:
    plate, unfilled = made.plate, Plate(made.light, made.dioptres)
    naive = through_lens(made.light, made.dioptres, made.cut_outs, made.opening, unfilled, made.quality)
    behind = through_lens(plate.light, plate.dioptres, (), made.opening, plate, made.quality)
    codes = [to_codes(seen, made.picture.transfer) for seen in (made.blurred, naive, behind)]
    return edge_view(codes[0], codes[1], codes[2], [cut_out.matte for cut_out in made.cut_outs])


VIEWS: dict[View, Callable[[Composed, str | None], Codes]] = {
    View.RESULT: _result,
    View.OVERLAY: _overlay,
    View.MATTE: _matte,
    View.BLUR: _blur,
    View.DISTANCE: _distance,
    View.CHANGE: _change,
    View.PLATE: _plate,
    View.SEEN: _seen,
    View.EDGES: _edges,
}
"""How each view is made of what a frame is made of; the source is the picture itself."""
