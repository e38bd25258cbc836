"""Focus over time: keys, marks and holds, limits along the curve, performed pulls, tables, breathing, and advice."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.transfer import to_codes, to_light
from kalyptra.core.focus.breathing import breathed, enlargement
from kalyptra.core.focus.record import cleaned, fit_keys
from kalyptra.core.focus.table import NoTable, read, written
from kalyptra.core.reading import focus_notes, marks_at, read_frame, speeds
from kalyptra.core.setup.document.focus import Focus, FocusCurve, FocusKey, Mark
from kalyptra.core.setup.document.setup import Setup
from kalyptra.core.setup.files.read import SetupError, read_setup
from kalyptra.core.setup.resolve.focus import focus_at
from kalyptra.core.setup.resolve.look import resolve
from kalyptra.core.setup.time.easing import Ease, Handles
from kalyptra.core.tests.test_demo_truth import DEMO
from kalyptra.core.tests.test_surveying import hold, subject
from kalyptra.truth.demo import moments

SIZE = (1920, 1080)
EASES = st.one_of(st.sampled_from(list(Ease)),
                  st.builds(Handles, x1=st.floats(0, 1), y1=st.floats(0, 1), x2=st.floats(0, 1), y2=st.floats(0, 1)))  # fmt: skip


@st.composite
def curves(draw: st.DrawFn) -> FocusCurve:
    frames = sorted(draw(st.lists(st.integers(0, 300), min_size=1, max_size=8, unique=True)))
    return FocusCurve(keys=tuple(FocusKey(frame=f, value=draw(st.floats(0.2, 200)), ease=draw(EASES)) for f in frames))


def nobody(_: str, __: float) -> float | None:
    return None


def with_focus(keys: list[dict[str, Any]], marks: list[dict[str, Any]] | None = None, **more: Any) -> Setup:
    focus = {"distance": {"keys": keys}, "marks": marks or [], **more.pop("focus", {})}
    return read_setup({"footage": {"first": 0, "last": 60}, "focus": focus, **more})


class Curves(TestCase):
    @given(curves(), st.floats(-10, 320))
    def test_a_curve_passes_its_keys_exactly_and_stays_within_their_range(self, curve: FocusCurve, t: float) -> None:
        focus = Focus(distance=curve)
        for key in curve.keys:
            self.assertEqual(focus_at(focus, key.frame, nobody), key.value)
        values = [key.value for key in curve.keys]
        self.assertTrue(min(values) * (1 - 1e-9) <= focus_at(focus, t, nobody) <= max(values) * (1 + 1e-9))

    def test_an_eased_pull_is_the_w3c_curve_in_dioptres(self) -> None:
        # W3C CSS Easing Functions Level 1: ease-in-out at a quarter of the time is 0.1292.
        setup = with_focus([{"frame": 10, "value": 1.0, "ease": "eased"}, {"frame": 50, "value": 5.0}])
        quarter = resolve(setup, 20, SIZE).focus
        self.assertAlmostEqual(1 / quarter, 1 + 0.1292 * (1 / 5 - 1), places=4)
        self.assertAlmostEqual(1 / resolve(setup, 30, SIZE).focus, (1 + 1 / 5) / 2)

    def test_a_changed_mark_changes_every_pull_that_uses_it(self) -> None:
        keys = [
            {"frame": f, "value": 2.0, "mark": mark, "ease": "linear"}
            for f, mark in ((0, "near"), (20, "far"), (40, "near"))
        ]
        for away in (1.0, 1.5):
            marks = [
                {"id": "near", "name": "Glass", "distance": away},
                {"id": "far", "name": "Ferries", "distance": 9.0},
            ]
            setup = with_focus(keys, marks)
            found = [resolve(setup, frame, SIZE).focus for frame in (0, 10, 20, 40)]
            np.testing.assert_allclose(found, [away, 2 / (1 / away + 1 / 9), 9.0, away])

    def test_a_pull_arrives_at_a_subject_wherever_it_is_by_then_and_stays_on_it(self) -> None:
        walks = {"keys": [{"frame": 0, "value": 8.0, "ease": "linear"}, {"frame": 60, "value": 3.0}]}
        marks = [{"id": "walker", "name": "Walker", "distance": 1.0, "subject": "runner"}]
        keys = [
            {"frame": 0, "value": 1.0, "ease": "eased"},
            {"frame": 30, "value": 1.0, "mark": "walker", "ease": "hold"},
        ]
        setup = with_focus(keys, marks, subjects=[subject(8.0) | {"distance": walks}])
        for frame in (30, 45, 60):
            look = resolve(setup, frame, SIZE)
            self.assertAlmostEqual(look.focus, look.away["runner"], places=9)
        gone = with_focus(keys, marks)  # the subject was deleted: the mark's own distance holds
        self.assertAlmostEqual(resolve(gone, 45, SIZE).focus, 1.0)

    @given(st.integers(0, 10), st.integers(0, 8))
    def test_a_hand_is_late_and_smooth(self, lag: int, steady: int) -> None:
        mark = Mark(id="walker", name="Walker", distance=1.0, subject="walker", lag=lag, steady=steady)
        focus = Focus(marks=(mark,), distance=FocusCurve(keys=(FocusKey(frame=0, value=1, mark="walker"),)))
        # Over a steady walk smoothing changes nothing, so that only the lag is left.
        found = focus_at(focus, 40, lambda _, frame: 1 / (0.1 + 0.01 * frame))
        self.assertAlmostEqual(1 / found, 0.1 + 0.01 * (40 - lag))
        # A jump becomes a ramp as long as what it is smoothed over.
        ramp = [1 / focus_at(focus, f, lambda _, frame: 1.0 if frame >= 40 else 2.0) for f in range(20, 70)]
        self.assertEqual(sum(0.5 < place < 1.0 for place in ramp), 2 * steady)
        self.assertTrue((np.diff(ramp) >= -1e-12).all())

    def test_a_key_on_a_mark_that_is_not_there_is_refused(self) -> None:
        with self.assertRaisesRegex(SetupError, "mark that is not there"):
            with_focus([{"frame": 0, "value": 2.0, "mark": "nothing"}])

    def test_the_limits_along_a_pull_are_the_handbook_s(self) -> None:
        # S. F. Ray, Applied Photographic Optics (cited from memory): f 50 mm, c 0.030 mm; near and far in mm.
        lens = {"focal_length_mm": 50, "permissible_coc_mm": 0.03}
        keys = [{"frame": 0, "value": 5.0, "ease": "linear"}, {"frame": 60, "value": 2.0}]
        for frame, f_number, near, far in ((0, 8, 3389.4, 9527.4), (60, 1.4, 1936.6, 2067.7)):
            found = read_frame(with_focus(keys, lens=lens | {"f_number": f_number}), frame, SIZE).lens
            self.assertAlmostEqual(found.near * 1000, near, delta=0.1)
            self.assertAlmostEqual((found.far or 0) * 1000, far, delta=0.1)

    def test_the_f_number_is_keyed_like_everything(self) -> None:
        opening = {"keys": [{"frame": 0, "value": 2.0, "ease": "linear"}, {"frame": 60, "value": 8.0}]}
        setup = with_focus([{"frame": 0, "value": 2.0}], lens={"f_number": opening})
        self.assertAlmostEqual(read_frame(setup, 30, SIZE).lens.f_number, 5.0)
        self.assertEqual(read_setup(setup.model_dump_json()), setup)

    def test_the_speed_is_that_of_the_curve(self) -> None:
        setup = with_focus([{"frame": 0, "value": 1.0, "ease": "linear"}, {"frame": 50, "value": 2.0}])
        found = speeds([read_frame(setup, frame, SIZE) for frame in range(0, 51)], 25.0)
        np.testing.assert_allclose(found[:-1], -0.5 / 2)  # half a dioptre in two seconds, away from the camera


class Rack(TestCase):
    def test_the_demo_s_rack_makes_sharp_what_a_true_lens_does(self) -> None:
        # The true-lens frames of the tea glass, focused on the glass and on the ferries, say what is sharp when.
        setup = read_setup((DEMO / "glass" / "setup.json").read_text())
        self.assertEqual(marks_at(setup, 34, (1280, 720)), {"glass": 0.9, "ferries": 17.0})
        # Where the true lens leaves a thing as the pinhole saw it, it is sharp; where it differs most, soft.
        amiss = {}
        for moment in moments():
            if moment.name.startswith("glass 0 f2.8"):
                plain = to_codes(moment.light, Transfer.SRGB).astype(float)
                off = np.abs(moment.true.astype(float) - plain).mean(axis=2)
                things = {0.9: moment.matte > 0.9, 17.0: moment.dioptres < 1 / 15}
                amiss[float(moment.name.split("-at")[1])] = {away: off[where].mean() for away, where in things.items()}
        for frame, mark in ((34, 0.9), (62, 17.0)):
            read = read_frame(setup, frame, (1280, 720)).lens
            self.assertEqual(read.focus, mark)
            for away in (0.9, 17.0):
                other = 17.0 if mark < 1 else 0.9
                self.assertEqual(read.near <= away <= (read.far or 1e9), amiss[mark][away] < amiss[other][away])


class Performed(TestCase):
    @settings(deadline=None, max_examples=25)
    @given(curves(), st.sampled_from([0.002, 0.01, 0.05]))
    def test_a_fit_is_within_its_stated_error(self, curve: FocusCurve, tolerance: float) -> None:
        focus = Focus(distance=curve)
        frames = np.arange(0, 301.0)
        dioptres = np.array([1 / focus_at(focus, t, nobody) for t in frames])
        found = fit_keys(frames, dioptres, tolerance)
        self.assertLessEqual(found.error, tolerance)
        again = Focus(distance=FocusCurve(keys=found.keys))
        ours = np.array([1 / focus_at(again, t, nobody) for t in frames])
        self.assertLessEqual(np.abs(ours - dioptres).max(), found.error + 1e-9)

    def test_a_hand_s_tremor_goes_and_its_pull_becomes_few_keys(self) -> None:
        chance = np.random.default_rng(5)
        t = np.arange(0, 100)
        share = np.clip((t - 20) / 50, 0, 1)
        meant = 1.0 - 0.8 * share**2 * (3 - 2 * share)
        shaken = meant + 0.02 * np.sin(t * 2 * np.pi * 9 / 25) + chance.normal(0, 0.004, 100)  # 9 Hz at 25 frames/s
        frames, smooth = cleaned([(float(f), 1 / d) for f, d in zip(t, shaken, strict=True)], 25)
        self.assertLess(np.abs(smooth - meant)[3:-3].max(), 0.012)
        self.assertLess(np.abs(smooth - meant)[3:-3].mean() / np.abs(shaken - meant)[3:-3].mean(), 0.35)
        found = fit_keys(frames, smooth, 0.01)
        self.assertLess(len(found.keys), 10)

    def test_a_recording_with_gaps_and_several_moves_a_frame_is_whole(self) -> None:
        frames, dioptres = cleaned([(3, 2.0), (3, 1.0), (6, 1.0), (6.2, 1.0)], 25)
        self.assertEqual(frames.tolist(), [3, 4, 5, 6])
        self.assertTrue(np.isfinite(dioptres).all())
        with self.assertRaises(ValueError):
            cleaned([(3, 2.0), (3.2, 1.0)], 25)


class Tables(TestCase):
    @given(curves())
    def test_a_written_table_is_read_back_as_the_same_curve(self, curve: FocusCurve) -> None:
        focus = Focus(distance=curve)
        there = [focus_at(focus, frame, nobody) for frame in range(0, 301, 3)]
        rows = [(i * 3, "00:00:00:00", distance, distance / 2, None, 2.8) for i, distance in enumerate(there)]
        again = Focus(distance=FocusCurve(keys=read(written(rows))))
        back = [focus_at(again, frame, nobody) for frame in range(0, 301, 3)]
        np.testing.assert_allclose(1 / np.array(back), 1 / np.array(there), atol=1e-6)

    def test_infinitely_far_is_a_distance(self) -> None:
        focus = Focus(distance=FocusCurve(keys=read("frame,distance_m\n0,2\n9,inf\n")))
        self.assertGreaterEqual(focus_at(focus, 9, nobody), 99_999)
        self.assertIn(",inf,1,", written([(9, "", focus_at(focus, 9, nobody), 1.0, None, 2.8)]))

    def test_what_is_no_table_is_refused_with_its_line(self) -> None:
        cases = {
            "": "first line", "a,b\n1,2\n": "first line", "frame,distance_m\n": "no row",
            "frame,distance_m\n1,x\n": "line 2", "frame,distance_m\n1,2\n1,3\n": "line 3", "frame,distance_m\n1,nan\n": "line 2",
            "frame,distance_m\n-4,2\n": "line 2",
        }  # fmt: skip
        for text, words in cases.items():
            with self.subTest(text), self.assertRaisesRegex(NoTable, words):
                read(text)
        self.assertEqual(len(read("\ufefffoo, Frame,distance_m\n,0,2\n,5,3\n")), 2)


class Breathing(TestCase):
    def test_the_picture_grows_as_the_image_moves_away_from_the_lens(self) -> None:
        # v = f S / (S - f): a 50 mm lens at 0.55 m images 10 % farther behind it than at infinity.
        self.assertAlmostEqual(enlargement(0.05, 0.55), 1.1)
        self.assertAlmostEqual(enlargement(0.05, 1e9), 1.0)
        codes = np.full((90, 160, 3), 30, np.uint8)
        codes[35:55, 40:120] = 220
        light = to_light(codes, Transfer.SRGB)
        wide = (breathed(light, 1.1)[45, :, 1] > 0.3).sum()
        self.assertAlmostEqual(wide, 80 * 1.1, delta=1)
        self.assertIs(breathed(light, 1.0), light)


class Notes(TestCase):
    def kinds(self, keys: list[dict[str, Any]], **more: Any) -> dict[str, Any]:
        setup = with_focus(keys, **more)
        notes = focus_notes(setup, [read_frame(setup, frame, SIZE) for frame in range(61)], 25.0)
        return {note.kind: note for note in notes}

    def test_what_is_amiss_is_told_with_its_frames(self) -> None:
        wall = {"sources": [{"kind": "backdrop", "id": "wall", "distance": hold(10.0)}]}
        wide = {"f_number": 1.4}
        rack = [{"frame": 10, "value": 1.0, "ease": "eased"}, {"frame": 50, "value": 10.0}]
        found = self.kinds(rack, distance=wall, lens=wide, subjects=[subject(1.0)])
        nothing = found["nothing-sharp-over"]
        self.assertTrue(10 <= nothing.first <= 25 and 35 <= nothing.last <= 50, nothing)
        self.assertNotIn("fast", found)
        self.assertIn("breathing", found)
        self.assertNotIn("breathing", self.kinds(rack, distance=wall, focus={"breathing": True}))
        jump = [{"frame": 10, "value": 0.5, "ease": "linear"}, {"frame": 14, "value": 10.0}]
        self.assertEqual((self.kinds(jump)["fast"].first, self.kinds(jump)["fast"].last), (11, 14))
        self.assertNotIn("fast", self.kinds(jump, focus={"fastest": 20}))
        over = [
            {"frame": 10, "value": 1.0, "ease": {"kind": "handles", "x1": 0.3, "y1": 0, "x2": 0.6, "y2": 1.9}},
            {"frame": 50, "value": 4.0},
        ]
        self.assertIn("beyond", self.kinds(over))
        self.assertNotIn("beyond", self.kinds(rack))
        self.assertEqual(self.kinds([rack[0], {"frame": 90, "value": 3.0}])["outside"].first, 90)
