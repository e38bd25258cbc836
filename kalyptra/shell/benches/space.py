"""What a card in space and a small move cost beside the lens alone, at 1080 lines, in one run."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import Any

import cv2
import numpy as np

from kalyptra.core import (
    ClipFacts,
    FootageKind,
    HeldPicture,
    Picture,
    Rate,
    Sources,
    Transfer,
    keep_freed_memory,
    read_setup,
    render_frame,
)
from kalyptra.shell.benches.figure import Figure, cpu_ms_in_turn
from kalyptra.truth.demo import DEMO

WIDTH, HEIGHT = 1920, 1080


def run() -> Iterator[Figure]:
    keep_freed_memory()
    still = cv2.imread(str(DEMO / "table" / "still.jpg"))
    codes = np.ascontiguousarray(cv2.resize(still, (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA)[..., ::-1])
    facts = ClipFacts(
        kind=FootageKind.STILL, container="still", codec="picture", width=WIDTH, height=HEIGHT, frames=1,
        rate=Rate(numerator=25, denominator=1), transfer=Transfer.SRGB, bits=8,
    )  # fmt: skip
    sources = Sources(HeldPicture(facts, Picture(codes, Transfer.SRGB)), WIDTH)
    lens = {"lens": {"f_number": 2.0}, "focus": {"distance": _still(0.6)}}
    # A plane with the distances that the card has, so that the lens has the same to do.
    pins = [{"place": _still([WIDTH / 2, 0]), "distance": _still(0.78)},
            {"place": _still([WIDTH / 2, HEIGHT]), "distance": _still(0.5)}]  # fmt: skip
    flat = {"distance": {"sources": [{"kind": "pins", "id": "page", "pins": pins}]}}
    card = {"space": {"card": {"width": 0.45, "tilt": _still(50.0), "distance": _still(0.6)}}}
    moved = {"move": {"across": _still(0.02)}}
    setups = [read_setup(lens | more) for more in (flat, card, flat | moved)]
    works = [partial(render_frame, setup, 0, sources) for setup in setups]
    alone, in_space, beside = cpu_ms_in_turn(works, 15)
    yield Figure("the lens alone, 1080 lines, CPU a frame", alone, "ms")
    yield Figure("a card in space, beside that", in_space / alone, "times", 1.4)
    yield Figure("a small move, beside that", beside / alone, "times")


def _still(value: Any) -> dict[str, Any]:
    return {"keys": [{"frame": 0, "value": value}]}
