"""The network: a small U-Net at half the working size, which starts out as the contest itself.

Source: Ronneberger et al., U-Net, MICCAI 2015; pixels are folded into channels as in Shi et al., CVPR 2016.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import torch
from numpy.typing import NDArray
from torch import Tensor, nn
from torch.nn import functional

from kalyptra.core.following.propagate.evidence import PLANES
from kalyptra.core.following.propagate.step import Weigh
from kalyptra.core.following.propagate.weigh import roomy

WIDTHS = (24, 36, 44, 56)


class _Block(nn.Module):
    def __init__(self, into: int, out: int) -> None:
        super().__init__()
        self.first, self.second = nn.Conv2d(into, out, 3, padding=1), nn.Conv2d(out, out, 3, padding=1)

    def forward(self, x: Tensor) -> Tensor:
        return functional.relu(self.second(functional.relu(self.first(x))))


class Network(nn.Module):
    """From (n, planes, height, width) to log odds (n, 1, height, width); sides are multiples of 16."""

    def __init__(self) -> None:
        super().__init__()
        a, b, c, d = WIDTHS
        planes = len(PLANES)
        self.enter = nn.Conv2d(planes * 4, a, 1)
        self.down = nn.ModuleList([_Block(a, a), _Block(a, b), _Block(b, c), _Block(c, d)])
        self.up = nn.ModuleList(
            [nn.Conv2d(d + c, c, 3, padding=1), nn.Conv2d(c + b, b, 3, padding=1), nn.Conv2d(b + a, a, 3, padding=1)]
        )
        self.leave = nn.Conv2d(a, 4, 3, padding=1)
        self.straight = nn.Conv2d(planes, 1, 1)
        with torch.no_grad():
            self.leave.weight.mul_(0.3)
            self.straight.weight.zero_()
            self.straight.weight[0, PLANES.index("matte of the contest")] = 4.0
            self.straight.weight[0, PLANES.index("evidence of the contest")] = 0.5
            self.straight.bias.fill_(-2.0)  # type: ignore[union-attr]

    def forward(self, x: Tensor) -> Tensor:
        levels = [self.down[0](functional.relu(self.enter(functional.pixel_unshuffle(x, 2))))]
        for block in list(self.down)[1:]:
            levels.append(block(functional.max_pool2d(levels[-1], 2)))
        out = levels.pop()
        for conv in self.up:
            larger = functional.interpolate(out, scale_factor=2.0, mode="nearest")
            out = functional.relu(conv(torch.cat([larger, levels.pop()], 1)))
        return functional.pixel_shuffle(self.leave(out), 2) + self.straight(x)


def weigh_of(weights: Path) -> Weigh:
    """The network of a file of weights, as following asks for it."""
    torch.set_num_threads(1)
    network = Network()
    network.load_state_dict(torch.load(weights, weights_only=True))
    network.eval()

    def weigh(planes: NDArray[np.float32]) -> NDArray[np.float32]:
        height, width = planes.shape[1:]
        with torch.inference_mode():
            odds = network(torch.from_numpy(roomy(planes))[None])[0, 0, :height, :width]
        return np.asarray(torch.sigmoid(odds).numpy(), np.float32)

    return weigh
