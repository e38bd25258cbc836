"""Colour tables: what a `.cube` file says is what a picture gets, and what is none is refused."""

from __future__ import annotations

import tempfile
from pathlib import Path
from unittest import TestCase

import numpy as np

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.guarded import GuardedFailure
from kalyptra.core.clip.transfer import code_of, light_of
from kalyptra.core.finish.table import LARGEST_CUBE, read_cube, with_table
from kalyptra.core.importing import table_to_store
from kalyptra.core.store import FolderStore


class Tables(TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        self.light = np.random.default_rng(3).uniform(0.0, 1, (40, 60, 3)).astype(np.float32)
        self.codes = code_of(self.light.astype(float), Transfer.SRGB)

    def write(self, text: str) -> Path:
        path = self.folder / "evening.cube"
        path.write_text(text)
        return path

    def cube(self, size: int, head: str = "") -> Path:
        """A table that mixes the channels evenly: looked up by tetrahedra it is exact, by nearest places it is not."""
        rows = [f"{0.8 * r + 0.1 * g:.7f} {0.2 * r + 0.7 * g:.7f} {0.3 + 0.5 * b:.7f}"
                for b in np.linspace(0, 1, size) for g in np.linspace(0, 1, size) for r in np.linspace(0, 1, size)]  # fmt: skip
        return self.write(f"{head}LUT_3D_SIZE {size}\n" + "\n".join(rows))

    def looked_up(self, path: Path, strength: float = 1.0) -> np.ndarray:
        light = self.light.copy()
        with_table(light, read_cube(path), f"{path.stat().st_mtime_ns}{path.stat().st_size}", strength, Transfer.SRGB)
        return code_of(light.astype(float), Transfer.SRGB) * 255

    def test_three_dimensions_are_looked_up_between_their_places(self) -> None:
        r, g, b = np.moveaxis(self.codes, 2, 0)
        expected = np.stack([0.8 * r + 0.1 * g, 0.2 * r + 0.7 * g, 0.3 + 0.5 * b], axis=-1) * 255
        for size in (2, 17, 33):
            with self.subTest(size=size):
                np.testing.assert_allclose(self.looked_up(self.cube(size)), expected, atol=0.25)
        self.assertEqual(read_cube(self.cube(LARGEST_CUBE)).shape, (LARGEST_CUBE**2, LARGEST_CUBE, 4))

    def test_one_dimension_is_a_curve_a_channel(self) -> None:
        rows = "\n".join(f"{v**2:.7f} {v:.7f} {1 - v:.7f}" for v in np.linspace(0, 1, 1024))
        r, g, b = np.moveaxis(self.codes, 2, 0)
        expected = np.stack([r**2, g, 1 - b], axis=-1) * 255
        np.testing.assert_allclose(self.looked_up(self.write(f"LUT_1D_SIZE 1024\n{rows}")), expected, atol=0.35)

    def test_half_of_it_is_half_way_in_light(self) -> None:
        whole = light_of(self.looked_up(self.cube(17)) / 255, Transfer.SRGB)
        half = light_of(self.looked_up(self.cube(17), 0.5) / 255, Transfer.SRGB)
        np.testing.assert_allclose(half, (whole + self.light) / 2, atol=0.002)

    def test_it_comes_into_the_store_and_what_is_none_is_told(self) -> None:
        store = FolderStore(self.folder / "kept")
        name = table_to_store(self.cube(17), store.folder)
        np.testing.assert_array_equal(store.picture(name), read_cube(self.cube(17)))
        for text in ("", "LUT_3D_SIZE 3\n0 0 0\n", "LUT_3D_SIZE 100000\n", "no table", "LUT_3D_SIZE -4\n"):
            with self.subTest(text), self.assertRaises(GuardedFailure) as told:
                table_to_store(self.write(text), store.folder)
            self.assertEqual(told.exception.kind, "NotATable", told.exception)
