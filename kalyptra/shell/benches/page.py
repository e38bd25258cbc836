"""What a person meets who opens a shot: how long the sheets are, how soon the page is there, what a drag shows, and how
soon a clip that was sent can be looked at. The presses to a rendered file are counted by `test_first_minute`."""

from __future__ import annotations

import statistics
import time
from collections.abc import Iterator
from typing import Any

from kalyptra.shell.benches.browser import count_drafts, drafts_a_second, page_of_instance
from kalyptra.shell.benches.figure import Figure
from kalyptra.shell.benches.scene import DEMO
from kalyptra.shell.trials.instance import Client

STAGES = ("footage", "subjects", "distance", "lens", "pull", "render")
SCREENS = "document.querySelector('.sheet-body').scrollHeight / innerHeight"
TIMES, PATIENCE = 5, 60.0
"""How often the page is opened, and s after which something is given up."""
WITHOUT_SUBJECTS = """async () => {
  const shot = Alpine.store("shot");
  for (const { id } of [...shot.setup.subjects]) await shot.commit({ do: "remove-subject", id });
}"""
STROKES = (((465, 300), (478, 340), (470, 400), (500, 420)), ((455, 440), (462, 490)))
"""Px of the demo's runner, 1280 x 720, along which the runner is marked."""


def run() -> Iterator[Figure]:
    with page_of_instance() as (_, client, page):
        shots = client.shots()
        yield Figure("page ready after navigation, the middle of five", _ready(page, shots["Parcel runner"]), "s")
        for stage in STAGES:
            page.locator(f'.stage[data-stage="{stage}"]').click()
            page.wait_for_timeout(300)
            yield Figure(f"sheet of {stage} as it opens", float(page.evaluate(SCREENS)), "screens", 1.3)
        for title, shot in shots.items():
            _open(page, shot)
            count_drafts(page)
            for end in ("End", "Home"):  # where the backdrop is not in focus: else there is nothing to make softer
                page.keyboard.press(end)
                page.wait_for_timeout(3000)
                if page.locator("#softness").is_enabled():
                    break
            yield Figure(f"a drag of Softness, {title}", drafts_a_second(page, "#softness"), "a s")
        for which in ("first", "second"):
            yield Figure(
                f"from pressing Follow to its first matte, the {which} time",
                _first_matte(page, shots["Parcel runner"]),
                "s",
                1.5,
            )
        yield from _sent(client, page)


def _open(page: Any, shot: int) -> None:
    page.goto(f"/shots/{shot}/")
    page.wait_for_selector("canvas[data-shown]")


def _ready(page: Any, shot: int) -> float:
    took = []
    for _ in range(TIMES):
        started = time.perf_counter()
        _open(page, shot)
        took.append(time.perf_counter() - started)
    return statistics.median(took)


def _first_matte(page: Any, shot: int) -> float:
    """Seconds from pressing Follow to the first matte on the page, of a shot's only subject, marked by two strokes."""
    _open(page, shot)
    page.evaluate(WITHOUT_SUBJECTS)
    page.keyboard.press("Home")
    page.locator('.stage[data-stage="subjects"]').click()
    with page.expect_response("**/changes"):
        page.get_by_role("button", name="Stroke", exact=True).click()
    box = page.locator('svg[aria-label="Outlines on the picture"]').bounding_box()
    for places in STROKES:
        points = [(box["x"] + x / 1280 * box["width"], box["y"] + y / 720 * box["height"]) for x, y in places]
        page.mouse.move(*points[0])
        page.mouse.down()
        for point in points[1:]:
            page.mouse.move(*point, steps=4)
        with page.expect_response("**/changes"):
            page.mouse.up()
    page.evaluate("() => Alpine.store('shot').settled()")
    started = time.perf_counter()
    page.get_by_role("button", name="Follow ahead to the end").click()
    _until(page, "Alpine.store('work').newest !== null")
    took = time.perf_counter() - started
    page.evaluate("() => Alpine.store('work').cancel()")
    _until(page, "Alpine.store('work').now === null")
    return took


def _until(page: Any, holds: str) -> None:
    """Wait until something holds; the page's own policy lets no script wait for it there.

    Raises:
        TimeoutError: it does not hold within `PATIENCE`.
    """
    until = time.monotonic() + PATIENCE
    while not page.evaluate(holds):
        if time.monotonic() > until:
            raise TimeoutError(f"not so within {PATIENCE} s: {holds}")
        page.wait_for_timeout(20)


def _sent(client: Client, page: Any) -> Iterator[Figure]:
    """From when a clip is sent until its first picture is seen, and until it is prepared."""
    project = int(client.post("/", data={"title": "Night ferries"}).url.rstrip("/").rsplit("/", 1)[1])
    clip = (DEMO.parent / "harbour" / "clip.mp4").read_bytes()
    started = time.perf_counter()
    answer = client.post(f"/projects/{project}/footage/", files={"file": ("harbour.mp4", clip)}).json()
    _open(page, answer["shot"])
    yield Figure("from sending a clip of 96 frames to its first picture", time.perf_counter() - started, "s")
    while client.get(f"/projects/{project}/preparing/").json()["shots"][0]["state"] == "preparing":
        time.sleep(0.05)
    yield Figure("until its proxy is made, beside", time.perf_counter() - started, "s")
