"""Train the network: python -m training.train MINUTES WEIGHTS FOLDER... [--from WEIGHTS].

Samples may still be made meanwhile: new ones are read every minute, and the weights are written as often. Every twelfth
clip is held back and judged only. The curve goes to standard output.
"""

from __future__ import annotations

import argparse
import math
import time
from pathlib import Path

import numpy as np
import torch
from numpy.typing import NDArray
from torch import Tensor
from torch.nn import functional

from kalyptra.core.following.propagate.evidence import PLANES, RULE
from kalyptra.core.following.propagate.step import TUNING, UNSURE
from kalyptra.core.matte.overlap import overlap
from training.network import Network
from training.samples import CONTEST, unpacked

CROP, BATCH = 112, 8
RATE, LEAST_RATE = 2.5e-3, 0.04
HELD_BACK = 12
HARD = 0.35
"""The share of crops that lie where the contest is wrong: with more the network learns that it mostly is."""
HOPELESS = 0.3
"""Overlap of the contest with the truth below which nothing is left to go by: somebody else is followed, or nothing."""
BACKGROUND = [PLANES.index(name) for name in (
    "residual of the background", "residual beyond its range", "spread of the background", "background clean",
    "background open", "background held", "key's colours of the background",
)]  # fmt: skip
TRAIL = [PLANES.index("key's matte carried along"), PLANES.index("difference from the key's picture")]
COLOURS = [PLANES.index("key's colours"), PLANES.index("worth of the key's colours")]
RULES = PLANES.index("odds by rule")
MOST_ODDS = math.log(1 / UNSURE - 1)
LEAK = 0.02
"""How sure following lets the network be, and the slope beyond that, so that it can still be brought back."""
Sample = tuple[NDArray[np.uint8], NDArray[np.uint8]]


class Samples:
    """What was made so far, in memory."""

    def __init__(self, folders: list[Path]) -> None:
        self.folders, self.read = folders, set[Path]()
        self.train: list[Sample] = []
        self.held_back: list[Sample] = []

    def refresh(self) -> None:
        for path in (path for folder in self.folders for path in sorted(folder.glob("[0-9]*.npz"))):
            if path in self.read or ".part" in path.name:
                continue
            self.read.add(path)
            with np.load(path) as arrays:
                pairs = [(arrays[f"x{i}"], arrays[f"y{i}"]) for i in range(len(arrays.files) // 2)]
            pairs = [(x, y) for x, y in pairs if overlap(x[CONTEST] > 152, y > 127) >= HOPELESS or not (y > 127).any()]
            (self.held_back if int(path.stem) % HELD_BACK == 5 else self.train).extend(pairs)

    def batch(self, rng: np.random.Generator) -> tuple[Tensor, Tensor]:
        """Crops with their true mattes; most lie where the contest is wrong."""
        xs, ys = [], []
        for i in rng.integers(len(self.train), size=BATCH):
            x, y = _cropped(rng, *self.train[i])
            if rng.random() < 0.5:
                x, y = x[:, :, ::-1], y[:, ::-1]
            xs.append(unpacked(x))
            ys.append(y.astype(np.float32) / 255)
        planes = np.stack(xs)
        # In life what is remembered fails more often than here.
        for out, share in ((BACKGROUND, 0.2), (TRAIL, 0.12), (COLOURS, 0.1)):
            planes[np.ix_(np.flatnonzero(rng.random(BATCH) < share), np.array(out))] = 0
        return torch.from_numpy(planes), torch.from_numpy(np.stack(ys))[:, None]


def _cropped(rng: np.random.Generator, x: NDArray[np.uint8], y: NDArray[np.uint8]) -> Sample:
    height, width = y.shape
    room = ((0, max(0, CROP - height)), (0, max(0, CROP - width)))
    if any(after for _, after in room):
        x, y = np.pad(x, ((0, 0), *room), mode="edge"), np.pad(y, room, mode="edge")
        height, width = y.shape
    wrong = np.abs(y.astype(int) - (x[CONTEST].astype(int) - 128) * 255 // 48) > 90
    rows, columns = np.nonzero(wrong if wrong.sum() > 20 and rng.random() < HARD else y > 127)
    if not len(rows):
        rows, columns = np.array([height // 2]), np.array([width // 2])
    at = int(rng.integers(len(rows)))
    top = int(np.clip(rows[at] - rng.integers(CROP), 0, height - CROP))
    left = int(np.clip(columns[at] - rng.integers(CROP), 0, width - CROP))
    return x[:, top : top + CROP, left : left + CROP], y[top : top + CROP, left : left + CROP]


def decided(odds: Tensor, planes: Tensor) -> Tensor:
    """Log odds as following takes them: the network's, as far as they count, and those by rule."""
    bounded = torch.clamp(odds, -MOST_ODDS, MOST_ODDS)
    return TUNING.network * (bounded + LEAK * (odds - bounded)) + RULE * planes[:, RULES : RULES + 1]


def loss_of(odds: Tensor, truth: Tensor) -> Tensor:
    """Cross entropy, and the part of the overlap that is missing."""
    share = torch.sigmoid(odds)
    both = (share * truth).sum((1, 2, 3))
    either = (share + truth - share * truth).sum((1, 2, 3))
    return functional.binary_cross_entropy_with_logits(odds, truth) + 0.3 * (1 - (both + 25) / (either + 25)).mean()


def judged(network: Network, samples: list[Sample]) -> tuple[float, float]:
    """Mean J of the network and of the contest, one step each, over up to 80 samples that were held back."""
    picked = np.random.default_rng(0).permutation(len(samples))[:80]
    reached: list[float] = []
    contest: list[float] = []
    network.eval()
    for i in picked:
        x, y = (part[..., : part.shape[-2] // 16 * 16, : part.shape[-1] // 16 * 16] for part in samples[i])
        truth = y > 127
        if truth.sum() < 50:
            continue
        with torch.inference_mode():
            planes = torch.from_numpy(unpacked(x))[None]
            own = decided(network(planes), planes)[0, 0].numpy() > 0
        for matte, into in ((own, reached), (x[CONTEST] > 152, contest)):
            into.append(overlap(matte, truth))
    network.train()
    return float(np.mean(reached)), float(np.mean(contest))


def main() -> None:
    asked = argparse.ArgumentParser()
    asked.add_argument("minutes", type=float)
    asked.add_argument("weights", type=Path)
    asked.add_argument("folders", type=Path, nargs="+")
    asked.add_argument("--from", dest="start", type=Path)
    asked.add_argument("--rate", type=float, default=RATE)
    told = asked.parse_args()
    torch.manual_seed(1)
    torch.set_num_threads(1)
    network, rng, samples = Network(), np.random.default_rng(1), Samples(told.folders)
    if told.start:
        network.load_state_dict(torch.load(told.start, weights_only=True))
    optimiser = torch.optim.AdamW(network.parameters(), lr=told.rate, weight_decay=1e-4)
    began, said, steps, losses = time.monotonic(), 0.0, 0, [0.0]
    while (gone := (time.monotonic() - began) / (60 * told.minutes)) < 1:
        if time.monotonic() - said > 60:
            samples.refresh()
            _write(network, told.weights)
            if samples.held_back and steps:
                own, contest = judged(network, samples.held_back)
                done = f"{60 * told.minutes * gone:5.0f} s, {steps} steps of {BATCH}, {len(samples.train)} samples"
                lately = f"loss {np.mean(losses[-200:]):.4f}"
                print(f"{done}, {lately}, held back J {own:.3f} (contest {contest:.3f})", flush=True)
            said = time.monotonic()
        for group in optimiser.param_groups:
            cosine = 0.5 * (1 + np.cos(np.pi * gone))
            group["lr"] = told.rate * min(1, steps / 60 + 0.05) * (LEAST_RATE + (1 - LEAST_RATE) * cosine)
        planes, truth = samples.batch(rng)
        loss = loss_of(decided(network(planes), planes), truth)
        optimiser.zero_grad()
        loss.backward()
        torch.nn.utils.clip_grad_norm_(network.parameters(), 1.0)
        optimiser.step()
        losses.append(float(loss))
        steps += 1
    _write(network, told.weights)
    print(f"done: {steps} steps, {sum(p.numel() for p in network.parameters())} weights", flush=True)


def _write(network: Network, path: Path) -> None:
    part = path.with_suffix(".part")
    torch.save(network.state_dict(), part)
    part.rename(path)


if __name__ == "__main__":
    main()
