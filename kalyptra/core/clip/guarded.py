"""Work on untrusted media in a throw-away process with limits: a crash or a trap there harms nothing here."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[3]


@dataclass(frozen=True)
class Limits:
    """What the process may use. Seconds of CPU and of wall time, bytes of memory and of each file written."""

    seconds: float = 30
    memory: int = 3 << 30
    file_size: int = 0


class GuardedFailure(Exception):
    """The work failed. `kind` is the failing exception's name, or "killed", "time", "cancelled"."""

    def __init__(self, kind: str, detail: str) -> None:
        super().__init__(detail)
        self.kind = kind


@lru_cache(maxsize=1)
def _without_network() -> list[str]:
    """The command that cuts the process off from the network, where the kernel lets us."""
    command = ["unshare", "--user", "--map-root-user", "--net"]
    allowed = shutil.which("unshare") and subprocess.run([*command, "true"], capture_output=True).returncode == 0
    return command if allowed else []


def run_guarded(
    task: str,
    arguments: Mapping[str, Any],
    limits: Limits,
    on_progress: Callable[[dict[str, Any]], bool] | None = None,
) -> Any:
    """Run `module:function` in a process of its own.

    Args:
        task: "package.module:function"; it takes the arguments as keywords and, where it reports, `report`.
        arguments: what JSON can carry.
        limits: what it may use.
        on_progress: called with each report; returns False to stop the work.

    Returns:
        What the function returned, through JSON.

    Raises:
        GuardedFailure: it raised, was killed by a limit, took too long or was stopped.
    """
    job = json.dumps({"task": task, "arguments": dict(arguments), "memory": limits.memory,
                      "seconds": limits.seconds, "file_size": limits.file_size, "parent": os.getpid()})  # fmt: skip
    start = f"import sys; sys.path.insert(0, {str(ROOT)!r}); from kalyptra.core.clip.guarded import child; child()"
    env = {"PATH": "/usr/bin:/bin", "LANG": "C.UTF-8", "OPENBLAS_NUM_THREADS": "1"}
    if "NUMBA_CACHE_DIR" in os.environ:
        env["NUMBA_CACHE_DIR"] = os.environ["NUMBA_CACHE_DIR"]
    process = subprocess.Popen(
        [*_without_network(), sys.executable, "-I", "-c", start],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env=env,
    )  # fmt: skip
    timed_out = threading.Event()

    def give_up() -> None:
        timed_out.set()
        process.kill()

    alarm = threading.Timer(limits.seconds * 2 + 10, give_up)
    alarm.start()
    errors: list[str] = []
    drain = threading.Thread(target=lambda: errors.append(process.stderr.read() if process.stderr else ""))
    drain.start()
    answer: dict[str, Any] | None = None
    try:
        assert process.stdin and process.stdout
        try:
            process.stdin.write(job)
            process.stdin.close()
        except BrokenPipeError:
            pass
        for line in process.stdout:
            message = json.loads(line)
            if "report" not in message:
                answer = message
            elif on_progress and not on_progress(message["report"]):
                raise GuardedFailure("cancelled", "stopped")
    finally:
        alarm.cancel()
        if process.poll() is None and answer is None:
            process.kill()
        code = process.wait()
        drain.join()
    if answer and "error" in answer:
        raise GuardedFailure(answer["error"], answer["detail"])
    if answer is None:
        if timed_out.is_set() or code == -24:
            raise GuardedFailure("time", f"it took longer than {limits.seconds:.0f} s")
        raise GuardedFailure("killed", f"the process ended with {code}: {''.join(errors)[-300:]}")
    return answer["result"]


def child() -> None:
    """The other side: set the limits, do the task, answer in one line of JSON."""
    import ctypes
    import importlib
    import resource
    import signal

    job = json.loads(sys.stdin.read())
    answers = os.fdopen(os.dup(1), "w")
    os.dup2(2, 1)  # what libraries print must not mix with the answer
    # End with the parent, however it ends.
    ctypes.CDLL(None).prctl(1, signal.SIGKILL)

    def cap(what: int, value: int) -> None:
        resource.setrlimit(what, (value, value))

    cap(resource.RLIMIT_AS, job["memory"])
    cap(resource.RLIMIT_CPU, int(job["seconds"]) + 1)
    cap(resource.RLIMIT_NOFILE, 128)
    cap(resource.RLIMIT_CORE, 0)

    def send(message: dict[str, Any]) -> None:
        answers.write(json.dumps(message) + "\n")
        answers.flush()

    try:
        module, function = job["task"].split(":")
        work = getattr(importlib.import_module(module), function)
        # After the imports: a library may need to write its compiled code first.
        cap(resource.RLIMIT_FSIZE, job["file_size"])
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        arguments = job["arguments"]
        if "report" in work.__code__.co_varnames[: work.__code__.co_argcount]:
            arguments["report"] = lambda **facts: send({"report": facts})
        send({"result": work(**arguments)})
    except MemoryError:
        send({"error": "memory", "detail": "it needs more memory than is allowed"})
    except Exception as error:
        send({"error": type(error).__name__, "detail": str(error)[:400]})
