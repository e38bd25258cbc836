"""Outlines as the editor over the picture needs them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from kalyptra.core import (
    DrawnOutline,
    NotOutlines,
    Setup,
    curve_of,
    fit_closed,
    outlines_from_svg,
    outlines_of,
    placed_at,
    placed_points,
    write_svg,
)

MOST_POINTS = 20_000


class BadDrawing(ValueError):
    """A drawing that makes no outline. The text says why and what to do."""


def outlines_at(setup: Setup, frame: int) -> dict[str, Any]:
    """By subject and outline: points in px of the source."""
    return {
        subject.id: {outline.id: {"points": placed_points(outline, frame)} for outline in outlines_of(subject.matte)}
        for subject in setup.subjects
    }


def fitted(points: Sequence[tuple[float, float]], tolerance: float) -> dict[str, Any]:
    """A freehand line as a curve."""
    line = np.array(points, np.float64).reshape(-1, 2)
    if not np.isfinite(line).all() or not 0.1 <= tolerance <= 100:
        raise BadDrawing("The line has a place that is no place. Draw it again.")
    try:
        return fit_closed(line, tolerance).model_dump(mode="json")
    except (ValueError, IndexError) as error:
        raise BadDrawing("The line is too short to enclose anything. Draw around the subject.") from error


def read_drawing(text: str, frame: int) -> list[dict[str, Any]]:
    """Outlines of an SVG file; drawings in no frame's group are keys at `frame`."""
    try:
        return [drawn.model_dump(mode="json") for drawn in outlines_from_svg(text, frame)]
    except NotOutlines as error:
        raise BadDrawing(f"The file could not be used: {error}. Nothing was changed.") from error


def svg_of(setup: Setup, subject_id: str, size: tuple[int, int]) -> str:
    """A subject's outlines at every frame of the range; empty groups for a subject that is not there."""
    subject = next((subject for subject in setup.subjects if subject.id == subject_id), None)
    frames = range(setup.footage.first, setup.footage.last + 1)
    drawn = {
        frame: [
            DrawnOutline(drawn.id, drawn.joins, curve_of(at.ids, at.rows))
            for drawn, at in (
                (outline, placed_at(outline, frame)) for outline in (outlines_of(subject.matte) if subject else ())
            )
        ]
        for frame in frames
    }
    return write_svg(drawn, size)
