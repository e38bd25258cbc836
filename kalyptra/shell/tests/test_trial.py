"""A short run of each trial on a real instance; `bin/kalyptra trial` has the long ones, and holds them to seconds."""

from __future__ import annotations

import tempfile
from pathlib import Path
from unittest import TestCase

from kalyptra.shell.trial import place
from kalyptra.shell.trials import api, disk, files, kills, load
from kalyptra.shell.trials.instance import PATIENCE, Instance


class Trials(TestCase):
    def test_nothing_is_lost_and_nothing_sticks(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            folder.chmod(0o711)
            with Instance(folder, KALYPTRA_RESERVE="0") as instance:
                told = kills.run(instance, 5, back_within=PATIENCE)
                told |= files.run(instance, 8) | api.run(instance, 2) | load.run(instance, 2)
        self.assertEqual((told["kills"], told["files"]), (5, 8))
        self.assertLess(told["slowest, s"], PATIENCE)

    def test_a_full_disk_is_survived(self) -> None:
        with place("disk") as found:
            if found is None:
                self.skipTest("a disk of its own can be mounted by root alone")
            folder, settings = found
            with Instance(folder, **settings) as instance:
                self.assertEqual(disk.run(instance)["upload, render and save when freed"], "200")
