"""Get the compiled loops ready, so that the first picture that somebody waits for does not wait for the compiler."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import cv2
import numpy as np

from kalyptra.core.card import laid_card
from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.transfer import to_codes, to_light
from kalyptra.core.compiled import keep_freed_memory
from kalyptra.core.distance.stack import Layer, stack
from kalyptra.core.finish.colours import with_colours
from kalyptra.core.finish.grain import carry_grain
from kalyptra.core.following.people.model import person_share
from kalyptra.core.following.propagate.background import BackgroundPicture
from kalyptra.core.following.propagate.state import SubjectState
from kalyptra.core.following.propagate.step import propagate
from kalyptra.core.following.register.median import median_of
from kalyptra.core.following.track.matched_line import border_of, matched
from kalyptra.core.following.track.scattered import spread
from kalyptra.core.following.track.step import SubjectModel, find_step
from kalyptra.core.layered import CutOut, Opening, Quality, through_lens
from kalyptra.core.lens.even import spread_evenly
from kalyptra.core.lens.highlights import lift
from kalyptra.core.lens.layers import lay_sharp
from kalyptra.core.lens.optics import ThinLens
from kalyptra.core.lens.shape import Shape, shape_ends
from kalyptra.core.matte.closed_form import solved_edge
from kalyptra.core.matte.drawn import outline_matte
from kalyptra.core.matte.guided_filter import guided_filter
from kalyptra.core.matte.local_colours import edge_by_colours
from kalyptra.core.parallax import Beside, moved_ground
from kalyptra.core.plate.decontaminate import own_colour
from kalyptra.core.setup.document.finish import BANDS, GrainAtTone, MeasuredGrain
from kalyptra.core.setup.document.followed import Motion
from kalyptra.core.setup.document.setup import Iris, Refine
from kalyptra.core.setup.geometry.curve import Curve
from kalyptra.core.setup.geometry.planes import PlaneAt
from kalyptra.core.setup.geometry.shapes import ellipse
from kalyptra.core.setup.resolve.blur import CharacterAt
from kalyptra.core.setup.resolve.finish import ColoursAt, GrainAt
from kalyptra.core.setup.resolve.source import RoundAt, StopsAt


def warm_up() -> None:
    """Render one small frame, follow an outline and a matte by one; also keeps freed memory from here on."""
    keep_freed_memory()
    for step in warm_steps().values():
        step()


def warm_step(name: str) -> None:
    """One step of it: each can be done in a process of its own."""
    warm_steps()[name]()


def warm_steps() -> dict[str, Callable[[], object]]:
    """What it is made of, what takes longest first."""
    size = (54, 96)
    light = to_light(np.zeros((*size, 3), np.uint8), Transfer.SRGB)
    dioptres = np.tile(np.linspace(0.02, 0.6, size[1], dtype=np.float32), (size[0], 1))
    rows = Curve.model_validate(ellipse(48, 27, 30, 30)).rows
    noise = np.random.default_rng(1).integers(0, 255, (*size, 3), np.uint8)
    disc = cv2.circle(np.zeros(size, np.float32), (48, 27), 15, 1.0, cv2.FILLED)

    def mattes() -> None:
        for refine in (Refine(), Refine(feather_out=4.0)):
            outline_matte(rows, refine, size)
        guided_filter(noise, disc, 4, 1e-4, smaller=2)
        edge_by_colours(noise, disc, 4.0)
        solved_edge(noise, disc, 4.0)

    def lens() -> None:
        opening = Opening(ThinLens(0.05, 0.3, 2.0, 0.036))
        for quality in (Quality.PREVIEW, Quality.FINAL):
            to_codes(
                through_lens(light, dioptres, [CutOut(disc, 2.0), CutOut(disc, 3.0)], opening, quality=quality),
                Transfer.SRGB,
            )
        for character in (CharacterAt(cats_eye=0.8, colour_shift=1.0), CharacterAt(spherical=0.5)):
            of_its_own = replace(opening, character=character, full_width=size[1])
            through_lens(light, dioptres, [CutOut(disc, 3.0)], of_its_own, quality=Quality.PREVIEW)
        through_lens(light, dioptres, [CutOut(np.ones(size, np.float32), 3.0)], opening, quality=Quality.PREVIEW)
        shape_ends(Shape(Iris(), cut=0.4), 5.0)
        lift(light, dioptres, 0.5, 1.0, 1.0)
        spread_evenly(light, 3.0, Iris(), 0.0)

    def follow() -> None:
        flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
        behind = BackgroundPicture.unknown(noise.shape[:2])
        propagate(SubjectState.at(noise, disc), noise, behind, flow)
        find_step(noise, noise, rows, Motion.SIMILARITY, np.eye(3), SubjectModel.at(noise, rows))
        spread(rows[:, :2], rows[:, :2], rows[:, :2], rows[:, 0], 9.0, 1.0)
        matched(rows[:, :2], border_of(disc))

    def layers() -> None:
        # Whole pictures, and windows of them: a loop is compiled for each way in which its arrays may lie.
        part = (slice(1, None), slice(1, None))
        ways = ((light, disc, light), (light[part], disc[part], light[part]))
        mixed = ((light[part].copy(), disc[part], light[part]), (light[part], disc[part].copy(), light[part]))
        for colour, matte, ground in (*ways, *mixed):
            lay_sharp(colour, matte, ground)
        unchanging = light[part]
        unchanging.flags.writeable = False
        for picture, matte, behind in (*ways, (light[part].copy(), disc[part].copy(), unchanging)):
            own_colour(picture, matte, behind)

    def plates() -> None:
        for pictures in (light[None], noise[None]):
            median_of(pictures, np.ones((1, *size), bool), 1)

    def finish() -> None:
        tones = (GrainAtTone(tone=0.5, deviation=2.0),)
        even = ((1.0,) * BANDS,) * 3
        grain = MeasuredGrain(channels=(tones,) * 3, together=(0, 0, 0), spectra=even, first=0, last=1)
        picture = light.copy()
        carry_grain(picture, np.ones(size, np.float32), GrainAt(1.0, 1.0, grain), 0, 1.0, Transfer.SRGB)
        for colours in (ColoursAt(saturation=0.5), ColoursAt(contrast=1.2)):
            with_colours(picture, colours, Transfer.SRGB)
            with_colours(picture, colours, Transfer.SRGB, np.ones(size, np.float32))

    def distances() -> None:
        flat = PlaneAt(0.0, 0.1, 0.2)
        around = RoundAt((48.0, 27.0), 30.0, 20.0, 0.0, StopsAt((0.0, 1.0), (0.2, 0.5), False))
        for layers in ([Layer(flat)], [Layer(flat), Layer(around)]):
            stack(size, 1.0, layers)
        laid_card(light, None, np.eye(3), light.shape[:2])
        moved_ground(light, dioptres, Beside(20.0, 0.0, 0.1, 0.2, (48.0, 27.0)))

    return {
        "mattes": mattes,
        "lens": lens,
        "distances": distances,
        "finish": finish,
        "following": follow,
        "layers": layers,
        "plates": plates,
        "people": lambda: person_share(noise),
    }
