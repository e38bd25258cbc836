"""One frame, start to end: the setup at that frame, what it is made of, and one view of that."""

from __future__ import annotations

from collections.abc import Callable
from enum import StrEnum

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.transfer import to_codes, to_light
from kalyptra.core.compose import Composed, Sources, compose, matte_of
from kalyptra.core.layered import Matte, Plate, Quality, blur_size, foremost, through_lens
from kalyptra.core.plate.behind import picture_behind
from kalyptra.core.plate.decontaminate import own_colour
from kalyptra.core.proof.blur_size import blur_view
from kalyptra.core.proof.distance import distance_view
from kalyptra.core.proof.edges import edge_view
from kalyptra.core.proof.seen import change_view, seen_view
from kalyptra.core.setup.document import Acts, FilledBy, Setup
from kalyptra.core.setup.resolve import Look, resolve, spoken

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


def render_frame(
    setup: Setup,
    frame: int,
    sources: Sources,
    view: View = View.RESULT,
    subject: str | None = None,
    quality: Quality = Quality.FINAL,
) -> Codes:
    """Make the picture at a frame.

    Args:
        frame: frame number of the clip.
        view: the result, or something to check it by.
        subject: for the views of mattes the subject's id; None means all of them together.

    Returns:
        (height, width, 3) RGB codes, as large as the pictures of the footage, on the footage's own transfer curve.

    Raises:
        FrameUnreadable: the footage has no such frame.
        NotKept: a stored matte, plate or map is not there.
    """
    return render_look(resolve(setup, frame, sources.full_size), frame, sources, view, subject, quality)


def render_look(
    look: Look,
    frame: int,
    sources: Sources,
    view: View = View.RESULT,
    subject: str | None = None,
    quality: Quality = Quality.FINAL,
) -> Codes:
    """The same, of a setup that was resolved before."""
    if view is View.SOURCE:  # needs no matte, and shows where one is gone
        picture = sources.footage.picture(frame)
        return to_codes(to_light(picture.codes, picture.transfer), picture.transfer)
    return VIEWS[view](compose(look, frame, sources, quality), subject)


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
    return change_view([made.unrefined(one) for _, one in chosen], [matte for matte, _ in chosen], made.picture.size)


def _distance(made: Composed, _: str | None) -> Codes:
    return distance_view(foremost(made.dioptres, made.cut_outs), *spoken(made.look, made.sources.full_size))


def _blur(made: Composed, _: str | None) -> Codes:
    return blur_view(blur_size(made.dioptres, made.cut_outs, made.opening) / np.float32(made.scale))


def _plate(made: Composed, _: str | None) -> Codes:
    return to_codes(made.plate.light, made.picture.transfer)


def _seen(made: Composed, _: str | None) -> Codes:
    covered = [one.matte for one in made.cut_outs]
    return seen_view(made.light, covered, made.known.seen if made.known else None, made.growth)


def _edges(made: Composed, _: str | None) -> Codes:
    plate, unfilled = made.plate, Plate(made.light, made.dioptres)
    naive = through_lens(made.light, made.dioptres, made.cut_outs, made.opening, unfilled, made.quality)
    behind = through_lens(plate.light, plate.dioptres, (), made.opening, plate, made.quality)
    codes = [to_codes(one, made.picture.transfer) for one in (made.blurred, naive, behind)]
    return edge_view(codes[0], codes[1], codes[2], [one.matte for one in made.cut_outs])


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


def cut_out(setup: Setup, frame: int, sources: Sources, subject: str | None = None) -> tuple[Codes, Matte]:
    """A subject taken out of its frame, with its own colour where its edge is soft.

    Args:
        subject: the subject's id; None means all of them together.

    Returns:
        (height, width, 3) RGB codes on the footage's transfer curve, black where the matte is 0, and the matte.

    Raises:
        FrameUnreadable: the footage has no such frame.
        NotKept: a stored matte or plate is not there.
    """
    made = compose(resolve(setup, frame, sources.full_size), frame, sources)
    chosen = [m for m, one in made.mattes if subject == one.id or (subject is None and one.acts is not Acts.REGION)]
    size = made.picture.size
    matte = np.asarray(np.max(chosen, axis=0), np.float32) if chosen else np.zeros(size, np.float32)
    detailed = made.look.plate.filled_by is FilledBy.DETAILED
    flat = np.zeros(size, np.float32)
    behind, _ = picture_behind(made.light, flat, [matte], made.growth, made.known, detailed)
    colour = own_colour(made.light, matte, behind)
    colour[matte <= 0] = 0
    return to_codes(colour, made.picture.transfer), matte


def covered(setup: Setup, frame: int, sources: Sources) -> Matte:
    """What the cut-outs of a frame cover together: the hole in the picture behind them.

    Raises:
        FrameUnreadable, NotKept: as `cut_out`.
    """
    look = resolve(setup, frame, sources.full_size)
    picture = sources.footage.picture(frame)
    scale = picture.size[1] / sources.full_width
    kept = sources.kept
    mattes = [matte_of(one, picture, scale, kept, False) for one in look.subjects if one.acts is Acts.CUT_OUT]
    return np.asarray(np.max(mattes, axis=0), np.float32) if mattes else np.zeros(picture.size, np.float32)
