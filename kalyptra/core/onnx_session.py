"""Small networks that ship with the core as ONNX files. On one thread: their bytes are the same on every run."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Any


@lru_cache(maxsize=4)
def session_of(file: Path) -> Any:
    """One for all threads: running it is safe from several."""
    import onnxruntime

    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = options.inter_op_num_threads = 1
    return onnxruntime.InferenceSession(str(file), options, providers=["CPUExecutionProvider"])
