"""A real worker is killed in the middle of a render; a new one goes on, and the file is the same."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable

from django.conf import settings
from django.db import connection
from django.test import TransactionTestCase

from kalyptra.core import Footage, RenderJob, Setup, probe, render_to_file
from kalyptra.core.tests import material
from kalyptra.library import footage
from kalyptra.library.models import Media, Project
from kalyptra.library.tests.case import StoredFolder
from kalyptra.work import orders, rendering
from kalyptra.work.models import Render

FRAMES = 150


class KilledWorker(StoredFolder, TransactionTestCase):
    def start_worker(self) -> subprocess.Popen[bytes]:
        database = connection.settings_dict
        url = f"postgresql://{database['USER']}:{database['PASSWORD']}@{database['HOST']}:{database['PORT']}/{database['NAME']}"
        env = {**os.environ, "KALYPTRA_DATABASE_URL": url, "KALYPTRA_DATA": str(self.folder)}
        worker = subprocess.Popen(
            [sys.executable, str(settings.ROOT / "manage.py"), "worker"], env=env, start_new_session=True
        )
        self.addCleanup(lambda: worker.poll() is None and (worker.terminate(), worker.wait(20)))
        return worker

    def wait_for(self, what: Callable[[], bool], seconds: float = 120) -> None:
        end = time.monotonic() + seconds
        while not what():
            self.assertLess(time.monotonic(), end, f"{Render.objects.values()}")
            time.sleep(0.1)

    def test_a_new_worker_goes_on_from_the_last_finished_part(self) -> None:
        source = material.video(self.folder / "long.mp4", frames=FRAMES, size=(180, 320))
        facts = probe(source, footage.DEFAULT_RATE)
        project = Project.objects.create(title="Ferries", owner=self.editor)
        shot = footage.add_shot(
            project, source, "long.mp4", "Long", facts, Setup(footage=Footage(last=FRAMES - 1)), self.editor
        )
        first = self.start_worker()
        self.wait_for(lambda: Media.objects.get().state == "ready")
        shot.media.refresh_from_db()
        render = orders.order_render(shot, 0, FRAMES - 1, self.editor)
        parts = self.folder / "work" / rendering.lock_of(render)
        self.wait_for(lambda: len(list(parts.glob("part-*.mp4"))) >= 1)
        os.killpg(first.pid, signal.SIGKILL)
        first.wait()
        finished = {path.name: path.stat().st_mtime_ns for path in parts.glob("part-*.mp4")}
        render.refresh_from_db()
        self.assertEqual((render.state, bool(render.file)), ("running", False))
        kept = self.folder / "kept"
        kept.mkdir()
        for name in finished:
            os.link(parts / name, kept / name)
        self.start_worker()
        self.wait_for(lambda: Render.objects.get().state == "done")
        render.refresh_from_db()
        for (
            name,
            stamp,
        ) in finished.items():  # a linked file has one time: a part that was made again would have another
            self.assertEqual((kept / name).stat().st_mtime_ns, stamp)
        undisturbed = self.folder / "undisturbed.mp4"
        job = RenderJob(Setup(footage=Footage(last=FRAMES - 1)), source, facts, 0, FRAMES - 1)
        render_to_file(job, self.folder / "parts", undisturbed, lambda done, rate: True)
        self.assertEqual(render.file.read(), undisturbed.read_bytes())
