"""The person model: a picture in, for each pixel how surely it shows a person.

It is `person.tflite` beside this file; ORIGIN.md there says where it comes from.
"""

from __future__ import annotations

import threading
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

SIDE = 256
"""Px of the square that the model looks at."""
FILE = Path(__file__).with_name("person.tflite")
_mine = threading.local()


def person_share(codes: NDArray[np.uint8]) -> NDArray[np.float32]:
    """How surely each part of a picture shows a person.

    Args:
        codes: (height, width, 3) RGB in 8 bits, any size; it is stretched to the model's square.

    Returns:
        (SIDE, SIDE) 0 to 1.
    """
    shrinks = max(codes.shape[:2]) > SIDE
    square = cv2.resize(codes, (SIDE, SIDE), interpolation=cv2.INTER_AREA if shrinks else cv2.INTER_LINEAR)
    model = _model()
    model.set_tensor(_mine.input, (square.astype(np.float32) / np.float32(255))[None])
    model.invoke()
    return np.array(model.get_tensor(_mine.output)[0, :, :, 0], np.float32)


def _model() -> Any:
    """One a thread: an interpreter serves one caller at a time."""
    if not hasattr(_mine, "model"):
        from ai_edge_litert.interpreter import Interpreter

        model = Interpreter(model_path=str(FILE), num_threads=1)
        model.allocate_tensors()
        _mine.input = model.get_input_details()[0]["index"]
        _mine.output = model.get_output_details()[0]["index"]
        _mine.model = model
    return _mine.model
