"""Make docs/screenshots anew from the demo project: one picture of each main view, 1280 x 800 px."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from django.conf import settings
from django.core.management.base import BaseCommand, CommandError

from kalyptra.bench.mattes import matte_from_marks
from kalyptra.core import Stroke, read_setup
from kalyptra.launch import entry
from kalyptra.launch.system import chromium
from kalyptra.library import revisions, store
from kalyptra.library.demo import KEY, load_demo
from kalyptra.library.footage import first_setup
from kalyptra.library.models import Project
from kalyptra.shell.benches.compare import write_comparison
from kalyptra.work import following
from kalyptra.work.findings import Findings
from kalyptra.work.kinds import FollowMattes, RecoverPlate, Task
from kalyptra.work.models import Follow

OUT = Path(settings.ROOT) / "docs" / "screenshots"
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking"]


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        from playwright.sync_api import sync_playwright

        # The demo as it comes, not as somebody left it.
        os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "1"
        Project.objects.filter(demo_key=KEY).update(demo_key="")
        load_demo()
        try:
            found_runner()
            untouched_glass()
            leaf_on_the_table()
            with _server() as address, sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path=chromium(), args=FLAGS)
                take(browser, address)
                browser.close()
        finally:
            made = Project.objects.get(demo_key=KEY)
            old = Project.objects.filter(demo_key="", title="Lantern quay").first()
            if old:
                made.delete()
                Project.objects.filter(pk=old.pk).update(demo_key=KEY)
        write_comparison(OUT / "true-lens.png")
        self.stdout.write(f"Made anew: {OUT}")


def found_runner() -> None:
    """A second shot of the runner's clip whose matte was found by marks and followed, with its plate recovered."""
    project = Project.objects.get(demo_key=KEY)
    shot = project.shots.get(title="Parcel runner")
    document = shot.setup.model_dump(mode="json")
    lines = (((465, 300), (478, 340), (470, 400), (500, 420)), ((455, 440), (462, 490)))
    marks = [Stroke(keep=True, width=23, points=line) for line in lines]
    marks.append(Stroke(keep=False, width=23, points=((548, 350), (562, 470))))
    key = {"frame": 0, "marks": [mark.model_dump(mode="json") for mark in marks],
           "matte": matte_from_marks(shot.media, 0, marks, None)}  # fmt: skip
    runner = document["subjects"][0] | {
        "matte": {"kind": "found", "keys": [key]},
        "refine": {"edge": "fast", "edge_width": 8},
    }
    document |= {"subjects": [runner], "footage": {"first": 0, "last": 30}}
    shot.pk, shot.title = None, "Runner, found"
    revisions.begin(shot, read_setup(document), None)
    for order in (FollowMattes(subject=runner["id"], end=30), RecoverPlate(end=30)):
        done = {"state": Follow.State.DONE, "order": order.model_dump(mode="json")}
        row = Follow.objects.create(shot=shot, what=order.what, end=30, **done)
        task = Task(row, Findings(row), lambda done, newest: True, lambda: True)
        order.run(task)
        task.findings.keep()
        following.put_into_setup(row)
        shot.refresh_from_db()


def untouched_glass() -> None:
    """A second shot of the glass's clip of which nothing is said yet."""
    shot = Project.objects.get(demo_key=KEY).shots.get(title="Tea glass")
    shot.pk, shot.title = None, "Glass, just brought"
    revisions.begin(shot, first_setup(shot.media.facts), None)


def leaf_on_the_table() -> None:
    """A second shot of the tide table in space, with a paper leaf on a card of its own."""
    shot = Project.objects.get(demo_key=KEY).shots.get(title="Departures, pushed in")
    picture = np.zeros((220, 640, 4), np.uint8)
    picture[16:204, 16:624] = (246, 236, 214, 255)
    words = (("Evening ferry", 1.5, 90), ("18:40 from the lantern steps", 0.8, 160))
    for line, size, y in words:
        cv2.putText(picture, line, (60, y), cv2.FONT_HERSHEY_DUPLEX, size, (52, 40, 60, 255), 2, cv2.LINE_AA)
    name = store.local().keep(picture)
    store.share([name])
    placed = {"turn": -24.0, "tilt": 12.0, "across": 0.045, "up": 0.03, "distance": 0.36}
    leaf = {"id": "leaf", "name": "Leaf", "width": 0.13, "picture": name, "size": [640, 220]}
    leaf |= {path: {"keys": [{"frame": 0, "value": value}]} for path, value in placed.items()}
    document = shot.setup.model_dump(mode="json")
    document["space"]["cards"] = [leaf]
    shot.pk, shot.title = None, "Departures, with a leaf"
    revisions.begin(shot, read_setup(document), None)


def take(browser: Any, address: str) -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=address)
    context.set_default_timeout(180_000)  # a busy machine takes its time
    page = context.new_page()
    page.goto(f"/sign-in/?enter={entry.issue(settings.ENTRY)}")
    page.get_by_role("button", name="Enter the demo").click()
    page.wait_for_load_state("networkidle", timeout=180_000)
    page.screenshot(path=OUT / "projects.png")

    def look(view: str) -> None:
        button = page.locator(f'button[data-view="{view}"]')
        if button.count():
            button.click()
        else:
            page.get_by_label("More to look at").select_option(view)

    def bench(shot: str, stage: str, frame: int, view: str, name: str) -> None:
        page.goto("/")
        page.get_by_role("link", name=shot).first.click()
        page.locator("canvas[data-shown]").wait_for()
        page.locator(f'.stage[data-stage="{stage}"]').click()
        look(view)
        page.keyboard.press("Home")
        for _ in range(frame // 10):
            page.keyboard.press("Shift+ArrowRight")
        page.locator(f"canvas[data-shown$='|{frame // 10 * 10}'][data-shown*='|{view}|']").wait_for(timeout=180_000)
        page.wait_for_load_state("networkidle", timeout=180_000)
        page.screenshot(path=OUT / name)

    bench("Parcel runner", "subjects", 20, "result", "bench-subjects.png")
    bench("Runner, found", "subjects", 0, "overlay", "bench-marks.png")
    for view in ("seen", "edges"):
        look(view)
        page.locator(f"canvas[data-shown*='|{view}|']").wait_for(timeout=180_000)
        page.wait_for_load_state("networkidle", timeout=180_000)
        page.screenshot(path=OUT / f"bench-{view}.png")
    bench("Glass, just brought", "subjects", 0, "source", "bench-first-minute.png")
    bench("Tea glass", "lens", 20, "result", "bench-lens.png")
    page.get_by_role("button", name="Compare").click()
    page.locator("canvas.second[data-shown]").wait_for(timeout=180_000)
    page.screenshot(path=OUT / "bench-compare.png")
    bench("Parcel runner", "distance", 30, "result", "bench-distance.png")
    bench("Tide table", "distance", 60, "result", "bench-page.png")
    bench("Past the post", "footage", 40, "seen", "bench-move.png")
    page.locator('details[data-part="move"]').evaluate("part => (part.open = true)")
    page.locator('details[data-part="move"]').scroll_into_view_if_needed()
    page.screenshot(path=OUT / "bench-move.png")
    bench("Departures, with a leaf", "footage", 90, "result", "bench-cards.png")
    page.locator('details[data-part="space"]').evaluate("part => (part.open = true)")
    page.get_by_role("list", name="Cards").get_by_role("button").filter(has_text="Leaf").click()
    page.get_by_role("button", name="From the side").click()
    page.get_by_label("Camera ahead").first.scroll_into_view_if_needed()
    page.get_by_role("button", name="Leaf, its middle").wait_for()
    page.screenshot(path=OUT / "bench-cards.png")
    bench("Tea glass", "pull", 50, "result", "bench-pull.png")
    page.goto(page.url.rstrip("/") + "/report/")
    page.screenshot(path=OUT / "report.png")
    bench("Blue hour", "finish", 50, "result", "bench-finish.png")
    bench("Tide table", "render", 60, "result", "bench-render.png")
    bench("Parcel runner", "lens", 50, "blur", "bench-blur-size.png")
    context.add_cookies([{"name": "theme", "value": "dim", "url": address}])
    bench("Ticket window", "subjects", 40, "result", "bench-dim.png")


@contextmanager
def _server() -> Iterator[str]:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    command = [sys.executable, "-m", "gunicorn", "kalyptra.config.wsgi:application", "--bind", f"127.0.0.1:{port}"]
    config = Path(settings.ROOT) / "kalyptra" / "config" / "gunicorn.py"
    server = subprocess.Popen(
        [*command, "--config", str(config), "--no-control-socket", "--log-level", "error"], cwd=settings.ROOT
    )
    address = f"http://127.0.0.1:{port}"
    try:
        for _ in range(150):
            try:
                urllib.request.urlopen(f"{address}/health").read()
                break
            except OSError:
                time.sleep(0.2)
        else:
            raise CommandError("the server did not start")
        yield address
    finally:
        server.terminate()
        server.wait(20)
