"""Workers that die, leave and lose the database: what they did goes on elsewhere, and nothing is done twice or for ever."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from datetime import timedelta
from typing import Any
from unittest import mock

from asgiref.sync import async_to_sync
from django.conf import settings
from django.db import OperationalError, connection
from django.test import TransactionTestCase, override_settings
from django.utils import timezone
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob
from procrastinate.job_context import AbortReason

from kalyptra.core.tests import material
from kalyptra.launch.supervise import CUT_OFF
from kalyptra.library import footage, room
from kalyptra.library.models import Media, Project, Shot
from kalyptra.library.tests.case import StoredFolder
from kalyptra.work import lifecycle, orders, rescue, tasks
from kalyptra.work.lifecycle import Watch, Why
from kalyptra.work.models import Render
from kalyptra.work.tests.case import JobCase, forget_jobs


class Watched(JobCase):
    """What work is told when it asks whether to go on."""

    def setUp(self) -> None:
        super().setUp()
        shot = self.shot()
        Media.objects.update(state="ready")
        self.render = orders.order_render(Shot.objects.get(pk=shot.pk), 0, 5, self.editor)
        self.rows = Render.objects.filter(pk=self.render.pk)
        self.reason: AbortReason | None = None
        self.enterContext(mock.patch.object(lifecycle, "NOTE_EVERY", 0.0))

    def watch(self) -> Watch:
        context = mock.Mock(abort_reason=lambda: self.reason)
        return Watch(self.rows, context, lambda: self.rows.filter(cancel_asked=True).exists())

    def test_it_goes_on_until_there_is_a_reason_and_then_says_which(self) -> None:
        def cancelled() -> None:
            self.rows.update(cancel_asked=True)

        def leaving() -> None:
            self.reason = AbortReason.SHUTDOWN

        def deleted() -> None:
            self.rows.delete()

        for why, cause in ((Why.LEAVING, leaving), (Why.CANCELLED, cancelled), (Why.DELETED, deleted)):
            with self.subTest(why):
                self.reason = None
                self.rows.update(cancel_asked=False)
                watch = self.watch()
                self.assertTrue(watch.note(frames_done=2))
                cause()
                self.assertFalse(watch.note(frames_done=3))
                self.assertEqual(watch.why, why)
                self.reason = None
                self.assertFalse(watch.go_on())  # said once, it holds

    def test_it_stops_when_the_disk_is_nearly_full(self) -> None:
        with override_settings(RESERVE=100), mock.patch.object(room, "free", lambda: 49):
            watch = self.watch()
            self.assertFalse(watch.go_on())
        self.assertEqual(watch.why, Why.FULL)

    def test_it_does_not_wait_for_a_database_that_is_away(self) -> None:
        watch = self.watch()
        with mock.patch.object(lifecycle, "connection") as broken:
            watch._rows = mock.Mock(
                update=mock.Mock(side_effect=OperationalError), exists=mock.Mock(side_effect=OperationalError)
            )
            self.assertTrue(watch.note(frames_done=4))
            self.assertTrue(broken.close.called)
        watch._rows = self.rows
        self.assertTrue(watch.note(frames_done=5))
        self.render.refresh_from_db()
        self.assertEqual(self.render.frames_done, 5)

    def test_work_that_was_told_to_leave_stays_under_way_and_work_that_was_cancelled_ends(self) -> None:
        def stopped(row: Any, watch: Watch) -> str:
            watch.go_on()
            raise lifecycle.Stopped

        settled: list[str] = []
        context = mock.Mock(abort_reason=lambda: AbortReason.SHUTDOWN)
        with self.assertRaises(lifecycle.Interrupted):
            lifecycle.carry_out(self.render, context, stopped, lambda row: settled.append(row.state), "")
        self.render.refresh_from_db()
        self.assertEqual((self.render.state, settled), ("running", []))
        self.rows.update(cancel_asked=True)
        context = mock.Mock(abort_reason=lambda: None)
        lifecycle.carry_out(self.render, context, stopped, lambda row: settled.append(row.state), "")
        self.render.refresh_from_db()
        self.assertEqual((self.render.state, settled, bool(self.render.ended)), ("cancelled", ["cancelled"], True))

    def test_work_that_has_ended_is_not_done_again(self) -> None:
        for state in ("done", "failed", "cancelled"):
            self.rows.update(state=state)
            lifecycle.carry_out(self.render, mock.Mock(), self.fail, self.fail, "")  # type: ignore[arg-type]
            self.render.refresh_from_db()
            self.assertEqual(self.render.state, state)


class Stalled(StoredFolder, TransactionTestCase):
    """Jobs in the queue's own tables, as a worker that was killed leaves them."""

    def setUp(self) -> None:
        super().setUp()
        forget_jobs()
        project = Project.objects.create(title="Ferries", owner=self.editor)
        source = material.video(self.folder / "a.mp4", frames=10)
        self.made = footage.take_in(project, source, "a.mp4", self.editor)

    def begin_and_die(self, queue: str) -> ProcrastinateJob:
        """Take a job as a worker does, and never be heard of again."""

        with connection.cursor() as cursor:
            cursor.execute(
                "insert into procrastinate_workers (last_heartbeat) values (now() - interval '5 minutes') returning id"
            )
            (worker,) = cursor.fetchone()
            cursor.execute(
                "update procrastinate_jobs set status = 'doing', worker_id = %s where queue_name = %s "
                "and status = 'todo' returning id", [worker, queue],
            )  # fmt: skip
            (job,) = cursor.fetchone()
        return ProcrastinateJob.objects.get(pk=job)

    def rescued(self) -> None:
        with app.replace_connector(app.connector.get_worker_connector()):

            async def once() -> None:
                async with app.open_async():
                    await tasks.rescue_jobs.func(timestamp=0)

            async_to_sync(once)()

    def test_a_job_is_queued_again_and_given_up_when_it_never_gets_any_further(self) -> None:
        for _ in range(rescue.MOST_CRASHES - 1):
            job = self.begin_and_die("footage")
            self.rescued()
            job.refresh_from_db()
            self.assertEqual(job.status, "todo")
        job = self.begin_and_die("footage")
        with self.assertLogs(level="ERROR"):
            self.rescued()
        job.refresh_from_db()
        media = Media.objects.get()
        self.assertEqual((job.status, media.state), ("failed", "failed"))
        self.assertIn("could not be prepared", media.message)

    def test_the_job_of_something_that_was_deleted_is_not_done_again(self) -> None:
        job = self.begin_and_die("footage")
        footage.remove_shot(self.made)
        self.rescued()
        job.refresh_from_db()
        self.assertEqual(job.status, "failed")

    def test_footage_that_waits_for_no_job_is_told_so(self) -> None:
        ProcrastinateJob.objects.filter(queue_name="footage").update(status="failed")
        rescue.settle_orphans()
        self.assertEqual(Media.objects.get().state, "preparing")  # young: its job may just be on its way
        Media.objects.update(added=timezone.now() - timedelta(minutes=5))
        rescue.settle_orphans()
        self.assertEqual(Media.objects.get().state, "failed")


class Leaving(StoredFolder, TransactionTestCase):
    def setUp(self) -> None:
        super().setUp()
        forget_jobs()

    def wait_for(self, what: Callable[[], Any], seconds: float = 60) -> None:
        end = time.monotonic() + seconds
        while not what():
            self.assertLess(time.monotonic(), end)
            time.sleep(0.1)

    def start_worker(self) -> subprocess.Popen[str]:
        database = connection.settings_dict
        place = f"{database['HOST']}:{database['PORT']}/{database['NAME']}"
        url = f"postgresql://{database['USER']}:{database['PASSWORD']}@{place}"
        env = {**os.environ, "KALYPTRA_DATABASE_URL": url, "KALYPTRA_DATA": str(self.folder), "KALYPTRA_RESERVE": "0"}
        worker = subprocess.Popen(
            [sys.executable, str(settings.ROOT / "manage.py"), "worker"],
            env=env, start_new_session=True, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        )  # fmt: skip
        self.addCleanup(lambda: worker.poll() is None and (worker.kill(), worker.wait(20)))
        self.addCleanup(lambda: [pipe.close() for pipe in (worker.stdout, worker.stderr) if pipe])
        return worker

    def test_a_worker_in_the_middle_of_its_work_hands_it_on_by_itself_and_without_a_complaint(self) -> None:
        project = Project.objects.create(title="Ferries", owner=self.editor)
        source = material.video(self.folder / "long.mp4", frames=600, size=(270, 480))
        shot = footage.take_in(project, source, "long.mp4", self.editor)
        worker = self.start_worker()
        self.wait_for(lambda: Media.objects.get().done > 0.02)
        worker.send_signal(signal.SIGTERM)
        worker.send_signal(signal.SIGTERM)  # said twice it must not drop its jobs
        printed, said = worker.communicate(timeout=120)
        self.assertNotIn(CUT_OFF, printed)
        self.assertEqual(worker.returncode, 0)
        self.assertNotIn("Traceback", said)
        self.assertEqual(Media.objects.get().state, "preparing")
        self.assertEqual(ProcrastinateJob.objects.get(queue_name="footage").status, "todo")
        self.assertEqual(list((self.folder / "work").glob("*")), [])
        self.start_worker()
        self.wait_for(lambda: Media.objects.get().state == "ready", 120)
        self.assertEqual(Media.objects.get(pk=shot.media_id).crashes, 0)
