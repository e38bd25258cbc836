"""The Python environment: one virtual environment a checkout, filled from a lock file with hashes."""

from __future__ import annotations

import fcntl
import hashlib
import os
import shutil
import subprocess
import sys

from kalyptra.launch import system
from kalyptra.launch.paths import ENVIRONMENT, LOCAL, PYTHON, ROOT, CannotGoOn, make_local

LOCKS = {False: "requirements.lock", True: "requirements-dev.lock"}


def _stamp(lock: str) -> str:
    """What an environment was made from: another Python or another lock makes it stale."""
    return hashlib.sha256(sys.version.encode() + (ROOT / lock).read_bytes()).hexdigest()


def ready(dev: bool = False) -> bool:
    """Whether the environment already holds what is asked for (the developers' one holds all)."""
    mark = ENVIRONMENT / "made-from"
    return PYTHON.exists() and mark.exists() and mark.read_text() in {_stamp(LOCKS[d]) for d in (dev, True)}


def make(dev: bool = False) -> None:
    """Install the locked packages, once.

    Raises:
        Stop: the packages could not be installed.
    """
    make_local()
    with open(LOCAL / "python.lock", "w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if ready(dev):
            return
        system.need(["python3-venv"])
        print("Installing Python packages (once, about a minute)", flush=True)
        if not (PYTHON.exists() and (ENVIRONMENT / "bin" / "uv").exists()):
            shutil.rmtree(ENVIRONMENT, ignore_errors=True)
            _run([sys.executable, "-m", "venv", str(ENVIRONMENT)])
            _run([str(PYTHON), "-m", "pip", "install", "-q", "--disable-pip-version-check", "uv"])
        env = {"VIRTUAL_ENV": str(ENVIRONMENT), "UV_LINK_MODE": "copy"}
        wanted = str(ROOT / LOCKS[dev])
        # `install`, not `sync`: uv itself lives in the environment and is not in the lock.
        _run([str(ENVIRONMENT / "bin" / "uv"), "pip", "install", "-q", "--require-hashes", "-r", wanted], **env)
        (ENVIRONMENT / "made-from").write_text(_stamp(LOCKS[dev]))


def _run(command: list[str], **env: str) -> None:
    done = subprocess.run(command, cwd=ROOT, env={**os.environ, **env}, capture_output=True, text=True, check=False)
    if done.returncode:
        raise CannotGoOn(f"`{' '.join(command)}` failed:\n{done.stdout[-1500:]}{done.stderr[-1500:]}")
