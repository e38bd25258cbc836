"""What was found over frames lies beside the setup in records: nothing is lost by that, and the setup stays small."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path
from typing import Any
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from kalyptra.core.setup.document.records import WINDOW, Recorded
from kalyptra.core.setup.document.setup import Setup
from kalyptra.core.setup.files.read import SetupError, folded, read_setup
from kalyptra.core.setup.resolve.look import resolve
from kalyptra.core.store import RECORD, FolderStore, NotInStore

NAMES = st.integers(0, 2**128 - 1).map(lambda number: f"{number:032x}")
FRAMES = st.lists(st.integers(0, 3000), min_size=1, max_size=40, unique=True).map(sorted)


@st.composite
def setups(draw: st.DrawFn) -> dict[str, Any]:
    """Setups with something of each kind that is found over frames."""
    share = st.floats(0, 1)
    found = [
        [t, draw(NAMES), draw(share), draw(st.sampled_from(["followed", "person", "nobody"]))] for t in draw(FRAMES)
    ]
    steps = [{"frame": t + 1, "warp": [1, 0, draw(st.floats(-9, 9)), 0, 1, 0, 0, 0], "held": draw(share), "shifts": [[1, 0.5, draw(st.floats(-5, 5))]]} for t in draw(FRAMES)]  # fmt: skip
    square = [{"id": i, "x": x, "y": y} for i, (x, y) in enumerate(((10, 10), (60, 10), (60, 60), (10, 60)))]
    outline = {"id": "line1", "shape": {"keys": [{"frame": 0, "value": {"points": square}}]},
               "placement": {"keys": [{"frame": 0, "value": [1, 0, 0, 0, 1, 0, 0, 0]}]}, "steps": steps}  # fmt: skip
    away = {"keys": [{"frame": 0, "value": 2}]}
    feet = [[t, draw(st.floats(0, 100)), draw(st.floats(0, 100))] for t in draw(FRAMES)]
    subjects = [
        {"id": "found", "name": "Found", "matte": {"kind": "found", "frames": found}, "distance": away},
        {"id": "drawn", "name": "Drawn", "matte": {"kind": "outline", "outlines": [outline]}, "distance": away,
         "standing": {"on": "quay", "feet": feet}},
        {"id": "brought", "name": "Brought", "matte": {"kind": "imported", "frames": [draw(NAMES) for _ in draw(FRAMES)]}, "distance": away},
    ]  # fmt: skip
    plate = {"source": "recovered", "patches": [[t, draw(NAMES), 3, 4] for t in draw(FRAMES)]}
    sources = [{"kind": "backdrop", "id": "backdrop"}, {"kind": "ground", "id": "quay", "horizon": {"keys": [{"frame": 0, "value": 5}]}},
               {"kind": "map", "id": "depth", "frames": [draw(NAMES) for _ in draw(FRAMES)]}]  # fmt: skip
    return {"footage": {"last": 3000}, "subjects": subjects, "plate": plate, "distance": {"sources": sources}}


class InRecords(TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.store = FolderStore(Path(held.name))

    @given(setups())
    @settings(max_examples=25)
    def test_a_setup_comes_back_whole_and_names_instead_of_holding(self, document: dict[str, Any]) -> None:
        setup = read_setup(document)
        small = folded(setup, self.store)
        again = read_setup(json.dumps(small), self.store)
        self.assertEqual(again.model_dump(mode="json"), setup.model_dump(mode="json"))
        self.assertEqual(folded(again, self.store), small)  # the same names: what is the same is kept once
        for frame in (0, 7, 1500):
            self.assertEqual(resolve(again, frame, (160, 90)), resolve(setup, frame, (160, 90)))
        text = json.dumps(small)
        for name in (setup.plate.patches[0].picture, setup.subjects[0].matte.frames[0].matte):  # type: ignore[union-attr]
            self.assertNotIn(name, text)

    def test_its_size_does_not_go_with_the_length_of_the_shot_and_a_change_writes_its_window_alone(self) -> None:
        def found(last: int, sure: float = 0.5) -> Setup:
            frames = [[t, f"{t:032x}", sure if t == last - 1 else 1.0, "followed"] for t in range(last)]
            matte = {"kind": "found", "frames": frames}
            subject = {"id": "found", "name": "Found", "matte": matte, "distance": {"keys": [{"frame": 0, "value": 2}]}}
            return read_setup({"footage": {"last": last}, "subjects": [subject]})

        sizes = [len(json.dumps(folded(found(last), self.store))) for last in (100, 7500)]
        self.assertLess(sizes[1], sizes[0] + 40 * -(-7500 // WINDOW))
        before = set(self.store.folder.glob(f"*/*{RECORD}"))
        folded(found(7500, 0.9), self.store)
        self.assertEqual(len(set(self.store.folder.glob(f"*/*{RECORD}")) - before), 1)

    def test_records_are_read_once_and_setups_share_what_follows_from_them(self) -> None:
        steps = [{"frame": t, "warp": [1, 0, 0.5, 0, 1, 0, 0, 0]} for t in range(1, 900)]
        setup = read_setup(InRecords.drawn(steps))
        small = folded(setup, self.store)
        one, two = (read_setup(json.dumps(small), self.store) for _ in range(2))
        lines = [found.subjects[0].matte.outlines[0] for found in (one, two)]  # type: ignore[union-attr]
        self.assertIsInstance(lines[0].steps, Recorded)
        self.assertIs(lines[0].steps, lines[1].steps)
        self.assertIs(lines[0].track, lines[1].track)

    def test_records_that_are_gone_damaged_or_out_of_order_are_told(self) -> None:
        steps = [{"frame": t, "warp": [1, 0, 0.5, 0, 1, 0, 0, 0]} for t in range(1, 9)]
        small = folded(read_setup(InRecords.drawn(steps)), self.store)
        with self.assertRaisesRegex(SetupError, "no store of them is at hand"):
            read_setup(small)
        (name,) = small["subjects"][0]["matte"]["outlines"][0]["steps"]["windows"]

        def naming(*names: str) -> dict[str, Any]:
            return json.loads(json.dumps(small).replace(json.dumps([name]), json.dumps(list(names))))

        with self.assertRaises(NotInStore):
            read_setup(naming("a" * 32), self.store)
        with self.assertRaises(NotInStore):
            read_setup(naming("../../etc/passwd"), self.store)
        with self.assertRaisesRegex(SetupError, "in the order of their frames"):
            read_setup(naming(name, name), self.store)
        wrong = self.store.keep_record(b'[{"frame": "soon"}]')
        with self.assertRaisesRegex(SetupError, "valid integer"):
            read_setup(naming(wrong), self.store)
        self.store.path(name, RECORD).write_bytes(b"spoilt")
        with self.assertRaises(NotInStore):
            self.store.record(name)

    def test_a_setup_of_version_4_is_read_and_becomes_small(self) -> None:
        old = json.loads((Path(__file__).parents[3] / "demo" / "runner" / "setup.json").read_text())
        old["version"] = 4  # a file holds all of it, as every document did then
        setup = read_setup(old)
        self.assertLess(len(json.dumps(folded(setup, self.store))), 30_000)
        self.assertGreater(len(json.dumps(old)), 100_000)

    @staticmethod
    def drawn(steps: list[Any]) -> dict[str, Any]:
        square = [{"id": i, "x": x, "y": y} for i, (x, y) in enumerate(((10, 10), (60, 10), (60, 60), (10, 60)))]
        outline = {"id": "line1", "shape": {"keys": [{"frame": 0, "value": {"points": square}}]},
                   "placement": {"keys": [{"frame": 0, "value": [1, 0, 0, 0, 1, 0, 0, 0]}]}, "steps": steps}  # fmt: skip
        subject = {"id": "drawn", "name": "Drawn", "distance": {"keys": [{"frame": 0, "value": 2}]},
                   "matte": {"kind": "outline", "outlines": [outline]}}  # fmt: skip
        return {"footage": {"last": 1000}, "subjects": [subject]}
