"""All checks, then all tests; runs in the environment that `bin/kalyptra test` makes."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from itertools import chain
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
CORE, BENCH, SHELL = (ROOT / "kalyptra" / room / "tests" for room in ("core", "bench", "shell"))
AT_ONCE = 4
"""Two processors; the tests of a whole instance, and those of pages, wait for some of their time."""
BROWSERS = 4
"""Groups of page tests."""
CORES = 3
"""Groups of the core's tests, none so long that a processor waits for it at the end."""
COVERAGE = "--coverage"
BIN = Path(sys.executable).parent


def main(arguments: list[str]) -> int:
    """Args: labels of tests, all without them; `--coverage` says besides which lines they run, and takes longer."""
    started = time.monotonic()
    labels = [argument for argument in arguments if argument != COVERAGE]
    covered = COVERAGE in arguments
    with ThreadPoolExecutor(1) as beside, ThreadPoolExecutor(AT_ONCE) as pool:
        checked = beside.submit(lambda: [] if labels else failed_checks())
        done = list(pool.map(lambda labels_of: run_tests(labels_of, covered), [labels] if labels else groups()))
        failed = checked.result()
    ran, bad = sum(run.ran for run in done), sum(run.bad for run in done)
    if covered:
        for step in (["combine", "--quiet"], ["report"]):
            subprocess.run([sys.executable, "-m", "coverage", *step], cwd=ROOT, check=False)
    print(f"Checks that failed: {', '.join(failed) or 'none'}. {time.monotonic() - started:.0f} s in all.")
    # Once more at the end, where they are seen: the groups' outputs are mixed, and long.
    for name, complaint in chain.from_iterable(run.failures for run in done):
        print(f"Failed: {name}\n  {complaint}")
    print(f"{ran - bad} passed, {bad} failed")
    return 1 if failed or any(run.code for run in done) else 0


def groups() -> list[list[str]]:
    """Tests that run one after the other; each group in a process and with a database of its own. What waits much comes
    first, what computes comes last."""
    core, pages, browser, shell = (modules(folder) for folder in (CORE, BENCH, BENCH / "browser", SHELL))
    whole = [module for module in shell if module.endswith("trial")]
    rest = ["kalyptra.work", "kalyptra.library", "kalyptra.config", "kalyptra.truth", *pages]
    started = ["kalyptra.launch", "kalyptra.design", *(module for module in shell if module not in whole)]
    return [*dealt(browser, BROWSERS), whole, rest, *dealt(core, CORES), started]


def dealt(labels: list[str], hands: int) -> list[list[str]]:
    """Modules dealt out so that each hand has about as many tests."""
    out: list[list[str]] = [[] for _ in range(hands)]
    counts = {label: (ROOT / f"{label.replace('.', '/')}.py").read_text().count("    def test_") for label in labels}
    for label in sorted(labels, key=lambda label: -counts[label]):
        min(out, key=lambda hand: sum(counts[held] for held in hand)).append(label)
    return out


def modules(folder: Path) -> list[str]:
    """The modules of tests in a folder, by their dotted names."""
    parts = folder.relative_to(ROOT).parts
    return [".".join((*parts, path.stem)) for path in sorted(folder.glob("test_*.py"))]


def checks() -> dict[str, list[str]]:
    checks = {
        "ruff": [str(BIN / "ruff"), "check", "kalyptra", "demo", "manage.py", "bin/kalyptra"],
        "format": [str(BIN / "ruff"), "format", "--check", "kalyptra", "demo"],
        "types": [str(BIN / "mypy"), "kalyptra"],
        "layers": [str(BIN / "lint-imports")],
        "migrations": [sys.executable, "manage.py", "makemigrations", "--check", "--dry-run"],
    }
    if shutil.which("npm"):
        checks["styles"] = ["bash", "assets/check.sh"]
        checks["scripts"] = ["bash", "assets/check-scripts.sh"]
    else:
        print("styles and scripts: not checked, there is no npm here", flush=True)
    return checks


def failed_checks() -> list[str]:
    return [name for name, command in checks().items() if not passes(name, command)]


def passes(name: str, command: list[str]) -> bool:
    done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=False)
    print(f"{name}: {'ok' if done.returncode == 0 else 'FAILED'}", flush=True)
    if done.returncode:
        print((done.stdout + done.stderr)[-6000:], flush=True)
    return done.returncode == 0


@dataclass(frozen=True)
class Run:
    """How a group of tests went.

    Attributes:
        code: the exit code of its process.
        ran: how many tests ran.
        bad: how many of them failed.
        failures: the names of those, and the first line of what each complained of.
    """

    code: int
    ran: int
    bad: int
    failures: list[tuple[str, str]]


def run_tests(labels: list[str], covered: bool) -> Run:
    """Run them, showing what they print."""
    python = [sys.executable, *(["-m", "coverage", "run", "--parallel-mode"] if covered else [])]
    command = [*python, "manage.py", "test", "--noinput", *labels]
    env = {**os.environ, "KALYPTRA_TEST_DATABASE": f"test_{labels[0].replace('.', '_')[-50:]}"}
    process = subprocess.Popen(command, cwd=ROOT, env=env, stderr=subprocess.PIPE, text=True)
    ran = bad = 0
    printed: list[str] = []
    assert process.stderr
    for line in process.stderr:
        sys.stderr.write(line)
        printed.append(line)
        if match := re.match(r"Ran (\d+) tests?", line):
            ran = int(match[1])
        if line.startswith("FAILED"):
            bad = sum(map(int, re.findall(r"(?:failures|errors)=(\d+)", line)))
    return Run(process.wait(), ran, bad, failures_in("".join(printed)))


def failures_in(printed: str) -> list[tuple[str, str]]:
    """The tests that failed, from what the runner prints at its end: name, and the first line of the complaint."""
    reports = re.findall(r"^(?:ERROR|FAIL): .*?\((.+?)\).*\n(?:.*\n)*?-{70}\n((?:.*\n)*?)\n", printed, re.MULTILINE)
    return [
        (name, next((line for line in trace.splitlines()[1:] if not line.startswith(" ")), "it does not say why"))
        for name, trace in reports
    ]


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
