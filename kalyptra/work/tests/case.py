"""What tests of jobs have in common."""

from __future__ import annotations

from typing import Any

from django.db import connection
from procrastinate import JobContext, jobs
from procrastinate.contrib.django import app
from procrastinate.job_context import AbortReason

from kalyptra.library.models import Shot
from kalyptra.library.tests.case import Stored
from kalyptra.work import tasks


def forget_jobs() -> None:
    """Jobs of tests that were committed: their tables are not Django's, which empties its own alone."""
    with connection.cursor() as cursor:
        cursor.execute("truncate procrastinate_jobs cascade")


class JobCase(Stored):
    """Jobs are run by their functions, as a worker would."""

    def run_job(self, task: Any, leaving: AbortReason | None = None, **arguments: int) -> None:
        job = jobs.Job(id=1, queue="q", lock=None, queueing_lock=None, task_name=task.name, priority=0)
        context = JobContext(start_timestamp=0, app=app, job=job, abort_reason=lambda: leaving)
        task.func(context, **arguments)

    def ready(self) -> Shot:
        shot = self.shot()
        self.run_job(tasks.prepare_media, media_id=shot.media_id)
        shot.media.refresh_from_db()
        return shot
