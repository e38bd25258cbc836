"""Write weights as the ONNX file that following runs: python -m training.export WEIGHTS [FILE]."""

from __future__ import annotations

import sys
from pathlib import Path

import torch
from torch import Tensor, nn

from kalyptra.core.following.propagate.evidence import PLANES
from kalyptra.core.following.propagate.weigh import FILE, MULTIPLE
from training.network import Network


def export(weights: Path, file: Path = FILE) -> None:
    network = Network()
    network.load_state_dict(torch.load(weights, weights_only=True))
    planes = torch.zeros(1, len(PLANES), 8 * MULTIPLE, 10 * MULTIPLE)
    write_onnx(network, planes, "planes", {0: "n", 2: "height", 3: "width"}, file)


def write_onnx(network: nn.Module, like: Tensor, name: str, free: dict[int, str], file: Path) -> None:
    """Write a network from one input to log odds; `like` is such an input, `free` names its axes of any size."""
    network.eval()
    torch.onnx.export(
        network, (like,), str(file), input_names=[name], output_names=["odds"],
        dynamic_axes={name: free, "odds": free}, dynamo=False,
    )  # fmt: skip


if __name__ == "__main__":
    export(Path(sys.argv[1]), *(Path(word) for word in sys.argv[2:3]))
