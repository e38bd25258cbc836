"""A frame's distances for the page: under the pointer, as lines of equal distance, from above, and what is amiss."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.reader import shrink
from kalyptra.core.compose import Sources, distance_map, layers_of, mattes_of
from kalyptra.core.distance.stack import Layer, stack
from kalyptra.core.layered import CutOut, foremost, largest_disc, opening_at
from kalyptra.core.matte.stored import stored_matte
from kalyptra.core.parallax import Beside, laid_matte, moved_ground, moved_layer
from kalyptra.core.proof import advice
from kalyptra.core.proof.advice import Note
from kalyptra.core.proof.blur_size import end_for
from kalyptra.core.setup.document.distance import AnySource, Backdrop, MapFile, Pinned, Stacking
from kalyptra.core.setup.document.setup import Acts, Edge, OutlineMatte, Setup
from kalyptra.core.setup.resolve.look import (
    DrawnAt,
    Look,
    SubjectAt,
    camera_of,
    distance_of,
    matte_at,
    resolve,
    seeing_camera,
    spoken,
)
from kalyptra.core.setup.resolve.source import BandAt, SourceAt
from kalyptra.core.setup.resolve.space import SpacePlan, space_plan
from kalyptra.core.store import Store

WIDTH = 240
"""Px of the small picture that a survey is made on."""
RULED = (0.1, 0.15, 0.2, 0.3, 0.4, 0.5, 0.7, 1.0, 1.4, 2.0, 2.8, 4.0, 5.6, 8.0, 11.0, 16.0, 32.0, 64.0)
"""Metres at which lines are drawn: each has about 1.4 times the distance of the one before."""
WAY = 60
"""Steps in which the way of a camera in space is told."""
ROWS, COLUMNS = 3, 17
"""Places of the picture at which a source is seen from above."""
AGREE = 0.5
"""The share of the range by which two sources may differ where they are mixed."""

MIXED = (0.25, 0.75)
"""Strengths at which a source is mixed with those before it, more than it corrects them."""

Way = list[tuple[int, float, float]]
"""Frames, each with a subject's place across the picture, 0 to 1, and its dioptres."""


@dataclass(frozen=True)
class Survey:
    """A frame's distances.

    Attributes:
        low, high: dioptres that have to be shown.
        foremost: (height, width) 1/m of whatever lies foremost, small.
        lines: metres, and where the map has that distance: lines of places, px of the source.
        sources: of each source its own dioptres at places of the picture, rows from top to bottom.
        notes: what is likely amiss.
        blur_end: the disc, px of the source, at which the colours of the blur-size view end.
        space: the cards and the camera, of a shot that is set in space.
    """

    low: float
    high: float
    foremost: NDArray[np.float32]
    lines: list[tuple[float, list[list[tuple[float, float]]]]]
    sources: dict[str, list[list[float]]]
    notes: list[Note]
    blur_end: float
    space: SpacePlan | None


def survey(setup: Setup, frame: int, sources: Sources) -> Survey:
    """Look at a frame's distances.

    Raises:
        FrameUnreadable, NotKept: a picture is not there.
    """
    picture = shrink(sources.footage.picture(frame), WIDTH)
    size, look = sources.full_size, resolve(setup, frame, sources.full_size)
    scale = picture.size[1] / size[0]
    # On a card in space subjects are part of its picture.
    pairs = mattes_of(look, picture, scale, sources.store) if look.space is None else []
    dioptres = distance_map(look, picture, pairs, sources)
    cut_outs = [CutOut(matte, first.distance) for matte, first in pairs if first.acts is Acts.CUT_OUT]
    seen = foremost(dioptres, cut_outs)
    low, high = spoken(look, size)
    layers = (
        layers_of(look, picture, sources, {first.id: matte for matte, first in pairs}) if look.space is None else []
    )
    alone = {at.id: stack(picture.size, scale, [Layer(layer.shape, curve=layer.curve)]) for at, layer in layers}
    notes = [
        *_lens_notes(setup, look, seen, dioptres, size[0]),
        *_filled(look, dioptres, cut_outs, scale),
        *_turned(setup, alone, [matte for matte, _ in pairs]),
        *_fights(setup, layers, alone, scale),
        *_advice(setup, look, pairs, size),
    ]
    return Survey(
        low, high, seen, _lines(dioptres, scale), {name: _places(item) for name, item in alone.items()}, notes,
        end_for(largest_disc(look, size)), _plan(setup, look, frame, size),
    )  # fmt: skip


def _plan(setup: Setup, look: Look, frame: int, size: tuple[int, int]) -> SpacePlan | None:
    if setup.space is None or look.space is None:
        return None
    first, last = setup.footage.first, setup.footage.last
    steps = {round(first + (last - first) * i / WAY) for i in range(WAY + 1)}
    camera = setup.space.camera
    keyed = {key.frame for keys in (camera.across, camera.up, camera.ahead) for key in keys.keys}
    return space_plan(setup.space, frame, seeing_camera(look.lens, size), sorted(steps | keyed))


def _lines(dioptres: NDArray[np.float32], scale: float) -> list[tuple[float, list[list[tuple[float, float]]]]]:
    from contourpy import contour_generator

    if float(dioptres.max() - dioptres.min()) < 1e-5:
        return []
    height, width = dioptres.shape
    x, y = (np.arange(width) + 0.5) / scale, (np.arange(height) + 0.5) / scale
    contours = contour_generator(x=x, y=y, z=dioptres)
    out = []
    for metres in RULED:
        lines = [
            [(round(float(a), 1), round(float(b), 1)) for a, b in np.asarray(line)[::2]]
            for line in contours.lines(1 / metres)  # type: ignore[union-attr]
            if len(line) > 6
        ]
        if lines:
            out.append((metres, lines))
    return out


def _places(dioptres: NDArray[np.float32]) -> list[list[float]]:
    """A source at few places of the picture."""
    rows = np.linspace(0, dioptres.shape[0] - 1, ROWS).round().astype(int)
    columns = np.linspace(0, dioptres.shape[1] - 1, COLUMNS).round().astype(int)
    return [[round(float(dioptres[row, column]), 5) for column in columns] for row in rows]


def _lens_notes(
    setup: Setup, look: Look, seen: NDArray[np.float32], behind: NDArray[np.float32], full_width: int
) -> Iterator[Note]:
    if not look.effect:
        yield advice.switched_off()
        return
    if look.finish.strength <= 0 and setup.finish.stretch is None:
        yield advice.without_strength()
        return
    opening = opening_at(look, full_width)
    sizes = opening.coc(seen, full_width)
    sharp = setup.lens.permissible_coc_mm / setup.lens.sensor_width_mm * full_width
    unheld = replace(opening, held=None).coc(seen, full_width) if opening.held else sizes
    below = opening.coc(behind, full_width)
    notes = [advice.nothing_soft(sizes, unheld, below, seen, look.focus, opening.lens.f_number)]
    notes.append(advice.too_much(sizes, full_width))
    if opening.held is None:
        notes.append(advice.nothing_sharp(sizes, seen, look.focus, sharp))
    yield from (note for note in notes if note)


def _filled(look: Look, dioptres: NDArray[np.float32], cut_outs: Sequence[CutOut], scale: float) -> Iterator[Note]:
    """How much of the picture is made up where the camera is moved."""
    if look.move is None:
        return
    beside = Beside.of(look.move, (dioptres.shape[0], dioptres.shape[1]), scale)
    ground = moved_ground(np.zeros((*dioptres.shape, 3), np.float32), dioptres, beside)
    hidden, open_part = np.zeros(dioptres.shape, np.float32), np.ones(dioptres.shape, bool)
    for cut_out in cut_outs:
        hidden = np.maximum(hidden, cut_out.matte)
        open_part &= moved_layer(ground.light, cut_out.matte, cut_out.distance, beside)[1] < 0.5
    filled = (ground.made_up | (laid_matte(hidden, ground) > 0.5)) & open_part
    way = math.hypot(look.move.across, look.move.up, look.move.ahead)
    note = advice.made_up(float(filled.mean()), way)
    if note:
        yield note


def _advice(
    setup: Setup, look: Look, pairs: Sequence[tuple[NDArray[np.float32], SubjectAt]], size: tuple[int, int]
) -> Iterator[Note]:
    """What is not amiss, and may look better."""
    notes = []
    if all(isinstance(setup.distance.source(at.id), Backdrop) for at in look.sources):
        layers = [(matte, subject) for matte, subject in pairs if subject.acts is Acts.CUT_OUT]
        names = {subject.id: subject.name for subject in setup.subjects}
        notes += [advice.floating(names[subject.id], subject.id, matte) for matte, subject in layers]
    for at in look.sources:
        if isinstance(at.shape, BandAt):
            name = name_of(setup.distance.source(at.id))
            notes += [advice.in_the_middle(name, at.id, at.shape.centre[1] / size[1]), advice.from_above(name, at.id)]
    for subject in setup.subjects:
        refine = subject.refine
        if (
            subject.enabled
            and isinstance(subject.matte, OutlineMatte)
            and refine.edge is Edge.NONE
            and subject.acts is Acts.CUT_OUT
        ):
            notes.append(advice.hard_line(subject.name, subject.id, refine.feather_in + refine.feather_out, size[1]))
    yield from (note for note in notes if note)


def _turned(
    setup: Setup, alone: Mapping[str, NDArray[np.float32]], mattes: Sequence[NDArray[np.float32]]
) -> Iterator[Note]:
    """Maps and pins that are the wrong way round."""
    for name, dioptres in alone.items():
        source = setup.distance.source(name)
        sunken = isinstance(source, MapFile) and any(advice.is_sunken(dioptres, matte) for matte in mattes)
        if sunken or (isinstance(source, MapFile | Pinned) and advice.is_turned(dioptres)):
            yield advice.wrong_way(name_of(source), name)


def _fights(
    setup: Setup, layers: Sequence[tuple[SourceAt, Layer]], alone: Mapping[str, NDArray[np.float32]], scale: float
) -> Iterator[Note]:
    """Sources that are wholly hidden, and sources that are mixed though they disagree."""
    if len(layers) < 2:
        return
    size = next(iter(alone.values())).shape
    names = [name_of(setup.distance.source(at.id)) for at, _ in layers]

    def stacked(chosen: Sequence[tuple[SourceAt, Layer]]) -> NDArray[np.float32]:
        return stack((size[0], size[1]), scale, [layer for _, layer in chosen])

    whole = stacked(layers)
    for i, (at, layer) in enumerate(layers):
        base = i == 0 and isinstance(setup.distance.source(at.id), Backdrop)  # what lies under all: nobody misses it
        if not base and np.abs(stacked([*layers[:i], *layers[i + 1 :]]) - whole).max() < advice.NOTHING:
            yield advice.without_effect(names[i], at.id, names[-1] if i + 1 < len(layers) else names[0])
        elif (
            i > 0 and layer.joins is Stacking.REPLACES and MIXED[0] < layer.strength < MIXED[1] and layer.region is None
        ):
            below, own = stacked(layers[:i]), alone[at.id]
            span = max(float(below.max()), float(own.max())) - min(float(below.min()), float(own.min()))
            if span > advice.NOTHING and float(np.abs(below - own).mean()) > AGREE * span:
                yield advice.fighting(names[i], names[i - 1], at.id)


def name_of(source: AnySource | None) -> str:
    if source is None:
        return ""
    return source.name or source.kind


def ways(setup: Setup, frames: Iterable[int], size: tuple[int, int], store: Store) -> dict[str, Way]:
    """Where each subject is over time, as it is seen from above; frames at which it has no matte are left out."""
    camera = camera_of(setup, size)
    out: dict[str, Way] = {
        subject.id: [] for subject in setup.subjects if subject.enabled and subject.acts is not Acts.REGION
    }
    for frame in frames:
        for subject in setup.subjects:
            if subject.id not in out:
                continue
            at = matte_at(subject, frame)
            if isinstance(at, DrawnAt):
                places = np.concatenate(
                    [np.array(outline.rows, float)[:, :2].reshape(-1, 2) for outline in at.outlines]
                )
                across = float(places[:, 0].mean()) / size[0]
            else:
                matte = stored_matte(at, (54, 96), store)
                moments = cv2.moments(matte)
                if moments["m00"] < 0.5:
                    continue
                across = (moments["m10"] / moments["m00"] + 0.5) / 96
            away = distance_of(setup, subject, frame, camera)
            out[subject.id].append((frame, round(min(1.0, max(0.0, across)), 4), round(1 / away, 5)))
    return out
