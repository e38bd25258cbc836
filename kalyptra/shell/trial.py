"""Try a whole instance hard: `bin/kalyptra trial kills|files|disk|api|load [...] [--short]`.

Each trial starts an instance of its own on loopback in a folder that is taken away afterwards, is bounded in count and
time, and ends only processes of that instance, by their ids.
"""

from __future__ import annotations

import argparse
import contextlib
import shutil
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import requests

from kalyptra.shell.trials import api, disk, files, kills, load
from kalyptra.shell.trials.instance import Instance, Lost

TRIALS: dict[str, Callable[[Instance, bool], dict[str, Any]]] = {
    "kills": lambda instance, short: kills.run(instance, 5 if short else 60),
    "files": lambda instance, short: files.run(instance, 48 if short else 500),
    "api": lambda instance, short: api.run(instance, 8 if short else 60),
    "load": lambda instance, short: load.run(instance, 5.0 if short else 30.0),
    "disk": lambda instance, short: disk.run(instance),
}


@contextlib.contextmanager
def place(name: str) -> Iterator[tuple[Path, dict[str, str]] | None]:
    """Where an instance lives, and its settings; None where this machine cannot have it."""
    if name == "disk":
        with disk.small_disk() as folder:
            yield (folder, {"KALYPTRA_RESERVE": str(disk.RESERVE)}) if folder else None
        return
    folder = Path(tempfile.mkdtemp(prefix="kalyptra-trial-"))
    folder.chmod(0o711)  # the database's account passes through
    try:
        yield folder, {"KALYPTRA_RESERVE": "0"}
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def tried(name: str, short: bool) -> dict[str, Any]:
    """Run one trial; what it found.

    Raises:
        Lost: a defect.
    """
    with place(name) as prepared:
        if prepared is None:
            return {"not tried": "a disk of its own can be mounted by root alone"}
        folder, settings = prepared
        with Instance(folder, **settings) as instance:
            try:
                told = TRIALS[name](instance, short)
            except (Lost, requests.RequestException) as defect:
                logs = "\n".join(path.read_text(errors="replace")[-1500:] for path in (folder / "logs").glob("*.log"))
                raise Lost(f"{defect}\n{logs}") from defect
            seconds = instance.stop()
        return {**told, "ended in good order, s": round(seconds, 1)}


def main(words: list[str] | None = None) -> int:
    p = argparse.ArgumentParser(prog="bin/kalyptra trial", description="Try a whole instance hard.")
    p.add_argument("names", nargs="+", choices=TRIALS, metavar="NAME", help=f"of {', '.join(TRIALS)}")
    p.add_argument("--short", action="store_true", help="a tenth of it, as the tests do")
    options = p.parse_args(words)
    lost = 0
    for name in options.names:
        started = time.monotonic()
        print(f"\n{name}", flush=True)
        try:
            for what, value in tried(name, options.short).items():
                print(f"  {what}: {value}")
        except Lost as defect:
            lost += 1
            print(f"  LOST: {defect}")
        print(f"  {time.monotonic() - started:.0f} s", flush=True)
    return 1 if lost else 0


if __name__ == "__main__":
    sys.exit(main())
