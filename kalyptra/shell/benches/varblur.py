"""Beside a general box blur with a radius for each pixel (FFmpeg's varblur, on floats), against a true lens.

Its radius is tuned for it: of many sizes the one that comes nearest to the true lens counts.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import partial

import av
import numpy as np
from av.filter import Graph
from numpy.typing import NDArray
from skimage.metrics import peak_signal_noise_ratio as psnr

from kalyptra.core import CutOut, Plate, Transfer, keep_freed_memory, through_lens, to_codes
from kalyptra.shell.benches.figure import Figure, cpu_ms
from kalyptra.truth.demo import ground_dioptres, moments

FLOATS = "gbrpf32le"
SHARES = np.arange(0.5, 1.3, 0.05)
"""Half sides of the box, as shares of the disc's radius."""


def run() -> Iterator[Figure]:
    keep_freed_memory()
    ours, theirs, cost, box_cost = [], [], [], []
    for moment in moments():
        ground = ground_dioptres(moment)
        subjects, plate = [CutOut(moment.matte, moment.subject)], Plate(moment.plate, ground)

        work = partial(through_lens, moment.light, ground, subjects, moment.opening, plate)

        radius = np.abs(moment.opening.coc(moment.dioptres, ground.shape[1])) * np.float32(0.5)
        boxes = [Box(moment.light, radius * np.float32(share)) for share in SHARES]
        figures = [psnr(moment.true, to_codes(box.blurred(), Transfer.SRGB)) for box in boxes]
        best = int(np.argmax(figures))
        theirs.append(figures[best])
        box_cost.append(cpu_ms(boxes[best].blurred))
        ours.append(psnr(moment.true, to_codes(work(), Transfer.SRGB)))
        cost.append(cpu_ms(work))
    yield Figure("box blur at its best size beside a true lens: mean", float(np.mean(theirs)), "dB")
    yield Figure("Kalyptra, final, beside a true lens: mean", float(np.mean(ours)), "dB")
    yield Figure("better by, mean of all moments", float(np.mean(np.subtract(ours, theirs))), "dB", 6, at_least=True)
    yield Figure("CPU over that of the box blur", float(np.sum(cost) / np.sum(box_cost)), "x", 1)


class Box:
    """A picture in linear light and a half side for each pixel, ready to be blurred by boxes."""

    def __init__(self, light: NDArray[np.float32], radius: NDArray[np.float32]) -> None:
        height, width = radius.shape
        most = max(1, math.ceil(float(radius.max())))
        self.light, self.sizes = (
            av.VideoFrame.from_ndarray(np.ascontiguousarray(picture, np.float32), format=FLOATS)
            for picture in (light, np.dstack([radius / most] * 3))
        )
        self.light.pts = self.sizes.pts = 0
        self.form = f"video_size={width}x{height}:pix_fmt={FLOATS}:time_base=1/25:pixel_aspect=1/1"
        self.reach = f"min_r=0:max_r={most}"

    def blurred(self) -> NDArray[np.float32]:
        graph = Graph()
        picture, sizes = graph.add("buffer", self.form), graph.add("buffer", self.form)
        blur, sink = graph.add("varblur", self.reach), graph.add("buffersink")
        picture.link_to(blur, 0, 0)
        sizes.link_to(blur, 0, 1)
        blur.link_to(sink)
        graph.configure()
        picture.push(self.light)
        sizes.push(self.sizes)
        out: NDArray[np.float32] = sink.pull().to_ndarray()  # type: ignore[attr-defined]
        return out
