"""What following saw of the region within a free outline: kept small, and only as long as it says what was drawn."""

from __future__ import annotations

import base64
import zlib
from unittest import TestCase

import cv2
import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as arrays

from kalyptra.core.edit.command import ClipExtent
from kalyptra.core.edit.outline_keys import changed, drawn_outline, keyed_by_hand, with_steps
from kalyptra.core.edit.outlines import ShapeOutline
from kalyptra.core.following.track.border_rings import border_rings
from kalyptra.core.matte.drawn import drawn_matte
from kalyptra.core.setup.document.followed import Motion
from kalyptra.core.setup.document.setup import Edge, OutlineMatte, Refine, Subject
from kalyptra.core.setup.files.read import SetupError, read_setup
from kalyptra.core.setup.geometry.border import NotABorder, packed, rings_of
from kalyptra.core.setup.geometry.curve import Curve
from kalyptra.core.setup.geometry.shapes import rounded_rectangle
from kalyptra.core.setup.resolve.look import DrawnAt, matte_at
from kalyptra.core.setup.resolve.outline import outline_at, outline_trust
from kalyptra.core.setup.time.track import Border, Step

SIZE = (120, 160)
BOX = Curve.model_validate(rounded_rectangle(80, 60, 60, 50, 0))


def ring_with_hole() -> np.ndarray:
    """A disc with a hole, and a part that the picture's edge cuts off."""
    large = np.zeros((SIZE[0] * 8, SIZE[1] * 8), np.uint8)
    cv2.circle(large, (560, 480), 300, 255, -1)
    cv2.circle(large, (560, 440), 120, 0, -1)
    cv2.rectangle(large, (1080, 700), (1279, 959), 255, -1)
    return (cv2.resize(large, SIZE[::-1], interpolation=cv2.INTER_AREA) / 255).astype(np.float32)


def followed(frames: range) -> list[Step]:
    """Steps of an outline that was drawn at the first frame, with a region that no line around it could be."""
    rings, of = packed(border_rings(ring_with_hole())), drawn_outline("line1", frames[0], BOX).drawing(frames[0])
    return [
        Step(frame=frame, held=0.4, border=Border(frame=frame, of=of, sure=0.9, rings=rings)) for frame in frames[1:]
    ]


class Packed(TestCase):
    def test_a_region_with_a_hole_is_the_same_to_a_part_of_a_pixel(self) -> None:
        matte = ring_with_hole()
        outline = with_steps(drawn_outline("line1", 0, BOX), tuple(followed(range(3))))
        seen = drawn_matte([outline_at(outline, 2)], Refine(), SIZE, 1.0)
        self.assertLess(np.abs(seen - matte).sum() / matte.sum(), 0.02)
        self.assertEqual(seen[55, 70], 0, "the hole")
        self.assertGreater(seen[100, 159], 0.8, "up to the edge of the picture")

    @given(st.lists(arrays.arrays(np.float64, (5, 2), elements=st.floats(-8000, 8000)), max_size=5))
    def test_lines_come_back_to_an_eighth_of_a_pixel(self, rings: list[np.ndarray]) -> None:
        back = rings_of(packed(rings))
        self.assertEqual(len(back), len(rings))
        for ring, other in zip(rings, back, strict=True):
            self.assertLessEqual(np.abs(ring - other).max(), 1 / 8)

    @given(st.binary(max_size=60), st.booleans())
    def test_text_that_is_no_border_is_refused(self, data: bytes, zipped: bool) -> None:
        text = base64.b64encode(zlib.compress(data) if zipped else data).decode()
        try:
            self.assertTrue(all(len(ring) >= 3 for ring in rings_of(text)))
        except NotABorder as error:
            self.assertIn("outline", str(error))

    def test_a_border_that_grows_beyond_all_bounds_when_it_is_unpacked_is_refused(self) -> None:
        large = base64.b64encode(zlib.compress(bytes(50 << 20))).decode()
        with self.assertRaises(NotABorder):
            rings_of(large)
        step = {"frame": 1, "border": {"frame": 1, "of": "0" * 12, "sure": 1, "rings": large[:9000]}}
        outline = drawn_outline("line1", 0, BOX).model_dump(mode="json") | {"steps": [step]}
        subject = {"id": "some", "name": "Some", "matte": {"kind": "outline", "outlines": [outline]}}
        with self.assertRaisesRegex(SetupError, "outline"):
            read_setup({"subjects": [subject | {"distance": {"keys": [{"frame": 0, "value": 2.0}]}}]})


class Counts(TestCase):
    """Where the region counts, the line's 60 x 50 px are not what is seen."""

    def setUp(self) -> None:
        self.outline = with_steps(drawn_outline("line1", 0, BOX), tuple(followed(range(21))))

    def by_region(self, outline: object, frame: int) -> bool:
        return outline_at(outline, frame).border is not None  # type: ignore[arg-type]

    def test_a_frame_that_is_drawn_by_hand_shows_what_was_drawn(self) -> None:
        self.assertEqual([self.by_region(self.outline, frame) for frame in (0, 1, 20, 21)], [False, True, True, False])
        keyed = keyed_by_hand(self.outline, 10, BOX)
        self.assertEqual([self.by_region(keyed, frame) for frame in (9, 10, 11)], [True, False, False])

    def test_what_was_followed_from_a_drawing_that_changed_says_nothing_more(self) -> None:
        other = Curve.model_validate(rounded_rectangle(80, 60, 70, 50, 0))
        self.assertFalse(self.by_region(keyed_by_hand(self.outline, 0, other), 5))
        self.assertFalse(self.by_region(changed(self.outline, motion=Motion.SIMILARITY), 5))

    def test_what_was_followed_back_belongs_to_the_key_after_it(self) -> None:
        drawn = drawn_outline("line1", 9, BOX)
        steps = [
            step.model_copy(update={"border": step.border.model_copy(update={"frame": step.frame - 1, "of": drawn.drawing(9)})})
            for step in followed(range(10)) if step.border
        ]  # fmt: skip
        back = with_steps(drawn, tuple(steps))
        self.assertEqual([self.by_region(back, frame) for frame in (0, 8, 9)], [True, True, False])
        self.assertFalse(self.by_region(keyed_by_hand(back, 5, BOX), 3))

    def test_where_the_edge_is_not_drawn_to_the_picture_the_line_counts_as_it_is(self) -> None:
        def seen(edge: Edge) -> DrawnAt:
            fields = {
                "id": "some",
                "name": "Some",
                "refine": {"edge": edge},
                "distance": {"keys": [{"frame": 0, "value": 2.0}]},
            }
            subject = Subject.model_validate(fields | {"matte": OutlineMatte(outlines=(self.outline,))})
            at = matte_at(subject, 5)
            assert isinstance(at, DrawnAt)
            return at

        self.assertIsNone(seen(Edge.NONE).outlines[0].border)
        self.assertIsNotNone(seen(Edge.FAST).outlines[0].border)

    def test_it_is_as_sure_as_what_is_shown(self) -> None:
        region, line = (outline_trust(self.outline, 5, 5, by_line)[0].confidence for by_line in (False, True))
        self.assertEqual(region, 0.9)
        self.assertLess(line, 0.6)

    def test_a_line_that_is_shaped_keeps_what_was_followed_up_to_it(self) -> None:
        subject = {
            "id": "some", "name": "Some", "matte": {"kind": "outline", "outlines": [self.outline.model_dump(mode="json")]},
            "distance": {"keys": [{"frame": 0, "value": 2.0}]},
        }  # fmt: skip
        setup = read_setup({"footage": {"first": 0, "last": 20}, "subjects": [subject]})
        shaped = ShapeOutline(subject="some", outline="line1", frame=10, curve=BOX).apply(
            setup, ClipExtent(160, 120, 21)
        )
        outline = shaped.subjects[0].matte.outlines[0]  # type: ignore[union-attr]
        self.assertEqual([self.by_region(outline, frame) for frame in (9, 10, 11)], [True, False, False])
