"""Write weights as the ONNX file that following runs: python -m training.export WEIGHTS [FILE]."""

from __future__ import annotations

import sys
from pathlib import Path

import torch

from kalyptra.core.following.propagate.evidence import PLANES
from kalyptra.core.following.propagate.weigh import FILE, MULTIPLE
from training.network import Network


def export(weights: Path, file: Path = FILE) -> None:
    network = Network()
    network.load_state_dict(torch.load(weights, weights_only=True))
    network.eval()
    planes = torch.zeros(1, len(PLANES), 8 * MULTIPLE, 10 * MULTIPLE)
    sizes = {0: "n", 2: "height", 3: "width"}
    torch.onnx.export(
        network, (planes,), str(file), input_names=["planes"], output_names=["odds"],
        dynamic_axes={"planes": sizes, "odds": sizes}, dynamo=False,
    )  # fmt: skip


if __name__ == "__main__":
    export(Path(sys.argv[1]), *(Path(word) for word in sys.argv[2:3]))
