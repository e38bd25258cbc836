"""Run one worker of the queue until it is told to stop."""

from __future__ import annotations

import asyncio
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand
from procrastinate.contrib.django import app

from kalyptra.core import one_thread_a_frame

QUEUES = ["footage", "render", "follow", "care"]
AT_ONCE = 4
"""One render, one clip being prepared, one outline followed, and the care for all: none holds up another."""


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        one_thread_a_frame()
        with app.replace_connector(app.connector.get_worker_connector()):  # type: ignore[attr-defined]
            asyncio.run(self._work())

    async def _work(self) -> None:
        async with app.open_async():
            await app.run_worker_async(
                queues=QUEUES,
                concurrency=AT_ONCE,
                shutdown_graceful_timeout=0.5,
                update_heartbeat_interval=settings.WORKER_HEARTBEAT,
                stalled_worker_timeout=settings.WORKER_STALLED_AFTER,
                fetch_job_polling_interval=2,
            )
