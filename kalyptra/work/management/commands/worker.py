"""Work on the queues until it is told to stop."""

from __future__ import annotations

import asyncio
import os
import signal
import threading
import time
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand
from procrastinate.contrib.django import app

from kalyptra.core import one_thread_a_frame, warm_step
from kalyptra.launch.supervise import CUT_OFF

SLOTS = {"footage": 1, "render": 1, "follow": 2, "care": 2}
"""How many jobs of each queue are done at once. Each has slots of its own: no kind of work waits for another."""
WARM = ("following", "plates")
"""The loops that jobs run in this very process: loaded before the first job, which is a second and a half sooner."""
LAST_MOMENT = 16.0
"""Seconds after the word to stop at which the process ends whatever still runs, before the supervisor cuts it off."""


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        one_thread_a_frame()
        # No daemon: an interpreter that ends in the middle of a loop being loaded aborts.
        threading.Thread(target=_warm).start()
        with app.replace_connector(app.connector.get_worker_connector()):  # type: ignore[attr-defined]
            asyncio.run(self._work())

    async def _work(self) -> None:
        async with app.open_async():
            workers = [
                asyncio.create_task(
                    app.run_worker_async(
                        queues=[queue],
                        name=queue,
                        concurrency=slots,
                        shutdown_graceful_timeout=0.5,
                        update_heartbeat_interval=settings.WORKER_HEARTBEAT,
                        stalled_worker_timeout=settings.WORKER_STALLED_AFTER,
                        fetch_job_polling_interval=2,
                        install_signal_handlers=False,
                    )
                )
                for queue, slots in SLOTS.items()
            ]

            left: list[bool] = []

            def leave() -> None:
                if left:  # cancelled a second time a worker would drop its jobs instead of handing them on
                    return
                left.append(True)
                threading.Thread(target=_end_at_last, daemon=True).start()
                for worker in workers:
                    worker.cancel()

            loop = asyncio.get_running_loop()
            for number in (signal.SIGINT, signal.SIGTERM):
                loop.add_signal_handler(number, leave)
            # Where one ends by itself the database is away: all end, and are started again by the supervisor.
            await asyncio.wait(workers, return_when=asyncio.FIRST_COMPLETED)
            leave()
            await asyncio.gather(*workers, return_exceptions=True)


def _warm() -> None:
    for name in WARM:
        warm_step(name)


def _end_at_last() -> None:
    time.sleep(LAST_MOMENT)
    print(f"A worker {CUT_OFF}", flush=True)
    os._exit(0)
