"""One moment of the demo four ways: as recorded, through a true lens, by Kalyptra without and with lifted lights."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np

from kalyptra.core import CutOut, Plate, Transfer, read_setup, through_lens, to_codes
from kalyptra.truth.demo import ground_dioptres, moments

MOMENT = "glass 0 f1.4-at0.9"


def write_comparison(out: Path) -> None:
    """Write the four pictures as one: recorded and true above, ours below."""
    moment = next(moment for moment in moments() if moment.name == MOMENT)
    ground = ground_dioptres(moment)
    subject, plate = [CutOut(moment.matte, moment.subject)], Plate(moment.plate, ground)
    lights = read_setup({"lens": {"highlights": {"gain": 1.5, "threshold": 0.9}}}).lens.highlights
    ours = [
        to_codes(through_lens(moment.light, ground, subject, opening, plate), Transfer.SRGB)
        for opening in (moment.opening, replace(moment.opening, highlights=lights))
    ]
    recorded = to_codes(moment.light, Transfer.SRGB)
    sheet = np.vstack([np.hstack([recorded, moment.true]), np.hstack(ours)])
    cv2.imwrite(str(out), sheet[..., ::-1])
