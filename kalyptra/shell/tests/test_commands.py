"""`bin/kalyptra follow`, `people`, `plate` and `render`: from files to files, without web or database."""

from __future__ import annotations

import csv
import tempfile
from contextlib import redirect_stderr
from io import StringIO
from pathlib import Path
from unittest import TestCase

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.matte.stored import coverage_of
from kalyptra.core.setup.document.outline import Joins
from kalyptra.core.setup.document.setup import Footage, Output, Setup
from kalyptra.core.setup.files.svg import DrawnOutline, read_svg, write_svg
from kalyptra.core.tests import material
from kalyptra.core.tests.moving import overlap
from kalyptra.shell import follow, people, plate, render
from kalyptra.truth.tracked import TrackedClip, traced


class Shell(TestCase):
    """The commands, from files to files, without web or database."""

    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        self.out = self.folder / "out"

    def read(self, name: str) -> NDArray[np.uint8]:
        return cv2.imread(str(self.out / name), cv2.IMREAD_UNCHANGED)

    def rows(self) -> list[list[str]]:
        return [line.split(",") for line in (self.out / "confidence.csv").read_text().split()]

    def test_people(self) -> None:
        clip = TrackedClip("window")
        self.assertEqual(people.main([str(clip.path), "--range", "20:22", "-o", str(self.out)]), 0)
        self.assertEqual([(a, c) for a, _, c in self.rows()[1:]], [(str(t), "person") for t in (20, 21, 22)])
        self.assertGreater(overlap(coverage_of(self.read("00021.png")), clip.truth(21)), 0.9)

    def test_following_mattes_and_the_plate_behind_them(self) -> None:
        clip = TrackedClip("runner")
        key = self.folder / "key.png"
        cv2.imwrite(str(key), np.round(clip.truth(2) * 255).astype(np.uint8))
        words = [str(clip.path), "--key", f"2={key}", "--range", "0:9", "-o", str(self.out)]
        self.assertEqual(follow.main(words), 0)
        self.assertEqual([row[2] for row in self.rows()[1:]], ["followed"] * 2 + ["hand"] + ["followed"] * 7)
        np.testing.assert_array_equal(self.read("00002.png"), np.round(clip.truth(2) * 255))
        self.assertGreater(overlap(coverage_of(self.read("00009.png")), clip.truth(9)), 0.9)
        made = self.folder / "plate.png"
        self.assertEqual(plate.main([str(clip.path), "--mattes", str(self.out), "--frame", "5", "-o", str(made)]), 0)
        seen = cv2.imread(str(self.folder / "seen.png"), cv2.IMREAD_GRAYSCALE)
        self.assertEqual(cv2.imread(str(made)).shape, (720, 1280, 3))
        hole = seen < 255
        self.assertTrue((seen[hole] == 0).any() and (seen[hole] > 0).any())
        self.assertTrue(hole[clip.truth(5) > 0.5].mean() > 0.95)

    def test_bad_input_is_said_in_words(self) -> None:
        clip = str(TrackedClip("runner").path)
        cases = [
            (follow, [clip, "-o", "x"]),
            (follow, [clip, "--key", "3=nothing.png", "-o", str(self.out)]),
            (people, [clip, "--range", "9:2", "-o", str(self.out)]),
            (plate, [clip, "--mattes", str(self.folder), "-o", str(self.out / "p.png")]),
        ]
        for command, words in cases:
            with self.subTest(words=words), redirect_stderr(StringIO()) as said:
                self.assertEqual(command.main(words), 1)
                self.assertIn("kalyptra ", said.getvalue())
        self.assertFalse(self.out.exists())


class FollowingOutlines(TestCase):
    def test_mattes_outlines_and_confidence_are_written(self) -> None:
        clip = TrackedClip("glass")
        with tempfile.TemporaryDirectory() as held:
            folder = Path(held)
            drawing = DrawnOutline("glass", Joins.ADD, traced(clip.truth(4))[0])
            (folder / "key.svg").write_text(write_svg({4: [drawing]}, (1280, 720)))
            words = [str(clip.path), "--outline", f"4={folder / 'key.svg'}", "--range", "2:9", "--motion", "similarity"]
            self.assertEqual(follow.main([*words, "-o", str(folder / "out")]), 0)
            names = sorted(path.name for path in (folder / "out").iterdir())
            self.assertEqual(names, [*(f"{t:05d}.png" for t in range(2, 10)), "confidence.csv", "outline.svg"])
            found = cv2.imread(str(folder / "out" / "00009.png"), cv2.IMREAD_UNCHANGED)
            self.assertEqual((found.dtype, found.shape), (np.uint8, (720, 1280)))
            self.assertGreater(overlap(found / np.float32(255), clip.truth(9)), 0.95)
            rows = list(csv.DictReader((folder / "out" / "confidence.csv").read_text().splitlines()))
            self.assertEqual([int(row["frame"]) for row in rows], list(range(2, 10)))
            self.assertEqual((rows[2]["kind"], float(rows[2]["confidence"]), rows[0]["kind"]), ("hand", 1, "followed"))
            self.assertEqual(sorted(read_svg((folder / "out" / "outline.svg").read_text())), list(range(2, 10)))

    def test_bad_words_are_told(self) -> None:
        clip = TrackedClip("glass")
        with tempfile.TemporaryDirectory() as held:
            bad = Path(held) / "bad.svg"
            bad.write_text("<svg/>")
            for words in (
                ["--outline", "x=y.svg"],
                ["--outline", "999=a.svg"],
                ["--outline", f"0={bad}"],
                ["--outline", f"5={bad}", "--range", "9:2"],
            ):
                self.assertEqual(follow.main([str(clip.path), *words, "-o", f"{held}/out"]), 1)
            self.assertFalse((Path(held) / "out").exists())


class Rendering(TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        self.source = material.video(self.folder / "source.mp4", frames=12)

    def test_the_shell_renders_a_setup_file_at_another_size(self) -> None:
        document = self.folder / "setup.json"
        document.write_text(Setup(footage=Footage(first=2, last=7), output=Output(height=46)).model_dump_json())
        out = self.folder / "shell.mp4"
        self.assertEqual(render.main([str(document), "--source", str(self.source), "-o", str(out)]), 0)
        with av.open(str(out)) as file:
            self.assertEqual((file.streams.video[0].frames, file.streams.video[0].height), (6, 46))
        self.assertEqual(render.main([str(document), "--source", str(document), "-o", str(out)]), 1)
