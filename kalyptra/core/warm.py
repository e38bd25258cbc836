"""Get the compiled loops ready, so that the first picture that somebody waits for does not wait for the compiler."""

from __future__ import annotations

import numpy as np

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.transfer import to_codes, to_light
from kalyptra.core.compiled import keep_freed_memory
from kalyptra.core.frame import CutOut, Opening, Quality, through_lens
from kalyptra.core.lens.optics import ThinLens
from kalyptra.core.matte.shape import shape_matte
from kalyptra.core.setup.document import Form, Placement, Refine


def warm_up() -> None:
    """Render one small frame; also keeps freed memory from here on."""
    keep_freed_memory()
    size = (54, 96)
    light = to_light(np.zeros((*size, 3), np.uint8), Transfer.SRGB)
    dioptres = np.tile(np.linspace(0.02, 0.6, size[1], dtype=np.float32), (size[0], 1))
    placed = Placement(x=48, y=27, width=30, height=30)
    cut_outs = [
        CutOut(shape_matte(form, 0.3, placed, Refine(), size, 1.0), distance)
        for form, distance in ((Form.ELLIPSE, 2.0), (Form.ROUNDED_RECTANGLE, 3.0))
    ]
    lens = Opening(ThinLens(0.05, 0.3, 2.0, 0.036))
    to_codes(through_lens(light, dioptres, cut_outs, lens, quality=Quality.PREVIEW), Transfer.SRGB)
