"""The demo's truth is true: distances, mattes, plates and true-lens pictures agree with geometry and with each other."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any
from unittest import TestCase

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.lens.optics import ThinLens
from kalyptra.shell.benches.truth import moments

DEMO = Path(__file__).resolve().parents[3] / "demo"
NEAR = {"runner": 1.0, "glass": 0.6, "window": 0.9, "harbour": 20.0, "table": 0.2}


def frames_of(path: Path, pixels: str, wanted: set[int]) -> dict[int, NDArray[Any]]:
    with av.open(str(path)) as container:
        return {i: one.to_ndarray(format=pixels) for i, one in enumerate(container.decode(video=0)) if i in wanted}


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

    def test_a_far_light_opens_to_the_disc_that_the_handbook_says(self) -> None:
        """The disc's spread, by second moments: a disc of diameter D has a variance of D^2/16 on each axis."""
        measured = []
        for moment in moments():
            if not moment.name.startswith("glass") or moment.opening.lens.focus > 1:
                continue
            with np.load(DEMO / "glass" / f"lens-{int(moment.name.split()[1]):03}.npz") as file:
                sharp, seen = file["sharp"].astype(float), file[moment.name.split()[2]].astype(float)
            for y, x in lone_lights(sharp[..., 0]):
                z = 1 / moment.dioptres[y, x] if moment.dioptres[y, x] > 1e-4 else 55.0
                expected = abs(moment.opening.lens.coc_slope(sharp.shape[1]) * (1 / z - 1 / moment.opening.lens.focus))
                r = int(expected / 2 + 5)
                if r < y < sharp.shape[0] - r and r < x < sharp.shape[1] - r:
                    own = spread_of(sharp[y - 4 : y + 5, x - 4 : x + 5, 0])
                    disc = spread_of(seen[y - r : y + r + 1, x - r : x + r + 1, 0])
                    measured.append(4 * np.sqrt(max(disc - own, 0)) / expected)
        self.assertGreater(len(measured), 3)
        self.assertAlmostEqual(float(np.median(measured)), 1, delta=0.03)


def lone_lights(picture: NDArray[np.float64]) -> list[tuple[int, int]]:
    """Bright pixels with nothing bright for 16 px around them."""
    peaks = (picture > 0.8) & (picture == cv2.dilate(picture, np.ones((33, 33))))
    found = []
    for y, x in zip(*np.nonzero(peaks), strict=True):
        around = picture[max(0, y - 16) : y + 17, max(0, x - 16) : x + 17]
        if (around > 0.45).sum() <= 14:
            found.append((int(y), int(x)))
    return found


def spread_of(window: NDArray[np.float64]) -> float:
    """Variance on one axis of what stands out of a window's border, px^2."""
    border = np.concatenate([window[0], window[-1], window[:, 0], window[:, -1]])
    light = np.maximum(window - np.median(border) - 2 * border.std(), 0)
    y, x = np.mgrid[: window.shape[0], : window.shape[1]]
    total = light.sum()
    cy, cx = (light * y).sum() / total, (light * x).sum() / total
    return float((light * ((y - cy) ** 2 + (x - cx) ** 2)).sum() / total / 2)


class ThinLensFacts(TestCase):
    def test_the_scene_lens_is_the_handbooks(self) -> None:
        # The opening f/N S/(S - f), as demo/raytrace.py gives it, makes the field of view of a pinhole at f agree with
        # the handbook's CoC: A |1/S - 1/z| f W/sensor with A = f/N S/(S - f).
        f, n, s, z = 0.05, 1.4, 0.9, 17.0
        opening = f / n * s / (s - f)
        expected = opening * abs(1 / s - 1 / z) * f * 480 / 0.036
        coc = ThinLens(f, n, s, 0.036).signed_coc(np.array([1 / z], np.float32), 480)[0]
        self.assertAlmostEqual(abs(float(coc)) / expected, 1, 5)
