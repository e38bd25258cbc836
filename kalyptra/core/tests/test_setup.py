"""A setup is read as it was written, moves as its keys say, and refuses what makes no sense."""

from __future__ import annotations

import time
from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import brentq

from kalyptra.core.setup.document.focus import Focus, still_focus
from kalyptra.core.setup.document.outline import Outline
from kalyptra.core.setup.document.setup import Footage, OutlineMatte, Setup, Subject
from kalyptra.core.setup.files.read import SetupError, read_setup
from kalyptra.core.setup.geometry.curve import Curve
from kalyptra.core.setup.geometry.shapes import ellipse
from kalyptra.core.setup.geometry.warp import UNMOVED
from kalyptra.core.setup.resolve.look import resolve
from kalyptra.core.setup.time.easing import EASED, Ease, Handles, ease_share
from kalyptra.core.setup.time.keyed import Key, Keyed, constant, mix_distance, mix_linear

frames = st.lists(st.integers(0, 500), min_size=1, max_size=8, unique=True).map(sorted)


@st.composite
def keyed_distances(draw: st.DrawFn) -> Keyed[float]:
    eases = st.sampled_from(list(Ease))
    return Keyed[float](
        keys=tuple(Key[float](frame=f, value=draw(st.floats(0.1, 500)), ease=draw(eases)) for f in draw(frames))
    )


def subject(**more: object) -> Subject:
    curve = Curve.model_validate(ellipse(100, 60, 40, 30))
    outline = Outline(id="line1", shape=constant(curve), placement=constant(UNMOVED))
    given = {
        "id": "stall1",
        "name": "Stall",
        "matte": OutlineMatte(outlines=(outline,)),
        "distance": constant(3.0),
    }
    return Subject.model_validate(given | more)


class Size(TestCase):
    def test_what_is_far_too_large_is_refused_before_it_costs_anything(self) -> None:
        """A refusal must cost next to nothing beside reading the largest setup that is taken: a ratio, no timed test."""
        largest = keyed(20_000)
        started = time.process_time()
        self.assertEqual(len(read_setup(largest).focus.distance.keys), 20_000)
        read = time.process_time() - started
        point = {"id": 0, "x": 1, "y": 1}
        curves = [{"frame": i, "value": {"points": [point | {"id": j} for j in range(40)]}} for i in range(1000)]
        outline = {
            "id": "line1",
            "shape": {"keys": curves},
            "placement": {"keys": [{"frame": 0, "value": [1, 0, 0, 0, 1, 0, 0, 0]}]},
        }
        subject = {
            "id": "lamp",
            "name": "Lamp",
            "matte": {"kind": "outline", "outlines": [outline]},
            "distance": {"keys": [{"frame": 0, "value": 2}]},
        }
        for words, document in (
            ("100,001 keys", keyed(100_001)),
            ("30,000 points", {"subjects": [subject]}),
            ("1,500,000 values", {"subjects": [[0] * 1_600_000]}),
        ):
            started = time.process_time()
            with self.assertRaisesRegex(SetupError, words):
                read_setup(document)
            self.assertLess(time.process_time() - started, read + 0.5, words)


def keyed(count: int) -> dict[str, Any]:
    return {"focus": {"distance": {"keys": [{"frame": i, "value": 2 + i % 3} for i in range(count)]}}}


class Keys(TestCase):
    @given(keyed_distances(), st.floats(-10, 600))
    def test_a_value_is_the_keys_own_at_a_key_and_stays_within_its_neighbours(
        self, keyed: Keyed[float], t: float
    ) -> None:
        for key in keyed.keys:
            self.assertEqual(keyed.at(key.frame, mix_distance), key.value)
        values = [key.value for key in keyed.keys]
        self.assertTrue(min(values) * (1 - 1e-9) <= keyed.at(t, mix_distance) <= max(values) * (1 + 1e-9))

    @given(st.floats(0, 1), st.tuples(*[st.floats(0, 1)] * 4))
    def test_easing_follows_the_w3c_curve(self, time: float, points: tuple[float, float, float, float]) -> None:
        # W3C, CSS Easing Functions Level 1; the parameter by SciPy's root finder.
        x1, y1, x2, y2 = points

        def cubic(a: float, b: float, u: float) -> float:
            return 3 * (1 - u) ** 2 * u * a + 3 * (1 - u) * u**2 * b + u**3

        # Where x stands nearly still the parameter is not well defined, so the curve is judged by the distance to it.
        u = brentq(lambda u: cubic(x1, x2, u) - time, 0, 1, xtol=1e-15)
        found = ease_share(Handles(x1=x1, y1=y1, x2=x2, y2=y2), time)
        slope = max(
            1.0,
            abs(
                (cubic(y1, y2, min(1, u + 1e-6)) - cubic(y1, y2, max(0, u - 1e-6)))
                / max(1e-9, cubic(x1, x2, min(1, u + 1e-6)) - cubic(x1, x2, max(0, u - 1e-6)))
            ),
        )
        self.assertAlmostEqual(found, cubic(y1, y2, u), delta=1e-6 * slope + 1e-5)

    def test_eased_is_slow_out_and_in(self) -> None:
        # W3C: ease-in-out is cubic-bezier(0.42, 0, 0.58, 1).
        self.assertAlmostEqual(ease_share(EASED, 0.25), 0.1292, 4)
        self.assertAlmostEqual(ease_share(EASED, 0.5), 0.5, 9)

    def test_distances_mix_in_dioptres(self) -> None:
        self.assertAlmostEqual(mix_distance(1, 3, 0.5), 1.5)

    def test_hold_keeps_until_the_next_key(self) -> None:
        keyed = Keyed[float](keys=(Key[float](frame=0, value=1, ease=Ease.HOLD), Key[float](frame=10, value=5)))
        self.assertEqual([keyed.at(t, mix_linear) for t in (0, 9.99, 10, 11)], [1, 1, 5, 5])


class Documents(TestCase):
    def test_a_setup_is_read_as_it_was_written(self) -> None:
        setup = Setup(footage=Footage(first=3, last=40), subjects=(subject(),))
        self.assertEqual(read_setup(setup.model_dump_json()), setup)

    def test_what_was_worked_out_of_a_setup_is_no_part_of_it_and_not_known_of_its_copies(self) -> None:
        looked_at = Setup(subjects=(subject(),))
        resolve(looked_at, 3, (640, 360))
        self.assertEqual(looked_at.remembered("a number", lambda: 1), 1)
        self.assertEqual(looked_at, Setup(subjects=(subject(),)))
        self.assertEqual(looked_at.model_copy(update={"effect": False}).remembered("a number", lambda: 2), 2)

    def test_what_makes_no_sense_is_refused_with_the_place(self) -> None:
        good = Setup(subjects=(subject(),)).model_dump(mode="json")
        two = [good["subjects"][0]] * 2
        keys = [{"frame": 5, "value": 2}, {"frame": 5, "value": 3}]
        cases = {
            "same id": good | {"subjects": two},
            "order of their frames": good | {"focus": {"distance": {"keys": keys}}},
            "longer than the focal length": good | {"focus": {"distance": {"keys": [{"frame": 0, "value": 0.04}]}}},
            "lies before the first": good | {"footage": {"first": 9, "last": 3}},
            "version 99": good | {"version": 99},
            "f number": good | {"lens": {"f_number": 0}},
            "Extra inputs": good | {"surprise": 1},
        }
        for words, document in cases.items():
            with self.subTest(words), self.assertRaisesRegex(SetupError, words):
                read_setup(document)
        for text in ("", "[]", "{", '{"version": NaN}', "9" * 5000):
            with self.subTest(text[:9]), self.assertRaises(SetupError):
                read_setup(text)

    def test_a_subject_that_is_off_is_not_in_the_look(self) -> None:
        setup = Setup(subjects=(subject(enabled=False),), focus=Focus(distance=still_focus(2.5)))
        self.assertEqual(resolve(setup, 0, (1920, 1080)).subjects, ())
        self.assertEqual(resolve(setup, 0, (1920, 1080)).focus, 2.5)
