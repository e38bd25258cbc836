"""gunicorn: one load of the application for all its processes; each loads its loops while the first page is read."""

from __future__ import annotations

import threading
from typing import Any

preload_app = True
worker_class = "gthread"
workers = 2
threads = 8
timeout = 120
graceful_timeout = 5
keepalive = 75  # a page that idles for a while finds its connection open
worker_tmp_dir = "/dev/shm"


def post_worker_init(worker: Any) -> None:
    from kalyptra.core import warm_up

    threading.Thread(target=warm_up).start()  # waited for by a process that is told to stop: it would abort else
