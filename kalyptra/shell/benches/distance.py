"""The distance map of a frame on one thread, by the number of its sources and by their kinds."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

import numpy as np

from kalyptra.core import (
    ClipFacts,
    HeldPicture,
    Layer,
    Sources,
    keep_freed_memory,
    open_clip,
    read_setup,
    resolve,
    shrink,
    stack,
    survey,
)
from kalyptra.shell.benches.figure import Figure, cpu_ms
from kalyptra.shell.benches.scene import DEMO

SIZE = (1080, 1920)
CEILING = 15.0
"""CPU milliseconds of a map, whatever the number of sources up to 8."""


def hold(value: Any) -> dict[str, Any]:
    return {"keys": [{"frame": 0, "value": value}]}


STOPS = [{"at": hold(at), "distance": hold(away)} for at, away in ((0, 1), (0.2, 3), (0.5, 2), (0.7, 6), (1, 20))]
KINDS: dict[str, dict[str, Any]] = {
    "backdrop": {"kind": "backdrop", "distance": hold(20)},
    "ground": {"kind": "ground", "horizon": hold(400), "height": hold(1.5)},
    "pins": {"kind": "pins", "pins": [{"place": hold([x, y]), "distance": hold(z)} for x, y, z in
                                      ((300, 900, 1), (1600, 950, 1.4), (900, 200, 9))]},
    "corners": {"kind": "corners", "corners": [hold(at) for at in ([600, 300], [1300, 320], [1500, 900], [400, 880])],
                "width": hold(0.5)},
    "line": {"kind": "line", "start": hold([100, 1000]), "end": hold([1700, 100]), "stops": STOPS},
    "smooth line": {"kind": "line", "start": hold([100, 1000]), "end": hold([1700, 100]), "stops": STOPS,
                    "smooth": True},
    "round": {"kind": "round", "centre": hold([900, 500]), "across": hold(800), "down": hold(400), "turn": hold(20),
              "stops": STOPS},
    "band": {"kind": "band", "centre": hold([960, 600]), "turn": hold(8), "width": hold(120), "fall_near": hold(300),
             "fall_far": hold(300), "distance": hold(2), "reach": hold(0.4)},
}  # fmt: skip


def run() -> Iterator[Figure]:
    keep_freed_memory()
    every = list(KINDS)
    for count in (1, 2, 4, 8):
        yield Figure(f"map of 1920x1080, {count} sources of different kinds, CPU", of(every[:count]), "ms", CEILING)
    yield Figure("map of 1920x1080, 8 sources, 2 of them in a region, CPU", of(every, regions=2), "ms", CEILING)
    for name in ("ground", "smooth line", "round", "band"):
        yield Figure(f"map of 1920x1080, 8 of one kind: {name}, CPU", of([name] * 8), "ms", CEILING)
    yield Figure("what the page is told of a frame at 240 px, CPU", surveyed(), "ms")


def of(names: list[str], regions: int = 0) -> float:
    sources = [KINDS[name] | {"id": f"s{i}", "joins": "nearer" if i else "replaces"} for i, name in enumerate(names)]
    look = resolve(read_setup({"distance": {"sources": sources}}), 0, (SIZE[1], SIZE[0]))
    region = np.full(SIZE, 0.5, np.float32)
    layers = []
    for i, at in enumerate(look.sources):
        shape: Any = at.shape
        layers.append(Layer(shape, at.joins, at.strength, region if i >= len(names) - regions else None))
    return cpu_ms(lambda: stack(SIZE, 1.0, layers))


def surveyed() -> float:
    prepared = json.loads((DEMO / "prepared.json").read_text())
    facts, proxy = ClipFacts.model_validate(prepared["facts"]), ClipFacts.model_validate(prepared["proxy_facts"])
    picture = shrink(open_clip(DEMO / "proxy.mp4", proxy).picture(60), 960)
    setup = read_setup((DEMO / "setup.json").read_text())
    return cpu_ms(lambda: survey(setup, 60, Sources(HeldPicture(proxy, picture), facts.width)))
