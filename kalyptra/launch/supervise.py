"""Run the web server and the workers, start again what dies, and stop all of it together."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import time
import urllib.error
import urllib.request
from dataclasses import dataclass, field
from pathlib import Path

from kalyptra.launch.paths import LOCAL, LOGS, ROOT, Stop

FIRST_WEB_PORT = 8620
PATIENCE = 12.0
"""Seconds that processes get to end by themselves."""


@dataclass
class Child:
    """One supervised process."""

    name: str
    command: list[str]
    process: subprocess.Popen[bytes] | None = None
    started: float = 0.0
    quick_deaths: int = 0

    def start(self, env: dict[str, str]) -> None:
        with open(LOGS / f"{self.name}.log", "ab") as log:
            self.process = subprocess.Popen(
                self.command,
                cwd=ROOT,
                env=env,
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=log,
                start_new_session=True,
            )
        self.started = time.monotonic()


@dataclass
class Supervisor:
    """Starts children, keeps them up, and ends them on SIGINT, SIGTERM or `stop`."""

    env: dict[str, str]
    children: list[Child] = field(default_factory=list)
    stopping: bool = False

    def run(self, address: str) -> None:
        """Keep everything up until told to stop.

        Raises:
            Stop: a process keeps dying; its log says why.
        """
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, self._on_signal)
        try:
            for child in self.children:
                child.start(self.env)
            self._wait_for(address)
            while not self.stopping:
                self._revive()
                time.sleep(0.3)
        finally:
            self.end()

    def end(self) -> None:
        """End the children, politely first; only processes that we started."""
        alive = [child.process for child in self.children if child.process and child.process.poll() is None]
        for process in alive:
            process.terminate()
        deadline = time.monotonic() + PATIENCE
        for process in alive:
            try:
                process.wait(max(0.1, deadline - time.monotonic()))
            except subprocess.TimeoutExpired:
                os.killpg(process.pid, signal.SIGKILL)  # its own session, so its own helpers only

    def _on_signal(self, *_: object) -> None:
        self.stopping = True

    def _revive(self) -> None:
        for child in self.children:
            if child.process is None or child.process.poll() is None:
                continue
            child.quick_deaths = child.quick_deaths + 1 if time.monotonic() - child.started < 10 else 0
            if child.quick_deaths > 3:
                raise Stop(f"The {child.name} process keeps ending. {_tail(LOGS / f'{child.name}.log')}")
            print(f"The {child.name} process ended ({child.process.returncode}); starting it again", flush=True)
            child.start(self.env)

    def _wait_for(self, address: str) -> None:
        deadline = time.monotonic() + 60
        while not self.stopping:
            try:
                urllib.request.urlopen(address + "health", timeout=5).read()
                return
            except (urllib.error.URLError, OSError):
                if time.monotonic() > deadline:
                    raise Stop(f"The web server did not answer at {address}. {_tail(LOGS / 'web.log')}") from None
            self._revive()
            time.sleep(0.1)


def free_web_port() -> int:
    """The port that this checkout used last, or the next free one."""
    kept = LOCAL / "web.port"
    port = int(kept.read_text()) if kept.exists() else FIRST_WEB_PORT
    while True:
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
                break
            except OSError:
                port += 1
    kept.write_text(str(port))
    return port


def _tail(log: Path) -> str:
    text = log.read_text(errors="replace")[-1500:] if log.exists() else ""
    return f"Its log {log} ends:\n{text}"
