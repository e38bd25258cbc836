"""Several people at work at once: every request is answered, and how fast."""

from __future__ import annotations

import random
import time
from collections import defaultdict
from concurrent.futures import ThreadPoolExecutor
from statistics import quantiles
from typing import Any

import requests

from kalyptra.shell.trials.instance import Client, Instance, Lost, words_missing

PEOPLE = 6


def run(instance: Instance, seconds: float = 30.0, seed: int = 1) -> dict[str, Any]:
    """Frames, drafts, numbers and saves by several people for a while.

    Raises:
        Lost: a request is not answered, or refused without words.
    """
    client = instance.enter()
    shots = list(client.shots().values())
    end = time.monotonic() + seconds

    def work(number: int) -> dict[str, list[float]]:
        mine = Client(client.address)
        mine.session.cookies.update(client.session.cookies)
        chance, took = random.Random(seed + number), defaultdict[str, list[float]](list)
        shot = shots[number % len(shots)]
        state = mine.state(shot)
        while time.monotonic() < end:
            revision, frame = state["revision"], chance.randrange(state["clip"]["frames"])
            kind = chance.choice(("frame", "frame", "frame", "draft", "numbers", "save"))
            started = time.monotonic()
            answer = _ask(mine, kind, shot, state, revision, frame, chance)
            took[kind].append(time.monotonic() - started)
            if answer.status_code == 409:
                state |= answer.json()["now"]
            elif missing := words_missing(answer):
                raise Lost(f"{kind}: {missing}: {answer.text[:200]}")
            elif kind == "save" and answer.status_code == 200:
                state |= answer.json()
        return took

    all_took = defaultdict[str, list[float]](list)
    with ThreadPoolExecutor(PEOPLE) as pool:
        for took in pool.map(work, range(PEOPLE)):
            for kind, times in took.items():
                all_took[kind] += times
    out: dict[str, Any] = {"people": PEOPLE, "seconds": seconds}
    for kind, times in sorted(all_took.items()):
        cuts = quantiles(times, n=20) if len(times) > 1 else times * 19
        out[f"{kind}: requests, median and 95 % in ms"] = (
            f"{len(times)}, {1000 * cuts[9]:.0f}, {1000 * cuts[18]:.0f}"
        )  # fmt: skip
    return out


def _ask(
    client: Client, kind: str, shot: int, state: dict[str, Any], revision: int, frame: int, chance: random.Random
) -> requests.Response:
    if kind == "frame":
        return client.get(f"/api/shots/{shot}/frames/{revision}/{frame}.jpg")
    commands = [{"do": "set-at", "path": "lens.f_number", "frame": 0, "value": chance.uniform(1, 8)}]
    if kind == "draft":
        body = {"base": revision, "commands": commands, "frame": frame, "size": 480}
        return client.post(f"/api/shots/{shot}/draft.jpg", json=body)
    if kind == "numbers":
        return client.post(f"/api/shots/{shot}/readings", json={"base": revision})
    return client.post(f"/api/shots/{shot}/changes", json={"base": revision, "commands": commands})
