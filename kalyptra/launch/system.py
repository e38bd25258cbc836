"""Debian packages: install what is missing where we may, else say the exact command."""

from __future__ import annotations

import os
import shutil
import subprocess
from collections.abc import Iterable
from pathlib import Path

from kalyptra.launch.paths import CannotGoOn


def has_postgresql() -> bool:
    return any(Path("/usr/lib/postgresql").glob("*/bin/initdb"))


BROWSERS = (Path("/usr/bin/chromium-headless-shell"), Path("/usr/bin/chromium"))
"""Headless Chromium: by itself it takes half the processor time; the whole of it does where only that is installed."""


def chromium() -> Path:
    """The browser that tests and benches drive."""
    return next((path for path in BROWSERS if path.exists()), BROWSERS[0])


def has_chromium() -> bool:
    return BROWSERS[0].exists() or (os.geteuid() != 0 and chromium().exists())


def has_venv() -> bool:
    try:
        import ensurepip  # noqa: F401  (Debian ships it in a package of its own)
    except ImportError:
        return False
    return True


CHECKS = {"postgresql": has_postgresql, "chromium-headless-shell": has_chromium, "python3-venv": has_venv}


def need(packages: Iterable[str]) -> None:
    """Make sure that Debian packages are there.

    Raises:
        Stop: a package is missing and may not or could not be installed; the text has the command.
    """
    missing = [name for name in packages if not CHECKS[name]()]
    if not missing:
        return
    command = "apt-get install --no-install-recommends -y " + " ".join(missing)
    if os.geteuid() != 0 or not shutil.which("apt-get"):
        raise CannotGoOn(
            f"Missing: {', '.join(missing)}. Nothing was changed. As root run\n\n"
            f"    apt-get update && {command}\n\nand start again."
        )
    print(f"Installing {', '.join(missing)} from Debian's packages", flush=True)
    env = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    subprocess.run(["apt-get", "update", "-q"], env=env, stdout=subprocess.DEVNULL, check=False)
    done = subprocess.run(command.split(), env=env, capture_output=True, text=True, check=False)
    if done.returncode or any(not CHECKS[name]() for name in missing):
        raise CannotGoOn(f"`{command}` failed:\n{done.stdout[-800:]}{done.stderr[-800:]}")
