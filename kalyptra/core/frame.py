"""One frame, start to end: the setup at that frame, what it is made of, and one view of that."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.transfer import to_codes, to_light
from kalyptra.core.compose import Sources, compose
from kalyptra.core.finish.framing import framed, letterboxed
from kalyptra.core.layered import Light, Matte, Quality
from kalyptra.core.plate.clean_plate import clean_plate
from kalyptra.core.plate.decontaminate import own_colour
from kalyptra.core.proof.tint import Tint
from kalyptra.core.proof.views import VIEWS, Codes, View, overlay
from kalyptra.core.setup.document.setup import Acts, FilledBy, Setup
from kalyptra.core.setup.resolve.look import Look, resolve
from kalyptra.core.subject_matte import subject_matte

AS_TAKEN = frozenset({View.OVERLAY, View.MATTE, View.CHANGE})
"""Views of mattes, on which they are drawn and mended: they show the clip as it was taken, however the camera moves."""


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
    tint: Tint = Tint.APART,
) -> Codes:
    """The same, of a setup that was resolved before.

    Args:
        tint: the colour of a matte on the picture.
    """
    if view is View.SOURCE:
        return to_codes(*_source(frame, sources))
    if view in (View.RESULT, View.FRAMED):
        light, transfer = _result(look, frame, sources, quality)
        if view is View.RESULT:
            return to_codes(light, transfer)
        part = to_codes(framed(light, look.finish.framing, sources.full_width), transfer)
        return letterboxed(part, light.shape[0], light.shape[1])
    if view in AS_TAKEN:
        look = as_taken(look)
    made = compose(look, frame, sources, quality)
    return overlay(made, subject, tint) if view is View.OVERLAY else VIEWS[view](made, subject)


def render_framed(setup: Setup, frame: int, sources: Sources) -> Codes:
    """The picture at a frame as it goes into a file: the result, cut and enlarged as its framing says.

    Raises:
        FrameUnreadable, NotKept: as `render_frame`.
    """
    look = resolve(setup, frame, sources.full_size)
    light, transfer = _result(look, frame, sources, Quality.FINAL)
    return to_codes(framed(light, look.finish.framing, sources.full_width), transfer)


def as_taken(look: Look) -> Look:
    """The same, seen as the clip was taken."""
    return replace(look, move=None, space=None)


def _result(look: Look, frame: int, sources: Sources, quality: Quality) -> tuple[Light, Transfer]:
    """The result as light. Where nothing of it is seen it is the source: that needs no matte, and shows where one is
    gone."""
    if look.finish.strength <= 0 and look.move is None and look.space is None:
        return _source(frame, sources)
    made = compose(look, frame, sources, quality)
    return made.result, made.picture.transfer


def _source(frame: int, sources: Sources) -> tuple[Light, Transfer]:
    picture = sources.footage.picture(frame)
    return to_light(picture.codes, picture.transfer), picture.transfer


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
    made = compose(as_taken(resolve(setup, frame, sources.full_size)), frame, sources)
    chosen = [
        m for m, matte in made.mattes if subject == matte.id or (subject is None and matte.acts is not Acts.REGION)
    ]
    size = made.picture.size
    matte = np.asarray(np.max(chosen, axis=0), np.float32) if chosen else np.zeros(size, np.float32)
    detailed = made.look.plate.filled_by is FilledBy.DETAILED
    flat = np.zeros(size, np.float32)
    behind, _ = clean_plate(made.light, flat, [matte], made.growth, made.known, detailed)
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
    store = sources.store
    mattes = [
        subject_matte(subject, picture, scale, store, False)
        for subject in look.subjects
        if subject.acts is Acts.CUT_OUT
    ]
    return np.asarray(np.max(mattes, axis=0), np.float32) if mattes else np.zeros(picture.size, np.float32)
