"""The demo's truth is true: distances, mattes, plates and true-lens pictures agree with geometry and with each other."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from unittest import TestCase

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core import FolderStore, folded, matte_name, read_setup
from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.transfer import to_light
from kalyptra.core.layered import Plate, through_lens
from kalyptra.core.lens.blur import FINAL
from kalyptra.core.lens.layers import see_ground
from kalyptra.core.lens.optics import ThinLens
from kalyptra.core.setup.document.setup import Highlights, Iris
from kalyptra.truth.demo import ground_dioptres, moments

DEMO = Path(__file__).resolve().parents[3] / "demo"
NEAR = {"runner": 1.0, "glass": 0.6, "window": 0.9, "harbour": 20.0, "table": 0.2}


def frames_of(path: Path, pixels: str, wanted: set[int]) -> dict[int, NDArray[Any]]:
    with av.open(str(path)) as container:
        return {
            i: picture.to_ndarray(format=pixels) for i, picture in enumerate(container.decode(video=0)) if i in wanted
        }


def count_of(path: Path) -> int:
    with av.open(str(path)) as container:
        return sum(1 for packet in container.demux(video=0) if packet.size)


class Truth(TestCase):
    def test_every_frame_has_its_distance_and_matte(self) -> None:
        for scene in NEAR:
            frames = json.loads((DEMO / scene / "prepared.json").read_text())["facts"]["frames"]
            expected = 1 if scene == "table" else frames
            for name in ("distance.mkv", "matte.mkv"):
                self.assertEqual(count_of(DEMO / scene / name), expected, f"{scene} {name}")

    def test_no_file_is_too_large_to_be_handed_on(self) -> None:
        sizes = {path: path.stat().st_size for path in DEMO.rglob("*") if path.is_file()}
        self.assertLess(max(sizes.values()), 4e6, max(sizes, key=sizes.__getitem__))
        self.assertLess(sum(sizes.values()), 60e6)

    def test_the_page_is_a_plane_within_a_step_of_the_codes(self) -> None:
        # 1/z is affine in the pixel coordinates over a flat surface seen in perspective.
        codes = frames_of(DEMO / "table" / "distance.mkv", "gray16le", {0})[0].astype(float)
        matte = frames_of(DEMO / "table" / "matte.mkv", "gray", {0})[0][::2, ::2]
        inside = cv2.erode((matte == 255).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
        inside[:8] = inside[-8:] = inside[:, :8] = inside[:, -8:] = False  # what lies beyond the frame is not known
        y, x = np.nonzero(inside)
        system = np.stack([x, y, np.ones_like(x)], axis=1).astype(float)
        found, *_ = np.linalg.lstsq(system, codes[inside], rcond=None)
        self.assertLess(np.abs(system @ found - codes[inside]).max(), 1.01)

    def test_the_quay_lies_where_the_camera_geometry_says(self) -> None:
        # A pinhole at 1.42 m looks from (0.15, 1.42, 0) at (0, 1.22, 6), 35 mm on 36 mm (demo/scenes/runner.pov, time 0).
        codes = frames_of(DEMO / "runner" / "distance.mkv", "gray16le", {0})[0].astype(float)
        at, to = np.array([0.15, 1.42, 0.0]), np.array([0.0, 1.22, 6.0])
        ahead = (to - at) / np.linalg.norm(to - at)
        right = np.cross([0, 1, 0], ahead) / np.linalg.norm(np.cross([0, 1, 0], ahead))
        up = np.cross(ahead, right)
        for column, row in ((200, 340), (260, 300), (300, 355)):  # pixels of the quay's stone, away from its joints
            u = ((2 * column + 0.5) / 1280 - 0.5) * 36 / 35
            v = (0.5 - (2 * row + 0.5) / 720) * 36 / 35 * 720 / 1280
            ray = ahead + u * right + v * up
            depth = -at[1] / ray[1]
            self.assertAlmostEqual(codes[row, column] / 65535, NEAR["runner"] / depth, delta=3e-3 / depth)

    def test_plates_equal_the_clip_outside_the_subject_and_its_reflections(self) -> None:
        plate = cv2.imread(str(DEMO / "window" / "plate-048.webp"))
        shown = frames_of(DEMO / "window" / "clip.mp4", "bgr24", {48})[48]
        matte = frames_of(DEMO / "window" / "matte.mkv", "gray", {48})[48]
        away = cv2.dilate((matte > 0).astype(np.uint8), np.ones((61, 61), np.uint8)) == 0
        away[560:] = False  # the counter, on which the clerk's shadow lies
        difference = np.abs(plate.astype(float) - shown)
        self.assertLess(np.median(difference[away]), 4)
        # One pixel off, and edges would stand out: the plate must fit best where it is.
        here, off = difference[away].mean(), np.abs(np.roll(plate, 1, 1).astype(float) - shown)[away].mean()
        self.assertLess(here, off)
        self.assertGreater(difference[matte == 255].mean(), 4 * here)

    def test_far_lights_open_to_the_discs_that_the_handbook_says(self) -> None:
        """Spread the scene's own bright lights over discs of many sizes: the one that fits the true lens is measured."""
        band = (slice(20, 80), slice(10, 250))  # the far bank's lights and the ferry's windows, left of the kettle
        measured = []
        for moment in moments():
            if not moment.name.startswith("glass") or moment.opening.lens.focus > 1:
                continue
            with np.load(DEMO / "glass" / f"lens-{int(moment.name.split()[1]):03}.npz") as file:
                sharp, seen = (file[name].astype(np.float32) for name in ("sharp", moment.name.split()[2]))
            coc = moment.opening.coc(ground_dioptres(moment), sharp.shape[1])
            truth = cv2.GaussianBlur(seen, (0, 0), 1.5)[band]  # the true discs are dotted: few samples
            ratios = np.arange(0.85, 1.15, 0.01)
            errors = [
                np.abs(
                    cv2.GaussianBlur(see_ground(sharp, np.abs(coc) * np.float32(r / 2), Iris(), FINAL), (0, 0), 1.5)[
                        band
                    ]
                    - truth
                ).mean()
                for r in ratios
            ]
            measured.append(ratios[int(np.argmin(errors))])
        self.assertGreaterEqual(len(measured), 2)
        # One picture alone is uncertain by some hundredths, since its discs are dotted; the discs of all agree.
        self.assertAlmostEqual(float(np.mean(measured)), 1, delta=0.03)
        np.testing.assert_allclose(measured, 1, atol=0.08)


class Lights(TestCase):
    def test_lifted_lights_are_nearer_to_those_of_a_true_lens(self) -> None:
        # The lights of the far bank are 5 to 7 times as bright as white (demo/scenes/glass.pov).
        moment = next(moment for moment in moments() if moment.name == "glass 0 f1.4-at0.9")
        band = (slice(40, 68), slice(150, 470))
        ground = ground_dioptres(moment)
        lights = Highlights(gain=2, threshold=0.9)

        def light_of_band(highlights: Highlights) -> float:
            opening = replace(moment.opening, highlights=highlights)
            seen = through_lens(moment.light, ground, [], opening, Plate(moment.plate, ground))
            return float(np.minimum(seen[band], 1).mean())

        truth = float(to_light(moment.true, Transfer.SRGB)[band].mean())
        dull, lifted = light_of_band(Highlights()), light_of_band(lights)
        self.assertLess(abs(lifted / truth - 1), abs(dull / truth - 1))


class Feet(TestCase):
    def test_the_demos_feet_are_those_of_its_matte_whatever_is_written_down_of_a_point(self) -> None:
        setup = read_setup((Path(__file__).parents[3] / "demo" / "runner" / "setup.json").read_bytes())
        runner = setup.subjects[0]
        assert runner.standing
        self.assertEqual(runner.standing.of, matte_name(runner))
        self.assertEqual(matte_name(read_setup(setup.model_dump_json()).subjects[0]), matte_name(runner))
        with TemporaryDirectory() as name:
            store = FolderStore(Path(name))
            by_record = read_setup(folded(setup, store), store).subjects[0]
            for _ in range(2):  # the second time from what is remembered of its records
                self.assertEqual(matte_name(by_record), matte_name(runner))


class ThinLensFacts(TestCase):
    def test_the_scene_lens_is_the_handbooks(self) -> None:
        # The opening f/N S/(S - f), as demo/raytrace.py gives it, makes the field of view of a pinhole at f agree with
        # the handbook's CoC: A |1/S - 1/z| f W/sensor with A = f/N S/(S - f).
        f, n, s, z = 0.05, 1.4, 0.9, 17.0
        opening = f / n * s / (s - f)
        expected = opening * abs(1 / s - 1 / z) * f * 480 / 0.036
        coc = ThinLens(f, n, s, 0.036).signed_coc(np.array([1 / z], np.float32), 480)[0]
        self.assertAlmostEqual(abs(float(coc)) / expected, 1, 5)
