"""`bin/kalyptra test`: what it runs, and what it says at its end."""

from __future__ import annotations

import unittest
from io import StringIO
from unittest import TestCase

from kalyptra.shell.check import ROOT, failures_in, groups


class Saying(TestCase):
    def test_each_test_that_failed_is_named_with_what_it_complained_of(self) -> None:
        class Pair(TestCase):
            def test_sum(self) -> None:
                self.assertEqual(1 + 1, 3, "two is\nnot three")

            def test_text(self) -> None:
                raise ValueError("no such page")

            def test_right(self) -> None:
                pass

        printed = StringIO()
        unittest.TextTestRunner(printed).run(unittest.defaultTestLoader.loadTestsFromTestCase(Pair))
        (first, why), (second, why_not) = sorted(failures_in(printed.getvalue()))
        self.assertTrue(first.endswith("Pair.test_sum") and second.endswith("Pair.test_text"))
        self.assertEqual((why, why_not), ("AssertionError: 2 != 3 : two is", "ValueError: no such page"))


class Groups(TestCase):
    def test_every_module_of_tests_is_in_one_group_alone(self) -> None:
        labels = [label for group in groups() for label in group]
        for path in (ROOT / "kalyptra").rglob("test_*.py"):
            module = ".".join(path.relative_to(ROOT).with_suffix("").parts)
            within = [label for label in labels if module == label or module.startswith(f"{label}.")]
            self.assertEqual(len(within), 1, module)
