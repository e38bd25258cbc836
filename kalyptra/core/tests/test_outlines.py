"""Outlines over time: keys hold, points keep their identity, mends spread, and files bring back what was drawn."""

from __future__ import annotations

import math
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kalyptra.core.edit.outline_keys import drawn_outline, keyed_by_hand, with_steps
from kalyptra.core.setup.document.outline import Joins, Outline
from kalyptra.core.setup.files.read import SetupError, read_setup
from kalyptra.core.setup.files.svg import DrawnOutline, NotOutlines, read_svg, write_svg
from kalyptra.core.setup.geometry.curve import Curve
from kalyptra.core.setup.geometry.fit import fit_closed
from kalyptra.core.setup.geometry.shapes import ellipse, rounded_rectangle
from kalyptra.core.setup.geometry.spline import mix_curves, on_line, with_points
from kalyptra.core.setup.geometry.warp import UNMOVED, mapped, matrix_of, numbers_of, share_of
from kalyptra.core.setup.resolve.look import resolve
from kalyptra.core.setup.resolve.outline import NEEDS_A_LOOK, TrustKind, placed_at, trust
from kalyptra.core.setup.time.keyed import constant
from kalyptra.core.setup.time.track import Step

BOX = Curve.model_validate(rounded_rectangle(100, 60, 40, 30, 0))


def moved(by: float, frames: range) -> tuple[Step, ...]:
    return tuple(Step(frame=frame, warp=(1, 0, by, 0, 1, 0, 0, 0)) for frame in frames)


def middle(outline: Outline, frame: float) -> tuple[float, float]:
    x, y = placed_at(outline, frame).rows[:, :2].mean(axis=0)
    return round(float(x), 6), round(float(y), 6)


class Placements(TestCase):
    def test_a_turn_by_two_keys_keeps_the_size_between_them(self) -> None:
        # A quarter turn about 100, 60 and 60 px to the right.
        keys = ({"frame": 0, "value": UNMOVED, "ease": "linear"}, {"frame": 10, "value": (0, -1, 220, 1, 0, -40, 0, 0)})
        outline = Outline.model_validate({"id": "line1", "shape": constant(BOX), "placement": {"keys": keys}})
        sides = np.linalg.norm(np.diff(placed_at(outline, 5).rows[:, :2], axis=0), axis=1)
        np.testing.assert_allclose(sorted(sides), [30, 40, 40], atol=1e-6)
        self.assertEqual(middle(outline, 5), (130, 60))

    @given(st.floats(-3, 3), st.floats(0.3, 3), st.tuples(st.floats(-500, 500), st.floats(-500, 500)), st.floats(0, 1))
    def test_shares_of_a_move_add_up_to_it(
        self, turn: float, size: float, by: tuple[float, float], share: float
    ) -> None:
        c, s = size * math.cos(turn), size * math.sin(turn)
        whole = np.array([[c, -s, by[0]], [s, c, by[1]], [0, 0, 1]])
        centre = np.array([30.0, -20.0])
        there = mapped(whole, centre)
        part = share_of(whole, share, centre)
        np.testing.assert_allclose(mapped(part, centre), centre + share * (there - centre), atol=1e-6)
        self.assertAlmostEqual(math.sqrt(np.linalg.det(part)), size**share, 6)

    def test_numbers_hold_a_map_to_a_hundredth_of_a_pixel(self) -> None:
        matrix = np.array([[1.02, -0.03, 41.237], [0.028, 0.97, -12.55], [1.3e-5, -7e-6, 1]])
        corners = np.array([[0.0, 0], [8192, 0], [8192, 4320], [0, 4320]])
        np.testing.assert_allclose(mapped(matrix_of(numbers_of(matrix)), corners), mapped(matrix, corners), atol=0.01)


class Points(TestCase):
    def test_a_point_added_at_one_frame_leaves_the_line_of_the_others(self) -> None:
        rows = Curve.model_validate(ellipse(50, 40, 60, 30)).rows
        more = with_points(((0, 1, 2, 3), rows), (0, 7, 1, 2, 8, 9, 3))
        self.assertEqual(len(more), 7)
        line, same = on_line(rows, 400).reshape(-1, 2), on_line(more, 400).reshape(-1, 2)
        nearest = np.linalg.norm(same[:, None] - line[None], axis=2).min(axis=1)
        self.assertLess(nearest.max(), 0.12)  # as close as the places on the first line lie

    def test_common_points_go_straight_whatever_else_changes(self) -> None:
        a = BOX.rows
        b = np.insert(a + 10, 2, a[1:3].mean(axis=0) + [40, 0, 40, 0, 40, 0, 0, 0], axis=0)
        ids, rows = mix_curves(((0, 1, 2, 3), a), ((0, 1, 9, 2, 3), b), 0.5)
        self.assertEqual(ids, (0, 1, 9, 2, 3))
        np.testing.assert_allclose(rows[[0, 1, 3, 4], :2], a[:, :2] + 5)


class Mending(TestCase):
    def test_a_mended_frame_mends_its_neighbours_and_no_further_than_the_next_key(self) -> None:
        outline = with_steps(drawn_outline("line1", 0, BOX), moved(2.0, range(1, 41)))
        self.assertEqual(middle(outline, 40), (180, 60))
        right = Curve.model_validate(rounded_rectangle(150, 60, 40, 30, 0))  # 10 px further than was found at 20
        mended = keyed_by_hand(outline, 20, right)
        self.assertEqual([middle(mended, t)[0] for t in (0, 10, 20, 30, 40)], [100, 125, 150, 170, 190])
        again = keyed_by_hand(mended, 30, Curve.model_validate(rounded_rectangle(160, 60, 40, 30, 0)))
        self.assertEqual([middle(again, t)[0] for t in (0, 10, 20, 30)], [100, 125, 150, 160])

    def test_following_again_never_moves_a_key_made_by_hand(self) -> None:
        outline = keyed_by_hand(drawn_outline("line1", 0, BOX), 20, Curve.model_validate(ellipse(200, 90, 60, 50)))
        before = placed_at(outline, 20).rows
        outline = with_steps(outline, moved(3.0, range(1, 41)))
        outline = with_steps(outline, moved(-7.0, range(5, 30)))
        np.testing.assert_allclose(placed_at(outline, 20).rows, before, atol=1e-3)

    def test_a_line_drawn_anew_the_other_way_round_is_the_same_outline(self) -> None:
        oval = Curve.model_validate(ellipse(120, 80, 70, 50, 15))
        back = Curve(
            points=tuple(p.model_copy(update={"before": p.after, "after": p.before}) for p in oval.points[::-1])
        )
        outline = keyed_by_hand(drawn_outline("line1", 0, Curve.model_validate(ellipse(100, 80, 70, 50))), 9, back)
        self.assertTrue({0, 1, 2, 3} <= set(placed_at(outline, 9).ids))
        line = on_line(placed_at(outline, 9).rows, 50).reshape(-1, 2)
        truth = on_line(oval.rows, 400).reshape(-1, 2)
        self.assertLess(np.linalg.norm(line[:, None] - truth[None], axis=2).min(axis=1).max(), 1.5)
        self.assertAlmostEqual(middle(outline, 4.5)[0], 110, delta=2)


class Confidence(TestCase):
    def test_doubt_grows_with_the_distance_from_a_key_and_a_mend_ends_it(self) -> None:
        steps = tuple(Step(frame=f, held=0.8, visible=0.85) for f in range(1, 41))
        outline = with_steps(drawn_outline("line1", 0, BOX), steps)
        found = trust(outline, 0, 40)
        self.assertEqual(found[0].kind, TrustKind.HAND)
        sure = [step.confidence for step in found]
        self.assertEqual(sure, sorted(sure, reverse=True))
        self.assertLess(sure[40], NEEDS_A_LOOK)
        mended = trust(keyed_by_hand(outline, 40, BOX), 0, 40)
        self.assertEqual(mended[40].confidence, 1)
        self.assertGreater(mended[38].confidence, sure[38])

    def test_a_frame_where_it_is_hidden_needs_a_look_and_the_next_one_does_not(self) -> None:
        steps = [Step(frame=f, visible=0.3 if f == 5 else 1.0) for f in range(1, 11)]
        found = trust(with_steps(drawn_outline("line1", 0, BOX), tuple(steps)), 0, 12)
        self.assertLess(found[5].confidence, NEEDS_A_LOOK)
        self.assertGreater(found[6].confidence, 0.9)
        self.assertEqual(found[12].kind, TrustKind.BETWEEN)


class Freehand(TestCase):
    def test_a_drawn_line_becomes_few_points_within_its_tolerance(self) -> None:
        turn = np.linspace(0, 2 * math.pi, 400, endpoint=False)
        away = 80 + 18 * np.sin(3 * turn)
        drawn = np.stack([200 + away * np.cos(turn), 150 + away * np.sin(turn)], axis=1)
        drawn += np.random.default_rng(3).normal(0, 0.4, drawn.shape)  # the hand's tremor
        curve = fit_closed(drawn, 2.0)
        self.assertLess(len(curve.points), 16)
        line = on_line(curve.rows, 100).reshape(-1, 2)
        self.assertLess(np.linalg.norm(drawn[:, None] - line[None], axis=2).min(axis=1).max(), 3)

    def test_corners_stay_corners(self) -> None:
        side = np.linspace(0, 1, 60, endpoint=False)[:, None]
        corners = np.array([[40.0, 30], [240, 50], [220, 190], [60, 170]])
        drawn = np.concatenate([a + (b - a) * side for a, b in zip(corners, np.roll(corners, -1, axis=0), strict=True)])
        points = fit_closed(drawn, 1.5).rows[:, :2]
        self.assertLessEqual(len(points), 6)
        self.assertLess(np.linalg.norm(corners[:, None] - points[None], axis=2).min(axis=1).max(), 3)

    def test_next_to_nothing_is_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "too short"):
            fit_closed(np.array([[5.0, 5], [5.1, 5.1], [5.0, 5.2]]), 2.0)


class Files(TestCase):
    @settings(max_examples=25)
    @given(st.integers(3, 12), st.integers(0, 10_000))
    def test_an_outline_comes_back_to_a_hundredth_of_a_pixel(self, count: int, seed: int) -> None:
        chance = np.random.default_rng(seed)
        turn = np.sort(chance.random(count)) * 2 * math.pi
        points = [
            {"id": int(i * 3), "x": 400 + 300 * math.cos(t), "y": 300 + 250 * math.sin(t), "smooth": bool(i % 2),
             "before": chance.normal(0, 20, 2).tolist(), "after": chance.normal(0, 20, 2).tolist(), "feather_out": float(i % 3)}
            for i, t in enumerate(turn)
        ]  # fmt: skip
        curve = Curve.model_validate({"points": points})
        text = write_svg({4: [DrawnOutline("line1", Joins.OVERLAP, curve)]}, (1280, 720))
        found = read_svg(text)[4][0]
        np.testing.assert_allclose(found.curve.rows, curve.rows, atol=0.01)
        self.assertEqual((found.curve.ids, found.joins, found.name), (curve.ids, Joins.OVERLAP, "line1"))

    def test_paths_of_other_programs_are_read(self) -> None:
        # W3C SVG 2: relative commands, arcs, basic shapes, transforms and a view box; the values worked out by hand.
        text = """<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 50" width="200" height="100">
            <g transform="translate(10 5)"><rect x="1" y="2" width="30" height="20"/></g>
            <path d="m50 10 h20 v10 q-5 5 -20 0 z"/><circle cx="80" cy="25" r="10"/></svg>"""
        box, path, disc = (drawn.curve.rows[:, :2] for drawn in read_svg(text)[None])
        np.testing.assert_allclose(box.min(axis=0), [22, 14], atol=1e-6)
        np.testing.assert_allclose(box.max(axis=0), [82, 54], atol=1e-6)
        np.testing.assert_allclose(path, [[100, 20], [140, 20], [140, 40], [100, 40]], atol=1e-6)
        np.testing.assert_allclose(np.linalg.norm(disc - [160, 50], axis=1), 20, atol=0.02)

    def test_what_is_no_drawing_is_refused(self) -> None:
        for text in (
            "",
            "<html/>",
            "<svg/>",
            "<!DOCTYPE svg [<!ENTITY a 'b'>]><svg/>",
            '<svg><path d="M0 0 L1 1"/></svg>',
            "\0",
        ):
            with self.subTest(text[:12]), self.assertRaises(NotOutlines):
                read_svg(text)

    def test_a_file_that_would_grow_beyond_reason_is_refused_before_it_does(self) -> None:
        """The bytes of a few lines, used again within each other, would be a million shapes."""
        levels = "".join(f'<g id="u{i}">{f"""<use href="#u{i - 1}"/>""" * 6}</g>' for i in range(1, 9))
        start = '<svg xmlns="http://www.w3.org/2000/svg"><path id="u0" d="M0 0L9 0L9 9Z"/>'
        for text, words in (
            (f'{start}{levels}<use href="#u8"/></svg>', "more than 20,000 elements"),
            (f'{start}<g id="a"><use href="#a"/></g><use href="#a"/></svg>', "within itself"),
            (f"{start}{'<g>' * 5000}{'</g>' * 5000}</svg>", "nested too deeply"),
            (f'{start}<path d="M0 0{"L9 9" * 5000}Z"/></svg>', "4,000 points"),
            (start + f'<path d="M0 0{"L9 9" * 3900}Z"/>' * 9 + "</svg>", "30,000 points"),
        ):
            with self.assertRaisesRegex(NotOutlines, words):
                read_svg(text)


class OlderSetups(TestCase):
    def test_an_ellipse_of_version_1_lies_where_it_lay(self) -> None:
        placement = {"keys": [{"frame": 0, "value": {"x": 100, "y": 60, "width": 40, "height": 30, "turn": 0}, "ease": "linear"},
                              {"frame": 10, "value": {"x": 140, "y": 60, "width": 80, "height": 60, "turn": 30}}]}  # fmt: skip
        old = {"version": 1, "subjects": [{"id": "runner", "name": "Runner", "matte": {"kind": "shape", "form": "ellipse", "placement": placement},
               "distance": {"keys": [{"frame": 0, "value": 3}]}}]}  # fmt: skip
        setup = read_setup(old)
        for frame, (x, y, a, b, turn) in {0: (100, 60, 20, 15, 0), 10: (140, 60, 40, 30, math.radians(30))}.items():
            rows = np.array(resolve(setup, frame, (1920, 1080)).subjects[0].matte.outlines[0].rows)
            line = on_line(rows, 40).reshape(-1, 2) - [x, y]
            u = line @ [math.cos(turn), math.sin(turn)] / a
            v = line @ [-math.sin(turn), math.cos(turn)] / b
            np.testing.assert_allclose(np.hypot(u, v), 1, atol=2e-3)

    def test_a_broken_old_setup_is_refused_in_words(self) -> None:
        with self.assertRaisesRegex(SetupError, "does not hold together"):
            read_setup({"version": 1, "subjects": [{"matte": {}}]})
