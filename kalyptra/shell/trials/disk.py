"""A disk that fills up and is freed: what can wait is refused first, in words, and all goes on when there is room."""

from __future__ import annotations

import contextlib
import os
import subprocess
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import requests

from kalyptra.shell.trials.instance import Client, Instance, Lost, wait_for, words_missing
from kalyptra.shell.trials.samples import still

LOOKED_FOR = 0.5
"""Seconds for which the server's last look at the disk holds."""
SIZE, RESERVE = 900 << 20, 160 << 20


@contextlib.contextmanager
def small_disk() -> Iterator[Path | None]:
    """A disk of its own in memory, where we may mount one."""
    with tempfile.TemporaryDirectory(prefix="kalyptra-disk-") as name:
        command = ["mount", "-t", "tmpfs", "-o", f"size={SIZE},mode=711", "kalyptra-trial", name]
        if os.geteuid() != 0 or subprocess.run(command, capture_output=True).returncode:
            yield None
            return
        try:
            yield Path(name)
        finally:
            subprocess.run(["umount", "-l", name], capture_output=True, check=False)


def run(instance: Instance) -> dict[str, Any]:
    """Fill the instance's disk in steps, and free it.

    Raises:
        Lost: something is refused without words or too early, or does not recover.
    """
    client = instance.enter()
    project, shot = client.project("A full disk"), next(iter(client.shots().values()))
    ballast = instance.folder / "ballast"
    said = {}

    def leave(size: int) -> None:
        """Fill the disk until so many bytes are free."""
        ballast.touch()
        stat = os.statvfs(instance.folder)
        free = stat.f_bavail * stat.f_frsize + ballast.stat().st_size
        with ballast.open("r+b") as file, contextlib.suppress(OSError):
            os.posix_fallocate(file.fileno(), 0, max(1, free - size))
        if size == 0:
            handle = os.open(ballast, os.O_WRONLY | os.O_APPEND)
            with contextlib.suppress(OSError):
                while os.write(handle, b"x" * 4096):
                    pass
            os.close(handle)
        time.sleep(2 * LOOKED_FOR)

    leave(RESERVE // 2)
    for name, answer in (("upload", _upload(client, project)), ("render", _render(client, shot))):
        said[f"{name} at half the reserve"] = _refused(name, answer)
    if _frame(client, shot).status_code != 200 or _save(client, shot, 3.0).status_code != 200:
        raise Lost("at half the reserve a frame is not shown, or a change is not saved")
    said["frame and save at half the reserve"] = "200"
    leave(RESERVE // 16)
    said["save at a sixteenth"] = _refused("save", _save(client, shot, 4.0))
    leave(0)
    for name in ("upload", "render", "save"):
        ask = {"upload": lambda: _upload(client, project), "render": lambda: _render(client, shot)}
        answer = ask.get(name, lambda: _save(client, shot, 5.0))()
        said[f"{name} at 0 bytes"] = _refused(name, answer)
    ballast.unlink()
    wait_for("a change is saved after the disk was freed", lambda: _save(client, shot, 6.0).status_code == 200, 30)
    if _upload(client, project).status_code != 200:
        raise Lost("a file is not taken after the disk was freed")
    order = _render(client, shot).json()["id"]
    ended = ("done", "failed", "cancelled")

    def state() -> str:
        renders = client.get(f"/api/shots/{shot}/renders").json()
        return str(next(render["state"] for render in renders if render["id"] == order))

    if wait_for("a render ends after the disk was freed", lambda: state() in ended and state()) != "done":
        raise Lost("a render fails after the disk was freed")
    said["upload, render and save when freed"] = "200"
    return said


def _refused(name: str, answer: requests.Response | None) -> str:
    if answer is None or answer.status_code != 503 or words_missing(answer):
        shown = "no answer" if answer is None else f"{answer.status_code}: {answer.text[:300]}"
        raise Lost(f"on a full disk {name} answers {shown}")
    return "503 in words"


def _upload(client: Client, project: int) -> requests.Response:
    return client.post(f"/projects/{project}/footage/", files={"file": ("quay.png", still(".png"))})


def _render(client: Client, shot: int) -> requests.Response:
    return client.post(f"/api/shots/{shot}/renders", json={"first": 0, "last": 3, "gaps": True})


def _frame(client: Client, shot: int) -> requests.Response:
    revision = client.state(shot)["revision"]
    return client.get(f"/api/shots/{shot}/frames/{revision}/1.jpg")


def _save(client: Client, shot: int, growth: float) -> requests.Response:
    answer = client.get(f"/api/shots/{shot}")
    if answer.status_code != 200:
        return answer
    put = {"do": "put", "path": "plate.growth", "value": growth}
    return client.post(f"/api/shots/{shot}/changes", json={"base": answer.json()["revision"], "commands": [put]})
