"""What an edit costs: sizes of setups and changes, the server's work, pictures a second while something is dragged."""

from __future__ import annotations

import json
import os
import statistics
import tempfile
import time
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kalyptra.core import (
    ClipExtent,
    Curve,
    FolderStore,
    Outline,
    Put,
    Setup,
    apply,
    drawn_outline,
    folded,
    packed,
    read_setup,
)
from kalyptra.shell.benches.browser import count_drafts, drafts_a_second, page_of_instance
from kalyptra.shell.benches.figure import Figure, cpu_ms
from kalyptra.shell.benches.scene import DEMO
from kalyptra.shell.trials.instance import Client, Instance

FRAMES = 7500
CLIP = ClipExtent(1920, 1080, FRAMES)


def run() -> Iterator[Figure]:
    with tempfile.TemporaryDirectory() as name:
        store = FolderStore(Path(name))
        for title in ("runner", "window", "glass"):
            setup = read_setup((DEMO.parent / title / "setup.json").read_text())
            yield Figure(f"setup of the demo's {title}", _size(folded(setup, store)) / 1000, "kB", 30)
        runner = folded(read_setup((DEMO.parent / "runner" / "setup.json").read_text()), store)
        long = folded(five_minutes(), store)
        yield Figure("setup of five minutes: two found, one outline, plates", _size(long) / 1000, "kB", 60)
        for title, document, goal in (("the runner", runner, 15), ("five minutes", long, 25)):
            taken = cpu_ms(partial(_change, document, store))
            yield Figure(f"CPU of reading and keeping a change, {title}", taken, "ms", goal)
    yield from _dragged()


def five_minutes() -> Setup:
    """A shot of 7,500 frames: two subjects found frame by frame, one followed outline, a plate for each frame."""
    steps = [
        {"id": f"found{i}", "name": f"Found {i}", "distance": {"keys": [{"frame": 0, "value": 2}]},
         "matte": {"kind": "found", "keys": [{"frame": 0, "matte": _name(i)}],
                   "frames": [[t, _name(10 * t + i), 0.93, "followed"] for t in range(1, FRAMES)]}}
        for i in range(2)
    ]  # fmt: skip
    points = [{"id": i, "x": 100 + i, "y": 100 + (i * i) % 90} for i in range(40)]
    outline = drawn_outline("line1", 0, Curve.model_validate({"points": points})).model_dump(mode="json")
    shifts = [[i, 0.25, -0.5] for i in range(12)]
    border = {"of": "0" * 12, "sure": 0.93}
    outline["steps"] = [
        {"frame": t, "warp": [1, 0.001, 0.37, 0, 1, -0.21, 0, 0], "held": 0.97, "shifts": shifts,
         "border": {"frame": t, "rings": packed([_ring(t)]), **border}}
        for t in range(1, FRAMES)
    ]  # fmt: skip
    matte = {"kind": "outline", "outlines": [Outline.model_validate(outline).model_dump(mode="json")]}
    drawn = {"id": "drawn", "name": "Drawn", "matte": matte, "distance": {"keys": [{"frame": 0, "value": 3}]}}
    patches = [[t, _name(t), t % 300, t % 200] for t in range(FRAMES)]
    plate = {"source": "recovered", "patches": patches}
    return read_setup({"footage": {"last": FRAMES - 1}, "subjects": [*steps, drawn], "plate": plate})


def _ring(frame: int) -> NDArray[np.float64]:
    """A border of 160 places, another one in each frame."""
    turn = np.linspace(0, 2 * np.pi, 160, endpoint=False)
    wide = 120 + 20 * np.sin(7 * turn + 0.1 * frame) + 6 * np.sin(31 * turn - 0.3 * frame)
    return np.stack([900 + wide * np.cos(turn), 500 + 2 * wide * np.sin(turn)], axis=1)


def _name(number: int) -> str:
    return f"{number:032x}"


def _size(document: dict[str, Any]) -> int:
    return len(json.dumps(document))


def _change(document: dict[str, Any], store: FolderStore) -> None:
    """What the server does with a change, database and picture apart: read the setup, change it, and keep it."""
    setup = read_setup(json.dumps(document), store)
    feathered = Put(path=f"subjects.{setup.subjects[0].id}.refine.feather_in", value=3)
    json.dumps(folded(apply(setup, [feathered], CLIP), store))


def _dragged() -> Iterator[Figure]:
    """Drags on the runner in headless Chromium, on an instance of their own."""
    with page_of_instance() as (instance, client, page):
        sent: list[int] = []
        page.on(
            "request", lambda request: sent.append(len(request.post_data or "")) if "draft.jpg" in request.url else None
        )
        page.goto(f"/shots/{client.shots()['Parcel runner']}/")
        page.wait_for_selector("canvas[data-shown]")
        count_drafts(page)
        page.locator('.stage[data-stage="subjects"]').click()
        page.wait_for_timeout(4000)
        drafts_a_second(page, '[data-act="move"]')  # not counted: what was just started is still loading its loops
        for stage, what, title in (
            ("subjects", '[data-act="move"]', "the runner's outline"),
            ("pull", "[data-focus]", "a key on the runner's chart"),
        ):
            page.locator(f'.stage[data-stage="{stage}"]').click()
            page.wait_for_timeout(4000)
            sent.clear()
            yield Figure(f"a drag of {title}, pictures", drafts_a_second(page, what), "a s", 12, True)
            yield Figure(f"a drag of {title}, bytes of a draft", max(sent, default=0) / 1000, "kB")
        page.close()
        yield from _asked(instance, client, client.shots()["Parcel runner"])


def _asked(instance: Instance, client: Client, shot: int) -> Iterator[Figure]:
    """What an answer takes, over HTTP and with the database: of a look at work under way, and of a change."""
    state = client.state(shot)
    subject = state["setup"]["subjects"][0]
    outlines = [outline["id"] for outline in subject["matte"]["outlines"]]
    order = {"what": "outlines", "subject": subject["id"], "outlines": outlines, "start": 0, "end": 60}
    work = client.post(f"/api/shots/{shot}/follows", json=order).json()
    while client.get(f"/api/follows/{work['id']}").json()["state"] in ("queued", "running"):
        time.sleep(0.2)
    yield Figure("an answer of the page of projects, beside", _taken(lambda _: client.get("/")), "ms")
    url = f"/api/follows/{work['id']}"
    yield Figure("an answer to a look at following", _taken(lambda _: client.get(url)), "ms")
    yield Figure("server CPU of a look at following", _server_cpu(instance, lambda: client.get(url)), "ms", 5)

    def change(i: int) -> None:
        put = {"do": "put", "path": f"subjects.{subject['id']}.refine.feather_in", "value": 1 + i % 40}
        client.post(f"/api/shots/{shot}/changes", json={"base": 1, "commands": [put]})

    yield Figure("an answer to a change of the runner", _taken(change), "ms")
    body = {"do": "put", "path": f"subjects.{subject['id']}.refine.feather_in", "value": 3}
    yield Figure("bytes of that change", len(json.dumps({"base": 1, "commands": [body]})) / 1000, "kB")


def _taken(ask: Callable[[int], Any], count: int = 60) -> float:
    """The middle of many answers, ms."""
    took = []
    for i in range(count):
        started = time.perf_counter()
        ask(i)
        took.append(1000 * (time.perf_counter() - started))
    return statistics.median(took)


def _server_cpu(instance: Instance, ask: Callable[[], Any], count: int = 300) -> float:
    """CPU of the web processes for one answer, ms."""

    def taken() -> float:
        ticks = 0
        for process in instance.processes():
            if "gunicorn" in process.command:
                parts = Path(f"/proc/{process.pid}/stat").read_text().rsplit(")", 1)[1].split()
                ticks += int(parts[11]) + int(parts[12])
        return ticks / os.sysconf("SC_CLK_TCK")

    before = taken()
    for _ in range(count):
        ask()
    return (taken() - before) / count * 1000
