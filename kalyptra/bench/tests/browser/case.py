"""Browser tests: a live server, a real queue worker, and Debian's Chromium driven by Playwright."""

from __future__ import annotations

import asyncio
import os
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any
from unittest import mock

from django.conf import settings
from django.contrib.auth import get_user_model
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.core.management import CommandError
from django.test import Client, override_settings
from playwright.sync_api import Error as PlaywrightError
from playwright.sync_api import FloatRect, Locator, Page, sync_playwright
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob

from kalyptra.bench import pictures
from kalyptra.core import warm_up
from kalyptra.launch import entry
from kalyptra.launch.system import chromium
from kalyptra.work.models import Follow

FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking"]
FLAGS += ["--disable-component-update", "--disable-sync", "--disable-dev-shm-usage"]
UNFOLDED = """document.addEventListener("alpine:initialized", () => {
  const unfold = (tree) => {
    for (const part of tree.querySelectorAll("details.part")) part.open = true;
    for (const later of tree.querySelectorAll("template")) unfold(later.content);
  };
  unfold(document);
})"""
"""A user who unfolded all parts of the sheets; how they fold has its own test."""
SPARING = "Object.defineProperty(navigator.connection, 'saveData', { value: true, configurable: true })"
"""A browser that was told to save data: sixty frames ahead of every look would take most of the time of these tests."""


class Worker(threading.Thread):
    """A worker of the queue, in a thread; started again where it ends by itself, as the start command does."""

    def __init__(self) -> None:
        super().__init__(daemon=True)
        self._loop = asyncio.new_event_loop()
        self._task: asyncio.Task[None] | None = None
        self._over = threading.Event()

    def run(self) -> None:
        async def work() -> None:
            # An app of its own: the server beside it, in the same process, goes on queueing jobs in its transactions,
            # so that no job is taken before its row is there.
            own = app.with_connector(app.connector.get_worker_connector())
            async with own.open_async():
                self._task = asyncio.current_task()
                await own.run_worker_async(
                    queues=["footage", "render", "follow"], concurrency=3, install_signal_handlers=False,
                    fetch_job_polling_interval=0.3, shutdown_graceful_timeout=20,
                )  # fmt: skip

        while not self._over.is_set():
            try:
                self._loop.run_until_complete(work())
            except asyncio.CancelledError:
                pass
            except Exception as failure:
                print(f"The worker of a page test ended: {failure!r}", file=sys.stderr)
                self._over.wait(0.5)

    def stop(self) -> None:
        self._over.set()
        if self._task:
            self._loop.call_soon_threadsafe(self._task.cancel)
        self.join(30)


class BrowserCase(StaticLiveServerTestCase):
    host = "127.0.0.1"
    unfolded = True
    expected: tuple[str, ...] = ()
    """Words of complaints that a test brings about on purpose."""

    @classmethod
    def setUpClass(cls) -> None:
        held = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)  # the last frame may still be written
        cls.addClassCleanup(held.cleanup)
        cls.folder = Path(held.name)
        storages = {"default": {"BACKEND": "django.core.files.storage.FileSystemStorage", "OPTIONS": {"location": f"{held.name}/media"}},
                    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"}}  # fmt: skip
        cls.enterClassContext(
            override_settings(
                STORAGES=storages,
                DATA=cls.folder,
                FRAME_CACHE=cls.folder / "frames",
                KEPT=cls.folder / "kept",
                ENTRY=cls.folder / "entry",
                RESERVE=0,
            )
        )
        super().setUpClass()
        warm_up()  # a fresh clone compiles its loops first: no page waits for that
        # Playwright runs an event loop in this thread, at which Django's guard would take offence.
        cls.enterClassContext(mock.patch.dict(os.environ, {"DJANGO_ALLOW_ASYNC_UNSAFE": "1"}))
        playwright = sync_playwright().start()
        cls.addClassCleanup(playwright.stop)
        cls.browser = playwright.chromium.launch(executable_path=chromium(), args=FLAGS)
        cls.addClassCleanup(cls.browser.close)

    def setUp(self) -> None:
        pictures._cache.cache_clear()
        self.addCleanup(pictures._cache.cache_clear)
        worker = Worker()
        worker.start()
        self.addCleanup(worker.stop)
        context = self.browser.new_context(viewport={"width": 1280, "height": 800}, base_url=self.live_server_url)
        context.add_init_script(SPARING)
        if self.unfolded:
            context.add_init_script(UNFOLDED)
        context.set_default_timeout(180_000)  # work over frames takes its time on a busy machine
        self.addCleanup(context.close)
        self.page: Page = context.new_page()
        self.addCleanup(self._tell_of_failure)
        self.complaints: list[str] = []
        self.page.on("pageerror", lambda error: self.complaints.append(str(error)))
        self.page.on(
            "console", lambda line: self.complaints.append(line.text) if line.type in ("error", "warning") else None
        )

    def tearDown(self) -> None:
        expected = ("status of 422", "status of 409", "willReadFrequently", *self.expected)  # the third is the test's
        self.assertEqual(
            [complaint for complaint in self.complaints if not any(words in complaint for words in expected)], []
        )

    def _tell_of_failure(self) -> None:
        """What the page showed and what work there was when a test failed: on a busy machine it may not fail again."""
        result = self._outcome.result  # type: ignore[attr-defined]
        if not any(test is self for test, _ in result.failures + result.errors):
            return
        work = [(row.pk, row.what, row.state, row.message, row.frames_done) for row in Follow.objects.all()]
        jobs = [(job.task_name, job.status, job.attempts) for job in ProcrastinateJob.objects.all()]
        words = self.page.locator("body").inner_text(timeout=10_000)[:3000]
        print(f"{self.id()}\nwork {work}\njobs {jobs}\nthe page:\n{words}", file=sys.stderr)

    def _fixture_teardown(self) -> None:
        """Empty the tables. A request of the page that was closed may still be at them: it is waited for."""
        for pause in (0.5, 2.0):
            try:
                super()._fixture_teardown()
                return
            except CommandError:
                time.sleep(pause)
        super()._fixture_teardown()

    def be_editor(self) -> None:
        """Be the demo's editor without going through the door, which has its own test: three pages less a test."""
        client = Client()
        client.force_login(get_user_model().objects.get(username=settings.DEMO_USER))
        session = {"name": settings.SESSION_COOKIE_NAME, "value": client.cookies[settings.SESSION_COOKIE_NAME].value}
        self.page.context.add_cookies([{**session, "url": self.live_server_url}])

    def enter_demo(self) -> None:
        self.page.goto(f"/sign-in/?enter={entry.issue(settings.ENTRY)}")
        self.page.get_by_role("button", name="Enter the demo").click()
        self.page.wait_for_url("**/")

    def choose_subject(self, name: str) -> None:
        """By its row in the sheet: its outline on the picture is a button of that name, too."""
        self.page.locator('section[data-stage="subjects"]').get_by_role("button", name=name).first.click()

    def revision_shown(self, number: int, view: str = "result") -> None:
        """Wait until the picture is that of a revision and a view."""
        self.page.wait_for_selector(f'canvas[data-shown^="{number}|{view}|"]')

    def until(self, true: Callable[[], object] | str) -> None:
        """Wait until something is true here, or an expression on the page.

        Playwright's own wait evaluates expressions in the page, which its content security policy forbids.
        """
        for _ in range(900):
            if self.page.evaluate(true) if isinstance(true, str) else true():
                return
            self.page.wait_for_timeout(100)
        self.fail("it does not come to that")

    def pixel(self, x: float, y: float) -> tuple[int, int, int]:
        """Colour of the shown picture at a share of its width and height."""
        found: Any = self.page.locator(".picture canvas:not(.second)").evaluate(
            "(c, [x, y]) => Array.from(c.getContext('2d').getImageData(x * c.width | 0, y * c.height | 0, 1, 1).data)",
            [x, y],
        )
        return found[0], found[1], found[2]

    def point_at(self, x: float, y: float) -> None:
        """Press the picture at a share of its width and height, once it takes a place that is pointed at."""
        layer = self.page.locator(".aiming")
        layer.wait_for()
        box = layer.bounding_box()
        assert box
        layer.click(position={"x": box["width"] * x, "y": box["height"] * y})

    def frame_and_row(self, y: float) -> tuple[int, list[int]]:
        """The number of the frame that is shown, and the green of one row of its pixels, both at one moment."""
        found: Any = self.page.locator(".picture canvas:not(.second)").evaluate(
            "(c, y) => [c.dataset.shown, Array.from(c.getContext('2d').getImageData(0, y * c.height | 0, c.width, 1).data)]",
            y,
        )
        return int(found[0].rsplit("|", 1)[1]), found[1][1::4]

    def box_of(self, what: Locator) -> FloatRect:
        """Where something is, once it is in sight; a drawing may be made anew meanwhile, and its parts with it."""
        for _ in range(50):
            try:
                what.scroll_into_view_if_needed()
                if box := what.bounding_box():
                    return box
            except PlaywrightError as error:
                if "not attached" not in str(error):
                    raise
            self.page.wait_for_timeout(100)
        self.fail("it is drawn anew again and again")

    def drag(self, what: Locator, dx: float, dy: float) -> None:
        box = self.box_of(what)
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + dx, y + dy, steps=6)
        self.page.mouse.up()
