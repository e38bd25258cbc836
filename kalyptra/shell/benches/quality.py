"""The lens beside a true one, on the demo's truth: halo, lifted lights, and the whole picture."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage.metrics import peak_signal_noise_ratio as psnr

from kalyptra.core import CutOut, Opening, Plate, Transfer, read_setup, through_lens, to_codes
from kalyptra.shell.benches.figure import Figure
from kalyptra.truth.demo import Moment, ground_dioptres, moments

LIGHTS = read_setup({"lens": {"highlights": {"gain": 2.0, "threshold": 0.95, "keep_colour": 1.0}}}).lens.highlights


def run() -> Iterator[Figure]:
    rows = [compare(moment) for moment in moments()]
    for row in rows:
        yield Figure(f"{row['name']}, plate given", row["plate"], "dB")
    yield Figure("true lens, plate given: mean", float(np.mean([row["plate"] for row in rows])), "dB")
    yield Figure("the same with lights lifted by 2 stops: mean", float(np.mean([row["lifted"] for row in rows])), "dB")
    focused = [row for row in rows if row["in_focus"] and np.isfinite(row["halo"])]
    ours, naive, edge = (float(np.mean([row[name] for row in focused])) for name in ("halo", "naive", "edge"))
    yield Figure("halo outside the matte, own plate: mean error of 255", ours, "", 1.5)
    yield Figure("halo over that of blurring all and putting the subject back", ours / naive, "x", 0.2)
    yield Figure("at the matte's own edge: mean error of 255", edge, "", 7)


def compare(moment: Moment) -> dict[str, float]:
    """A moment's errors, with the plate given and without."""
    ground = ground_dioptres(moment)
    cut_out = [CutOut(moment.matte, moment.subject)]
    given = Plate(moment.plate, ground)

    def seen(opening: Opening, plate: Plate | None, subjects: list[CutOut]) -> NDArray[np.uint8]:
        return to_codes(through_lens(moment.light, ground, subjects, opening, plate), Transfer.SRGB)

    with_plate = seen(moment.opening, given, cut_out)
    lifted = seen(replace(moment.opening, highlights=LIGHTS), given, cut_out)
    own = seen(moment.opening, None, cut_out)
    naive = put_back(moment, seen(moment.opening, None, []))
    coc = np.abs(moment.opening.coc(ground, ground.shape[1]))
    away = cv2.distanceTransform((moment.matte <= 0.004).astype(np.uint8), cv2.DIST_L2, 5)
    ring = (away > 0) & (away <= float(np.median(coc)))
    edge = (moment.matte > 0.05) & (moment.matte < 0.95)
    return {
        "name": moment.name,  # type: ignore[dict-item]
        "plate": psnr(moment.true, with_plate),
        "lifted": psnr(moment.true, lifted),
        "in_focus": abs(moment.opening.lens.focus / moment.subject - 1) < 0.08,
        "halo": error(own, moment, ring),
        "naive": error(naive, moment, ring),
        "edge": error(own, moment, edge),
    }


def put_back(moment: Moment, blurred: NDArray[np.uint8]) -> NDArray[np.uint8]:
    a = moment.matte[..., None]
    return np.round(blurred * (1 - a) + to_codes(moment.light, Transfer.SRGB) * a).astype(np.uint8)


def error(ours: NDArray[np.uint8], moment: Moment, where: NDArray[np.bool_]) -> float:
    if not where.any():
        return float("nan")
    return float(np.abs(ours[where].astype(float) - moment.true[where]).mean())
