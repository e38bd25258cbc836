"""Run the web server and the workers, start again what dies, the database too, and stop all of it together."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Protocol

from kalyptra.launch.paths import LOCAL, LOGS, ROOT, CannotGoOn

FIRST_WEB_PORT = 8620
PATIENCE = 20.0
"""Seconds that processes get to end by themselves; on a busy machine a frame under way may need eight."""
CUT_OFF = "did not end by itself and was cut off"
"""Words printed where one had to be ended by force."""
MOST_LOG = 16 << 20
"""Bytes of a log after which a process that starts gets a new one; the last one is kept."""
LONGEST_PAUSE = 5.0
"""Seconds between two tries to start again what keeps dying: its reason (a full disk, say) may go."""


class Kept(Protocol):
    """A server that is not our child, but has to be there: the database."""

    def alive(self) -> bool: ...

    def revive(self) -> None:
        """Raises Stop where it does not start."""


@dataclass
class Child:
    """One supervised process."""

    name: str
    command: list[str]
    process: subprocess.Popen[bytes] | None = None
    started: float = 0.0
    quick_deaths: int = 0
    due: float | None = None
    """When it is started again, where it has died."""

    def start(self, env: dict[str, str]) -> None:
        path = LOGS / f"{self.name}.log"
        if path.exists() and path.stat().st_size > MOST_LOG:
            path.replace(path.with_suffix(".log.1"))
        with path.open("ab") as log:
            self.process = subprocess.Popen(
                self.command,
                cwd=ROOT,
                env=env,
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=log,
                start_new_session=True,
            )
        self.started, self.due = time.monotonic(), None


@dataclass
class Supervisor:
    """Starts children, keeps them and the database up, and ends the children on SIGINT, SIGTERM or `stop`."""

    env: dict[str, str]
    children: list[Child] = field(default_factory=list)
    database: Kept | None = None
    up: bool = False
    """Whether all was up once. Before that a process that keeps dying is a reason to give up."""
    stopping: bool = False
    _database_due: float = 0.0
    _database_pause: float = 0.5

    def run(self, address: str, on_up: Callable[[], None]) -> None:
        """Keep everything up until told to stop.

        Args:
            address: of the page; `on_up` is called when it answers.

        Raises:
            Stop: a process keeps dying before the page ever answered; its log says why.
        """
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, self._on_signal)
        try:
            for child in self.children:
                child.start(self.env)
            self._wait_for(address)
            self.up = True
            if not self.stopping:
                on_up()
            while not self.stopping:
                self._keep_database()
                self._revive()
                time.sleep(0.3)
        finally:
            self.end()

    def end(self) -> None:
        """End the children, politely first; only processes that we started."""
        alive = {child.name: child.process for child in self.children if child.process and child.process.poll() is None}
        for process in alive.values():
            process.terminate()
        deadline = time.monotonic() + PATIENCE
        for name, process in alive.items():
            try:
                process.wait(max(0.1, deadline - time.monotonic()))
            except subprocess.TimeoutExpired:
                os.killpg(process.pid, signal.SIGKILL)  # its own session, so its own helpers only
                print(f"The {name} process {CUT_OFF}", flush=True)

    def _on_signal(self, *_: object) -> None:
        self.stopping = True

    def _revive(self) -> None:
        now = time.monotonic()
        for child in self.children:
            if child.process is None or child.process.poll() is None:
                continue
            if child.due is None:
                child.quick_deaths = child.quick_deaths + 1 if now - child.started < 10 else 0
                if child.quick_deaths > 3 and not self.up:
                    raise CannotGoOn(f"The {child.name} process keeps ending. {_tail(LOGS / f'{child.name}.log')}")
                pause = min(LONGEST_PAUSE, 0.3 * 2**child.quick_deaths) if child.quick_deaths > 1 else 0.0
                child.due = now + pause
                print(f"The {child.name} process ended ({child.process.returncode}); starting it again", flush=True)
            if now >= child.due:
                child.start(self.env)

    def _keep_database(self) -> None:
        now = time.monotonic()
        if self.database is None or now < self._database_due or self.database.alive():
            return
        print("The database ended; starting it again", flush=True)
        try:
            self.database.revive()
            self._database_pause = 0.5
            print("The database is up again", flush=True)
        except CannotGoOn as reason:
            print(f"The database does not start yet. {reason}", flush=True)
            self._database_due = time.monotonic() + self._database_pause
            self._database_pause = min(LONGEST_PAUSE, 2 * self._database_pause)

    def _wait_for(self, address: str) -> None:
        deadline = time.monotonic() + 60
        while not self.stopping:
            try:
                urllib.request.urlopen(address + "sign-in/", timeout=5).read()
                return
            except (urllib.error.URLError, OSError):
                if time.monotonic() > deadline:
                    raise CannotGoOn(f"The web server did not answer at {address}. {_tail(LOGS / 'web.log')}") from None
            self._revive()
            time.sleep(0.1)


def free_web_port() -> int:
    """The port that this checkout used last, or the next free one."""
    last = LOCAL / "web.port"
    port = int(last.read_text()) if last.exists() else FIRST_WEB_PORT
    while True:
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
                break
            except OSError:
                port += 1
    last.write_text(str(port))
    return port


def _tail(log: Path) -> str:
    text = log.read_text(errors="replace")[-1500:] if log.exists() else ""
    return f"Its log {log} ends:\n{text}"
