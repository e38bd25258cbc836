"""What the page is told of a frame's distances, advice where people go wrong, and recipes."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import ClipFacts, FootageKind, Rate, Transfer
from kalyptra.core.clip.reader import HeldPicture, Picture
from kalyptra.core.compose import Sources
from kalyptra.core.distance.imported import as_stored
from kalyptra.core.edit.recipes import Recipe, with_recipe
from kalyptra.core.frame import render_frame
from kalyptra.core.proof.views import View
from kalyptra.core.setup.document.setup import Setup
from kalyptra.core.setup.files.read import read_setup
from kalyptra.core.setup.geometry.shapes import ellipse
from kalyptra.core.surveying import Survey, survey, ways

WIDTH, HEIGHT = 480, 270
NAME = "a" * 32


def hold(value: Any) -> dict[str, Any]:
    return {"keys": [{"frame": 0, "value": value}]}


class Shelf:
    """A store with one map, near below."""

    def picture(self, name: str) -> NDArray[Any]:
        return as_stored(np.tile(np.linspace(0, 1, 54, dtype=np.float32)[:, None], (1, 96)))


def sources() -> Sources:
    codes = np.full((HEIGHT, WIDTH, 3), 120, np.uint8)
    facts = ClipFacts(kind=FootageKind.STILL, container="still", codec="picture", width=WIDTH, height=HEIGHT, frames=10,
                      rate=Rate(numerator=25, denominator=1), transfer=Transfer.SRGB, bits=8)  # fmt: skip
    return Sources(HeldPicture(facts, Picture(codes, Transfer.SRGB)), WIDTH, Shelf())


def subject(distance: float, **more: Any) -> dict[str, Any]:
    outline = {"id": "line1", "shape": hold(ellipse(240, 150, 80, 160)), "placement": hold([1, 0, 0, 0, 1, 0, 0, 0])}
    return {"id": "runner", "name": "Runner", "matte": {"kind": "outline", "outlines": [outline]},
            "distance": hold(distance), **more}  # fmt: skip


def setup(*found: dict[str, Any], focus: float = 2.0, **more: Any) -> Setup:
    return read_setup({"distance": {"sources": list(found)}, "focus": {"distance": hold(focus)}, **more})


def look(*found: dict[str, Any], **more: Any) -> Survey:
    return survey(setup(*found, **more), 0, sources())


def kinds(seen: Survey) -> set[str]:
    return {note.kind for note in seen.notes}


PLANE = {"kind": "pins", "id": "plane", "pins": [{"place": hold([240, 250]), "distance": hold(1.0)},
                                               {"place": hold([240, 20]), "distance": hold(8.0)}]}  # fmt: skip
WALL = {"kind": "backdrop", "id": "wall", "name": "Wall", "distance": hold(12.0)}
MAP = {"kind": "map", "id": "depth", "name": "Depth pass", "frames": [NAME], "near": hold(1.0), "far": hold(9.0)}


class Surveys(TestCase):
    def test_the_distance_under_the_pointer_and_the_lines_are_those_of_the_plane(self) -> None:
        seen = look(PLANE)
        row = 80 / HEIGHT * seen.foremost.shape[0]
        expected = 1 / 8 + (80 - 20) / 230 * (1 - 1 / 8)
        self.assertAlmostEqual(float(seen.foremost[round(row - 0.5), 100]), expected, delta=0.01)
        lines = dict(seen.lines)
        for metres in (1.4, 2.0, 4.0):
            y = 20 + (1 / metres - 1 / 8) / (1 - 1 / 8) * 230
            np.testing.assert_allclose(np.array(lines[metres][0])[:, 1], y, atol=0.6)

    def test_a_subject_lies_before_the_map_and_its_way_is_told(self) -> None:
        seen = look(WALL, subjects=[subject(2.0)])
        middle = seen.foremost[round(150 / HEIGHT * seen.foremost.shape[0]), seen.foremost.shape[1] // 2]
        self.assertAlmostEqual(float(middle), 0.5, places=5)
        way = ways(setup(WALL, subjects=[subject(2.0)]), (0, 5), (WIDTH, HEIGHT), Shelf())["runner"]
        self.assertEqual([(frame, round(away, 3)) for frame, _, away in way], [(0, 0.5), (5, 0.5)])
        self.assertAlmostEqual(way[0][1], 0.5, places=2)

    def test_a_region_gives_a_source_its_place_and_is_no_subject_of_its_own(self) -> None:
        near = {"kind": "backdrop", "id": "near", "distance": hold(1.5), "region": {"subject": "runner"}}
        seen = look(WALL, near, subjects=[subject(2.0, acts="region")])
        self.assertAlmostEqual(1 / float(seen.foremost.max()), 1.5, places=3)
        self.assertAlmostEqual(1 / float(np.median(seen.foremost)), 12, places=3)

    def test_the_distance_view_is_lighter_where_it_is_nearer(self) -> None:
        view = render_frame(setup(PLANE), 0, sources(), View.DISTANCE).astype(int).sum(axis=2)[:, 100]
        self.assertTrue((np.diff(view) >= -2).all())
        self.assertGreater(view[-1], view[0] + 200)


class Advice(TestCase):
    def test_a_map_the_wrong_way_round_is_told_and_turning_it_heals_it(self) -> None:
        self.assertNotIn("turned", kinds(look(MAP)))
        self.assertIn("turned", kinds(look({**MAP, "white_is_near": False})))
        wrong = {**PLANE, "pins": PLANE["pins"][::-1]}
        wrong = {
            **PLANE,
            "pins": [{**a, "distance": b["distance"]} for a, b in zip(PLANE["pins"], wrong["pins"], strict=True)],
        }
        self.assertIn("turned", kinds(look(wrong)))
        self.assertNotIn("turned", kinds(look(PLANE)))

    def test_nothing_at_the_focus_is_told_with_where_to_focus(self) -> None:
        lens = {"f_number": 1.4}
        note = next(note for note in look(WALL, focus=2.0, lens=lens).notes if note.kind == "nothing-sharp")
        self.assertAlmostEqual(note.value or 0, 12.0, places=2)
        self.assertNotIn("nothing-sharp", kinds(look(WALL, focus=12.0, lens=lens)))
        self.assertNotIn("nothing-sharp", kinds(look(WALL, focus=2.0, lens=lens, subjects=[subject(2.0)])))

    def test_a_lens_stopped_down_too_far_is_told(self) -> None:
        self.assertIn("nothing-soft", kinds(look(PLANE, lens={"f_number": 256})))
        self.assertNotIn("nothing-soft", kinds(look(PLANE, lens={"f_number": 4})))

    def test_why_nothing_is_soft_is_told(self) -> None:
        lens = {"f_number": 1.4}
        everything = {
            "id": "line1",
            "shape": hold(ellipse(240, 150, 900, 900)),
            "placement": hold([1, 0, 0, 0, 1, 0, 0, 0]),
        }
        all_over = subject(2.0, matte={"kind": "outline", "outlines": [everything]})
        seen = {
            "all-covered": look(WALL, lens=lens, subjects=[all_over]),
            "all-at-focus": look({**WALL, "distance": hold(2.0)}, lens=lens),
            "held-all": look(WALL, lens={**lens, "held": {"near": 1.0, "far": 20.0}}),
            "no-strength": look(WALL, lens=lens, finish={"strength": hold(0.0)}),
            "no-effect": look(WALL, lens=lens, effect=False),
        }
        whys = {"nothing-soft", *seen}
        self.assertEqual({why: kinds(survey) & whys for why, survey in seen.items()}, {why: {why} for why in seen})
        self.assertEqual(kinds(look(WALL, lens=lens, subjects=[subject(2.0)])) & whys, set())

    def test_sources_that_fight_are_told(self) -> None:
        notes = look(PLANE, WALL).notes
        self.assertEqual([note.about for note in notes if note.kind == "hidden"], ["plane"])
        self.assertNotIn("hidden", kinds(look(WALL, {**PLANE, "joins": "nearer"})))
        mixed = {**WALL, "id": "near", "distance": hold(1.0), "strength": hold(0.5)}
        self.assertIn("fight", kinds(look(WALL, mixed)))


class Recipes(TestCase):
    def test_each_makes_a_setup_in_which_something_is_sharp_and_something_soft(self) -> None:
        before = setup(WALL, focus=3.0, lens={"f_number": 1.2, "focal_length_mm": 50}, subjects=[subject(3.0)])
        for recipe in Recipe:
            made = with_recipe(before, recipe, 0, (WIDTH, HEIGHT))
            self.assertEqual(read_setup(made.model_dump_json()), made, recipe)
            self.assertEqual(made.subjects, before.subjects)
            found = kinds(survey(made, 0, sources()))
            self.assertEqual(found & {"nothing-sharp", "nothing-soft", "turned", "hidden"}, set(), recipe)
