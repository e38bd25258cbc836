"""Looks: what is taken of one shot is what another one gets, in its own size."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

from kalyptra.core import LookPart, NamedLook, PutLook, Refused, Setup, apply, read_setup, replaces, taken_look
from kalyptra.core.edit import ClipExtent
from kalyptra.core.setup.resolve.look import camera_of, focus_of
from kalyptra.core.tests.test_surveying import hold, subject

SMALL, LARGE = ClipExtent(1280, 720, 100), ClipExtent(3840, 2160, 200)


def keyed(*pairs: tuple[int, float]) -> dict[str, Any]:
    return {"keys": [{"frame": frame, "value": value} for frame, value in pairs]}


def glass() -> Setup:
    """A rack from the glass to the backdrop, with a finish."""
    return read_setup({
        "version": 6, "footage": {"first": 0, "last": 99}, "subjects": [subject(0.9, refine={"feather_out": 6, "edge": "none"})],
        "distance": {"sources": [
            {"kind": "backdrop", "id": "wall", "distance": hold(9.0)},
            {"kind": "round", "id": "lamp", "centre": hold([640, 360]), "across": hold(100), "down": hold(50),
             "stops": [{"at": hold(0), "distance": hold(2)}, {"at": hold(1), "distance": hold(9)}]},
        ]},
        "lens": {"aperture": "softness", "softness": keyed((0, 20.0), (50, 40.0)), "iris": {"blades": 7},
                 "character": {"cats_eye": hold(0.5), "glow_size": 30}},
        "focus": {"distance": keyed((20, 0.9), (60, 9.0))},
        "finish": {"strength": hold(0.8), "outside": {"saturation": keyed((0, 1.0), (50, 0.0)), "blur_to": 12},
                   "stretch": {"first": 10, "last": 40}},
    })  # fmt: skip


def plain() -> Setup:
    """Another shot: a subject at 2 m before a wall at 6 m."""
    return read_setup({
        "version": 6, "footage": {"first": 50, "last": 149}, "subjects": [subject(2.0)],
        "distance": {"sources": [{"kind": "backdrop", "id": "back", "distance": hold(6.0)}]}, "focus": {"distance": hold(2.0)},
    })  # fmt: skip


class Looks(TestCase):
    def test_it_is_taken_as_it_is_at_a_frame_and_names_nothing_of_its_shot(self) -> None:
        look = taken_look(glass(), "Tea", LookPart, 50, SMALL)
        assert look.lens and look.finish
        self.assertEqual((look.lens.softness, len(look.finish.outside.saturation.keys)), (40.0, 1))
        self.assertEqual(look.finish.outside.saturation.keys[0].value, 0.0)
        self.assertEqual((look.finish.stretch, look.finish.strength.keys[0].value), (None, 0.8))
        self.assertEqual(set(look.parts), set(LookPart))
        self.assertEqual(NamedLook.model_validate_json(look.model_dump_json()), look)

    def test_px_go_with_the_size_of_the_clip_and_all_else_stays(self) -> None:
        look = taken_look(glass(), "Tea", LookPart, 50, SMALL)
        large = apply(plain(), [PutLook(look=look, parts=tuple(LookPart))], LARGE)
        self.assertAlmostEqual(large.lens.softness.keys[0].value, 120.0)
        self.assertAlmostEqual(large.finish.outside.blur_to, 36.0)
        self.assertAlmostEqual(large.subjects[0].refine.feather_out, 18.0)
        self.assertAlmostEqual(large.lens.character.glow_size, 90.0)
        lamp: Any = large.distance.source("lamp")
        self.assertEqual((lamp.centre.keys[0].value, lamp.across.keys[0].value), ((1920.0, 1080.0), 300.0))
        self.assertEqual(large.lens.iris.blades, 7)
        self.assertEqual(large.subjects[0].distance, plain().subjects[0].distance)
        self.assertEqual(large.footage, plain().footage)

    def test_a_pull_keeps_its_shape_between_what_is_there(self) -> None:
        look = taken_look(glass(), "Rack", [LookPart.PULL], 0, SMALL)
        put = apply(plain(), [PutLook(look=look, parts=(LookPart.PULL,))], SMALL)
        frames = [key.frame for key in put.focus.distance.keys]
        self.assertEqual(frames, [50 + 20, 50 + 60])
        camera = camera_of(put, SMALL.size)
        self.assertAlmostEqual(focus_of(put, 70, camera), 2.0, places=2)  # on its own subject
        self.assertAlmostEqual(focus_of(put, 110, camera), 6.0, places=1)  # on its own backdrop

    def test_it_says_beforehand_what_it_replaces(self) -> None:
        look = taken_look(glass(), "Tea", [LookPart.LENS, LookPart.IRIS, LookPart.PULL], 0, SMALL)
        lines = replaces(plain(), look, LookPart, SMALL)
        self.assertEqual(lines[0], "Lens: 50 mm, f/1.8 becomes 50 mm, 20 px soft.")
        self.assertIn("7 blades", lines[1])
        put = apply(plain(), [PutLook(look=look, parts=tuple(LookPart))], SMALL)
        self.assertEqual(replaces(put, look, LookPart, SMALL), [])
        alone = read_setup({"version": 6, "footage": {"first": 0, "last": 9}})
        self.assertIn("cannot be put on", replaces(alone, look, [LookPart.PULL], SMALL)[0])
        with self.assertRaises(Refused):
            apply(alone, [PutLook(look=look, parts=(LookPart.PULL,))], SMALL)
