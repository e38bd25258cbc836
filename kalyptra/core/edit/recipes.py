"""Recipes of the plane: one press sets up how far away things are, and where focus lies; the rest stays as it is."""

from __future__ import annotations

from collections.abc import Callable
from enum import StrEnum
from typing import Any

from kalyptra.core.setup.document.distance import (
    AnySource,
    Backdrop,
    Band,
    Corners,
    Distance,
    Ground,
    Height,
    Pin,
    Pinned,
    Place,
    Stacking,
)
from kalyptra.core.setup.document.focus import still_focus
from kalyptra.core.setup.document.setup import Acts, Aperture, Pixels, Setup, Subject
from kalyptra.core.setup.geometry.planes import Camera, of_rectangle
from kalyptra.core.setup.resolve.look import camera_of, focus_of
from kalyptra.core.setup.resolve.source import plane_at
from kalyptra.core.setup.time.keyed import Keyed, constant, mix_distance

STOOD = 0.78
"""How far down the picture somebody's feet are taken to be (common practice, no source)."""


class Recipe(StrEnum):
    MINIATURE = "miniature"
    PAGE = "page"
    STREET = "street"
    DESK = "desk"
    PORTRAIT = "portrait"


def with_recipe(setup: Setup, recipe: Recipe, frame: int, size: tuple[int, int]) -> Setup:
    """A setup with its distances set up anew.

    Args:
        frame: the frame that is looked at.
        size: (width, height) of the clip.
    """
    makers: dict[Recipe, Callable[[Setup, int, Camera], Setup]] = {
        Recipe.MINIATURE: _miniature,
        Recipe.PAGE: _page,
        Recipe.STREET: _street,
        Recipe.DESK: _desk,
        Recipe.PORTRAIT: _portrait,
    }
    return makers[recipe](setup, frame, camera_of(setup, size))


def _with(setup: Setup, sources: list[AnySource], focus: float | None = None, softness: float | None = None) -> Setup:
    distance = setup.distance.model_copy(update={"sources": tuple(sources)})
    changed: dict[str, Any] = {"distance": distance}
    if focus is not None:
        changed["focus"] = setup.focus.model_copy(update={"distance": still_focus(focus)})
    if softness is not None:
        lens = {"aperture": Aperture.SOFTNESS, "softness": constant(softness, Pixels)}
        changed["lens"] = setup.lens.model_copy(update=lens)
    return setup.model_copy(update=changed)


def held_place(x: float, y: float) -> Keyed[Place]:
    return constant((round(x, 1), round(y, 1)), Place)


def held_metres(value: float) -> Keyed[Distance]:
    return constant(round(value, 3), Distance)


def _miniature(setup: Setup, frame: int, camera: Camera) -> Setup:
    """A sharp band below the middle, as a lens close above a model would have it."""
    away = focus_of(setup, frame, camera)
    h = camera.height
    length = {"fall_near": round(h * 0.36, 1), "fall_far": round(h * 0.42, 1), "width": round(h * 0.14, 1)}
    band = Band(
        id="band", name="Sharp band", centre=held_place(camera.width / 2, h * 0.58), distance=held_metres(away),
        reach=constant(round(0.8 / away, 5)), **{name: constant(value) for name, value in length.items()},
    )  # fmt: skip
    return _with(setup, [as_read(band)], round(away, 3), round(camera.width * 0.016, 1))


def _page(setup: Setup, frame: int, camera: Camera) -> Setup:
    """A sheet of 21 cm seen at a slant, to be pulled onto the page by its corners; sharp in its middle."""
    w, h = camera.width, camera.height
    corners = [(w * 0.3, h * 0.2), (w * 0.7, h * 0.2), (w * 0.85, h * 0.85), (w * 0.15, h * 0.85)]
    page = Corners(
        id="page", name="Page", corners=tuple(held_place(*corner) for corner in corners), width=constant(0.21)
    )
    focus = 1 / of_rectangle(camera, corners, 0.21).dioptres(w / 2, h / 2)
    return _with(setup, [as_read(page)], round(focus, 3))


def _street(setup: Setup, frame: int, camera: Camera) -> Setup:
    """Level ground up to what stands at its end; focus is on the first subject, or where somebody would stand."""
    ground = Ground(
        id="ground", name="Ground", joins=Stacking.NEARER, horizon=constant(round(camera.height * 0.42, 1)),
        height=constant(1.5, Height),
    )  # fmt: skip
    person = _first_layer(setup)
    stood = plane_at(ground, frame, camera).dioptres(camera.width / 2, camera.height * STOOD)
    away = person.distance.at(frame, mix_distance) if person else 1 / stood
    return _with(setup, [_backdrop(setup, 40.0), as_read(ground)], round(away, 3))


def _desk(setup: Setup, frame: int, camera: Camera) -> Setup:
    """A desk top from the front edge of the picture to its back."""
    w, h = camera.width, camera.height
    near, far = (
        Pin(place=held_place(w / 2, h * 0.92), distance=held_metres(0.45)),
        Pin(place=held_place(w / 2, h * 0.12), distance=held_metres(1.3)),
    )
    return _with(setup, [Pinned(id="desk", name="Desk top", pins=(near, far))], 0.7)


def _portrait(setup: Setup, frame: int, camera: Camera) -> Setup:
    """A person in front of a wall; focus is on the first subject."""
    person = _first_layer(setup)
    away = person.distance.at(frame, mix_distance) if person else 1.6
    wall = Backdrop(id="wall", name="Wall", distance=held_metres(away * 2.2))
    return _with(setup, [wall], round(away, 3), round(camera.width * 0.02, 1))


def _first_layer(setup: Setup) -> Subject | None:
    return next((subject for subject in setup.subjects if subject.enabled and subject.acts is Acts.CUT_OUT), None)


def _backdrop(setup: Setup, otherwise: float) -> AnySource:
    backdrop = next((source for source in setup.distance.sources if isinstance(source, Backdrop)), None)
    return backdrop or Backdrop(id="backdrop", name="Backdrop", distance=held_metres(otherwise))


def as_read(source: AnySource) -> Any:
    """The same source as one that a document would give: its keyed values of the classes that their fields have."""
    return type(source).model_validate_json(source.model_dump_json(warnings=False))
