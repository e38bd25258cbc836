"""Where over the picture the trouble is: in what is shown, whether that is a line or the region within it."""

from __future__ import annotations

from unittest import TestCase

import numpy as np

from kalyptra.bench.doubts import doubts_at
from kalyptra.core import Curve, drawn_outline, packed, read_setup


class OfARegion(TestCase):
    def test_the_disc_lies_where_the_region_is_not_what_the_frames_around_have(self) -> None:
        corners = [(100.0, 100.0), (200.0, 100.0), (200.0, 300.0), (100.0, 300.0)]
        curve = Curve.model_validate({"points": [{"id": i, "x": x, "y": y} for i, (x, y) in enumerate(corners)]})
        outline = drawn_outline("line1", 0, curve)

        def step(frame: int) -> dict[str, object]:
            right = 300.0 if frame == 5 else 200.0  # an arm that is there for a frame
            arm = np.array(
                [(100, 100), (200, 100), (200, 180), (right, 180), (right, 220), (200, 220), (200, 300), (100, 300)]
            )
            border = {"frame": frame, "of": outline.drawing(0), "sure": 0.2, "rings": packed([arm.astype(float)])}
            return {"frame": frame, "border": border}

        drawn = outline.model_dump(mode="json") | {"steps": [step(frame) for frame in range(1, 10)]}
        subject = {"id": "some", "name": "Some", "matte": {"kind": "outline", "outlines": [drawn]},
                   "distance": {"keys": [{"frame": 0, "value": 2.0}]}, "refine": {"edge": "fast"}}  # fmt: skip
        setup = read_setup({"footage": {"first": 0, "last": 9}, "subjects": [subject]})
        x, y, radius = doubts_at(setup, 5, (640, 360))["some"]
        self.assertLess(np.hypot(x - 250, y - 200), radius + 50)
        self.assertGreater(x, 200)
        self.assertEqual(doubts_at(setup, 0, (640, 360)), {}, "made by hand")
