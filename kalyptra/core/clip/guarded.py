"""Work on untrusted media in a throw-away process with limits: a crash or a trap there harms nothing here."""

from __future__ import annotations

import json
import os
import selectors
import signal
import sys
import threading
import time
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import IO, Any

from kalyptra.core.clip.fork_server import ForkServer

LOOK_EVERY = 0.25
"""Seconds between two looks at whether the work is to stop."""
SPARE = 5
"""Seconds of CPU between the word that time is up and the end, so that the two can be told apart."""
_SERVER = ForkServer()


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


def run_guarded(
    task: str,
    arguments: Mapping[str, Any],
    limits: Limits,
    on_progress: Callable[[dict[str, Any]], bool] | None = None,
    go_on: Callable[[], bool] | None = None,
) -> Any:
    """Run `module:function` in a process of its own.

    Args:
        task: "package.module:function"; it takes the arguments as keywords and, where it reports, `report`.
        arguments: what JSON can carry.
        limits: what it may use.
        on_progress: called with each report; returns False to stop the work.
        go_on: asked a few times a second whether to go on: work need not report to be stopped.

    Returns:
        What the function returned, through JSON.

    Raises:
        GuardedFailure: it raised, was killed by a limit, took too long or was stopped.
    """
    job = {"task": task, "arguments": dict(arguments), "memory": limits.memory, "seconds": limits.seconds,
           "file_size": limits.file_size}  # fmt: skip
    process = _SERVER.fork(task.split(":")[0], json.dumps(job).encode() + b"\n")
    errors: list[bytes] = []
    drain = threading.Thread(target=lambda pipe: errors.append(pipe.read()), args=(process.complaints,))
    drain.start()
    answer: dict[str, Any] | None = None
    deadline = time.monotonic() + limits.seconds * 2 + 10
    timed_out = False
    try:
        for line in _lines(process.answers):
            if time.monotonic() > deadline:
                timed_out = True
                break
            message = None if line is None else _message(line)
            if message is None:
                stopped = go_on is not None and not go_on()
            elif "report" in message:
                stopped = on_progress is not None and not on_progress(message["report"])
            else:
                answer = message
                break
            if stopped:
                raise GuardedFailure("cancelled", "stopped")
    finally:
        code = process.end()
        drain.join()
        process.complaints.close()
    if answer and "error" in answer:
        raise GuardedFailure(answer["error"], answer["detail"])
    if answer is None:
        if timed_out or code == -signal.SIGXCPU:
            raise GuardedFailure("time", f"it took longer than {limits.seconds:.0f} s")
        said = b"".join(errors).decode(errors="replace")[-300:]
        raise GuardedFailure("killed", f"the process was ended from outside ({code}) {said}".rstrip())
    return answer["result"]


def _lines(pipe: IO[bytes]) -> Iterator[bytes | None]:
    """Whole lines as they come, and None a few times a second while there is none; what is cut off at the end is not
    one."""
    rest = b""
    with selectors.DefaultSelector() as selector:
        selector.register(pipe, selectors.EVENT_READ)
        looked = time.monotonic()
        while True:
            ready = selector.select(LOOK_EVERY)
            if not ready or time.monotonic() - looked > LOOK_EVERY:
                looked = time.monotonic()
                yield None
            if ready:
                data = os.read(pipe.fileno(), 1 << 20)
                if not data:
                    return
                *lines, rest = (rest + data).split(b"\n")
                yield from lines


def _message(line: bytes) -> dict[str, Any] | None:
    try:
        message = json.loads(line)
    except ValueError:
        return None
    return message if isinstance(message, dict) else None


def child() -> None:
    """The other side: set the limits, do the task, answer in one line of JSON."""
    import ctypes
    import importlib
    import resource

    job = json.loads(sys.stdin.readline())
    answers = os.fdopen(os.dup(1), "w")
    os.dup2(2, 1)  # what libraries print must not mix with the answer
    # End with the parent, however it ends.
    ctypes.CDLL(None).prctl(1, signal.SIGKILL)

    def cap(what: int, value: int, spare: int = 0) -> None:
        resource.setrlimit(what, (value, value + spare))

    cap(resource.RLIMIT_AS, job["memory"])
    cap(resource.RLIMIT_CPU, int(job["seconds"]) + 1, SPARE)
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
