"""`bin/kalyptra still` beside pictures of a true lens."""

from __future__ import annotations

import json
from pathlib import Path
from unittest import TestCase, skipUnless

import cv2
import numpy as np
from hypothesis import strategies as st
from skimage.metrics import peak_signal_noise_ratio as psnr

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.transfer import to_codes, to_light
from kalyptra.core.layered import CutOut, Opening, through_lens
from kalyptra.core.lens.optics import ThinLens
from kalyptra.shell import still

REFERENCE = Path(__file__).resolve().parents[4] / "shared" / "reference"
distances = st.floats(0.3, 300)


def optics_of(facts: dict[str, float]) -> ThinLens:
    return ThinLens(
        facts["focal_length_mm"] / 1000, facts["f_number"], facts["focus_distance_m"], facts["sensor_width_mm"] / 1000
    )


@skipUnless(REFERENCE.exists(), "the ray-traced reference pictures are not beside this checkout")
class TrueLens(TestCase):
    """Pictures of a physical thin-lens camera, ray-traced with an open-source ray tracer."""

    def compare(self, case: str, with_plate: bool) -> tuple[float, float]:
        folder = REFERENCE / case
        facts = json.loads((folder / "case.json").read_text())
        distance = str(sum(facts["subject_distance_m"]) / 2)
        words = [
            str(folder / "sharp.png"),
            "--distance",
            str(folder / "depth.npz"),
            "--matte",
            str(folder / "matte.png"),
        ]
        words += ["--matte-distance", distance, "--focal-length", str(facts["focal_length_mm"]), "-o", "unused.png"]
        words += ["--f-number", str(facts["f_number"]), "--sensor-width", str(facts["sensor_width_mm"])]
        words += ["--focus", str(facts["focus_distance_m"])]
        if with_plate:
            words += ["--plate", str(folder / "plate.png"), "--plate-distance", str(folder / "depth.npz")]
        found = still.make(still.parser().parse_args(words))
        truth = cv2.imread(str(folder / "true_lens.png"))[..., ::-1]
        optics = optics_of(facts)
        with np.load(folder / "depth.npz") as file:
            coc = np.abs(optics.signed_coc(1 / file["plate_depth"], facts["width"])).max()
        matte = cv2.imread(str(folder / "matte.png"), 0)
        edge = cv2.morphologyEx((matte > 127).astype(np.uint8), cv2.MORPH_GRADIENT, np.ones((3, 3)))
        ring = cv2.distanceTransform(1 - edge, cv2.DIST_L2, 5) <= coc
        return psnr(truth, found), psnr(truth[ring], found[ring])

    def test_with_the_plate_given(self) -> None:
        whole = []
        for case, least in (("cards-far", 42), ("cards-near", 42), ("floor-mid", 38)):
            picture, ring = self.compare(case, with_plate=True)
            whole.append(picture)
            with self.subTest(case):
                self.assertGreater(picture, 42)
                self.assertGreater(ring, least)
        self.assertGreater(np.mean(whole), 45)

    def test_with_a_plate_of_its_own(self) -> None:
        for case in ("cards-far", "cards-near"):
            with self.subTest(case):
                self.assertGreater(self.compare(case, with_plate=False)[1], 35)

    def test_no_glow_of_the_subject_s_own_colour_around_it(self) -> None:
        # The naive way, common practice: blur all, and put the subject back over it.
        ours, naive, edges = [], [], []
        for case in ("cards-far", "cards-near"):
            folder = REFERENCE / case
            facts = json.loads((folder / "case.json").read_text())
            recorded, truth = (cv2.imread(str(folder / name))[..., ::-1] for name in ("sharp.png", "true_lens.png"))
            matte = cv2.imread(str(folder / "matte.png"), 0).astype(np.float32) / 255
            optics = optics_of(facts)
            with np.load(folder / "depth.npz") as file:
                near, behind = ((1 / file[name]).astype(np.float32) for name in ("depth", "plate_depth"))
            light = to_light(np.ascontiguousarray(recorded), Transfer.SRGB)
            subject = CutOut(matte, sum(facts["subject_distance_m"]) / 2)
            found = to_codes(through_lens(light, near, [subject], Opening(optics)), Transfer.SRGB)
            blurred = to_codes(through_lens(light, behind, [], Opening(optics)), Transfer.SRGB)
            put_back = np.round(blurred * (1 - matte[..., None]) + recorded * matte[..., None])
            away = cv2.distanceTransform((matte <= 0.004).astype(np.uint8), cv2.DIST_L2, 5)
            ring = (away > 0) & (away <= np.abs(optics.signed_coc(behind, facts["width"])).max())
            edge = (matte > 0.05) & (matte < 0.95)
            ours.append(np.abs(found[ring].astype(float) - truth[ring]).mean())
            naive.append(np.abs(put_back[ring] - truth[ring]).mean())
            edges.append(np.abs(found[edge].astype(float) - truth[edge]).mean())
        self.assertLess(np.mean(ours), 1.5)
        self.assertLess(np.max(np.divide(ours, naive)), 0.2)
        self.assertLess(np.max(edges), 7)
