"""Train the network that tells edges: python -m training.edge_train MINUTES FOLDER... [--to FILE].

A perceptron over what is seen around a pixel (`edge_network.py` says what): so little is learnt that minutes are
enough, where a small U-Net on the picture itself had learnt none of it after an hour. Every tenth clip is held back and
judged only.
"""

from __future__ import annotations

import argparse
import math
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import torch
from numpy.typing import NDArray
from torch import Tensor, nn
from torch.nn import functional

from kalyptra.core.matte.edge_network import FEATURES, FILE, near_line
from kalyptra.core.matte.overlap import overlap
from kalyptra.core.matte.stored import coverage_of, laid_over
from training.edge_samples import EdgeSample
from training.export import write_onnx

HIDDEN = (96, 32)
BATCH, RATE, LEAST_RATE = 4096, 3e-3, 0.02
OF_A_FRAME, OF_A_CLIP = 1500, 6
"""Pixels of a frame, and frames of a clip, that are learnt from."""
MOST_COUNTS = 3.0
"""What a pixel counts: how much edge there is for the subject's area, at most so much."""
MOST = 5.0
"""Deviations from the mean at which a feature ends."""
WIDTH = 4.0
"""Px between which the edge of a followed matte lies, at twice the working size."""
HELD_BACK = 10


class EdgeNetwork(nn.Module):
    """From (n, features) to log odds (n, 1)."""

    mean: Tensor
    deviation: Tensor

    def __init__(self, mean: Tensor, deviation: Tensor) -> None:
        super().__init__()
        self.register_buffer("mean", mean)
        self.register_buffer("deviation", deviation)
        sizes = (len(FEATURES), *HIDDEN)
        layers = [part for a, b in zip(sizes, HIDDEN, strict=False) for part in (nn.Linear(a, b), nn.ReLU())]
        self.layers = nn.Sequential(*layers, nn.Linear(HIDDEN[-1], 1))

    def forward(self, features: Tensor) -> Tensor:
        even = torch.clamp((features - self.mean) / self.deviation, -MOST, MOST)
        return self.layers(even)  # type: ignore[no-any-return]


def samples_in(path: Path) -> Iterator[EdgeSample]:
    with np.load(path) as arrays:
        for i in range(len(arrays.files) // 3):
            yield EdgeSample(*(arrays[f"{name}{i}"] for name in EdgeSample._fields))


def larger(sample: EdgeSample) -> NDArray[np.float32]:
    """The matte as it was followed, at the size of the picture."""
    return laid_over(coverage_of(sample.matte), (sample.truth.shape[0], sample.truth.shape[1]))


def learnt_from(paths: list[Path]) -> tuple[Tensor, Tensor, Tensor]:
    """Features and true shares of pixels of all clips, and what each counts: more where the subject is small."""
    rng = np.random.default_rng(0)
    features, shares, counts = [], [], []
    for path in paths:
        samples = list(samples_in(path))
        for i in rng.permutation(len(samples))[:OF_A_CLIP]:
            near = near_line(samples[i].codes, larger(samples[i]), WIDTH)
            if near is None:
                continue
            pixels = len(near.features)
            picked = rng.permutation(pixels)[:OF_A_FRAME]
            features.append(near.features[picked])
            shares.append(coverage_of(samples[i].truth[near.pixels][picked]))
            count = min(pixels / max(float((samples[i].truth > 127).sum()), 1.0), MOST_COUNTS)
            counts.append(np.full(len(picked), count, np.float32))
    told, true, each = (torch.from_numpy(np.concatenate(values)) for values in (features, shares, counts))
    return told, true, each


def judged(network: EdgeNetwork, paths: list[Path]) -> tuple[float, float]:
    """Mean J of the mattes as they were followed, and with their edges told."""
    reached: list[tuple[float, float]] = []
    for sample in (sample for path in paths for sample in samples_in(path)):
        near = near_line(sample.codes, larger(sample), WIDTH)
        if near is None:
            continue
        truth, rough = sample.truth > 127, larger(sample) > 0.5
        fine = rough.copy()
        with torch.inference_mode():
            fine[near.pixels] = (network(torch.from_numpy(near.features))[:, 0] > 0).numpy()
        reached.append((overlap(rough, truth), overlap(fine, truth)))
    before, after = np.mean(reached, axis=0)
    return float(before), float(after)


def main() -> None:
    asked = argparse.ArgumentParser()
    asked.add_argument("minutes", type=float)
    asked.add_argument("folders", type=Path, nargs="+")
    asked.add_argument("--to", type=Path, default=FILE)
    told = asked.parse_args()
    torch.manual_seed(1)
    torch.set_num_threads(1)
    paths = [path for folder in told.folders for path in sorted(folder.glob("[0-9]*.npz")) if ".part" not in path.name]
    held_back = [path for path in paths if int(path.stem) % HELD_BACK == 5]
    features, shares, counts = learnt_from([path for path in paths if path not in held_back])
    counts /= counts.mean()
    network = EdgeNetwork(features.mean(0), features.std(0) + 1e-3)
    optimiser = torch.optim.AdamW(network.parameters(), lr=RATE, weight_decay=1e-4)
    began, steps = time.monotonic(), 0
    while (gone := (time.monotonic() - began) / (60 * told.minutes)) < 1:
        for group in optimiser.param_groups:
            group["lr"] = RATE * (LEAST_RATE + (1 - LEAST_RATE) * 0.5 * (1 + math.cos(math.pi * gone)))
        picked = torch.randint(len(shares), (BATCH,))
        odds = network(features[picked])[:, 0]
        loss = functional.binary_cross_entropy_with_logits(odds, shares[picked], weight=counts[picked])
        optimiser.zero_grad()
        loss.backward()
        optimiser.step()
        steps += 1
    before, after = judged(network, held_back)
    weights = sum(p.numel() for p in network.parameters())
    print(f"{len(shares)} pixels, {steps} steps of {BATCH}, {weights} weights; held back J {before:.4f} -> {after:.4f}")
    write_onnx(network, torch.zeros(8, len(FEATURES)), "features", {0: "n"}, told.to)


if __name__ == "__main__":
    main()
