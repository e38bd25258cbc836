"""The strip under the chart: of a long shot it holds what is shown, never hides a bad frame, and knows where to look."""

from __future__ import annotations

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from kalyptra.bench.health import Health, health_of
from kalyptra.core import read_setup

FRAMES = 600
HOWS = ("followed", "predicted", "person", "nobody")


def health(found: dict[int, tuple[float, str]], keys: set[int], shown: range) -> Health:
    matte = {
        "kind": "found",
        "keys": [{"frame": frame, "matte": "a" * 32} for frame in sorted(keys)],
        "frames": [[frame, "b" * 32, sure, how] for frame, (sure, how) in sorted(found.items())],
    }
    subject = {"id": "ferry0", "name": "Ferry", "matte": matte, "distance": {"keys": [{"frame": 0, "value": 9}]}}
    setup = read_setup({"version": 5, "footage": {"first": 0, "last": FRAMES - 1}, "subjects": [subject]})
    return health_of(setup, shown)["ferry0"][""]


class OverTime(TestCase):
    @given(
        st.dictionaries(
            st.integers(0, FRAMES - 1), st.tuples(st.floats(0, 1).map(lambda v: round(v, 3)), st.sampled_from(HOWS))
        ),
        st.sets(st.integers(0, FRAMES - 1), max_size=4),
        st.integers(0, FRAMES - 1),
        st.sampled_from((1, 2, 7, 50)),
    )
    def test_each_bad_frame_is_in_one_stretch_to_look_at_and_no_other_is(self, found, keys, first, step) -> None:  # type: ignore[no-untyped-def]
        told = health(found, keys, range(first, FRAMES, step))
        bad = {frame for frame, (sure, how) in found.items() if sure < 0.5 and how != "nobody" and frame not in keys}
        listed = [frame for a, b in told.looks for frame in range(a, b + 1)]
        self.assertEqual(listed, sorted(bad))
        # Each bar stands for the frames up to the next one: none of them is worse than it says.
        for start, bar in zip(range(first, FRAMES, step), told.frames, strict=True):
            self.assertEqual(bar.look, any(frame in bad for frame in range(start, min(FRAMES, start + step))))
