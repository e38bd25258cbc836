"""All checks, then all tests; runs in the environment that `bin/kalyptra test` makes."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
CORE, BENCH, SHELL = (ROOT / "kalyptra" / room / "tests" for room in ("core", "bench", "shell"))
AT_ONCE = 4
"""Two processors; the tests of a whole instance, and those of pages, wait for some of their time."""
BROWSERS = 4
"""Groups of page tests."""
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
    code, ran, bad = (sum(numbers) for numbers in zip(*done, strict=True))
    if covered:
        for step in (["combine", "--quiet"], ["report"]):
            subprocess.run([sys.executable, "-m", "coverage", *step], cwd=ROOT, check=False)
    print(f"Checks that failed: {', '.join(failed) or 'none'}. {time.monotonic() - started:.0f} s in all.")
    print(f"{ran - bad} passed, {bad} failed")
    return 1 if code or failed else 0


def groups() -> list[list[str]]:
    """Tests that run one after the other; each group in a process and with a database of its own. What waits much comes
    first, what computes comes last."""
    core, pages, browser, shell = (modules(folder) for folder in (CORE, BENCH, BENCH / "browser", SHELL))
    whole = [module for module in shell if module.endswith("trial")]
    rest = ["kalyptra.work", "kalyptra.library", "kalyptra.config", *pages]
    started = ["kalyptra.launch", "kalyptra.design", *(module for module in shell if module not in whole)]
    return [*dealt(browser, BROWSERS), whole, rest, *dealt(core, 2), started]


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


def run_tests(labels: list[str], covered: bool) -> tuple[int, int, int]:
    """Run them, showing what they print; returns the exit code, how many ran, and how many of them failed."""
    python = [sys.executable, *(["-m", "coverage", "run", "--parallel-mode"] if covered else [])]
    command = [*python, "manage.py", "test", "--noinput", *labels]
    env = {**os.environ, "KALYPTRA_TEST_DATABASE": f"test_{labels[0].replace('.', '_')[-50:]}"}
    process = subprocess.Popen(command, cwd=ROOT, env=env, stderr=subprocess.PIPE, text=True)
    ran = bad = 0
    assert process.stderr
    for line in process.stderr:
        sys.stderr.write(line)
        if match := re.match(r"Ran (\d+) tests?", line):
            ran = int(match[1])
        if line.startswith("FAILED"):
            bad = sum(map(int, re.findall(r"(?:failures|errors)=(\d+)", line)))
    return process.wait(), ran, bad


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
