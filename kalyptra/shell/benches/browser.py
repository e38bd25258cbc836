"""The bench's page in headless Chromium, on an instance of its own."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from kalyptra.launch.system import chromium
from kalyptra.shell.trials.instance import Client, Instance

SECONDS = 4.0
FLAGS = ("--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
         "--disable-component-update", "--disable-sync", "--disable-dev-shm-usage")  # fmt: skip


@contextmanager
def page_of_instance() -> Iterator[tuple[Instance, Client, Any]]:
    """An instance with the demo, somebody who entered it, and a page of theirs at 1280 x 800."""
    from playwright.sync_api import sync_playwright

    with tempfile.TemporaryDirectory() as name:
        Path(name).chmod(0o711)
        with Instance(Path(name), KALYPTRA_RESERVE="0") as instance, sync_playwright() as playwright:
            client = instance.enter()
            browser = playwright.chromium.launch(executable_path=chromium(), args=list(FLAGS))
            context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=instance.address)
            cookies = client.session.cookies.get_dict().items()
            context.add_cookies([{"name": k, "value": v, "url": instance.address} for k, v in cookies])
            yield instance, client, context.new_page()
            browser.close()


def count_drafts(page: Any) -> None:
    """Have the page count the pictures that it shows of what is dragged."""
    page.evaluate(
        "() => { window.shown = 0; const store = Alpine.store('viewer'), paint = store.paint.bind(store);"
        " store.paint = (key, blob) => { window.shown += key === 'draft'; return paint(key, blob); }; }"
    )


def drafts_a_second(page: Any, what: str) -> float:
    """Drag something to and fro; pictures shown a second."""
    box = page.locator(what).first.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.evaluate("window.shown = 0")
    started = time.monotonic()
    i = 0
    while time.monotonic() - started < SECONDS:
        i += 1
        page.mouse.move(x + 30 * (i % 40) / 40, y - 20 * (i % 40) / 40)
        page.wait_for_timeout(12)
    shown = float(page.evaluate("window.shown"))
    seconds = time.monotonic() - started
    page.mouse.up()
    page.wait_for_timeout(1000)
    return shown / seconds
