"""Work on untrusted media is fenced in: what it raises, takes too much of, or dies of stays there and comes back in words."""

from __future__ import annotations

import os
import socket
import subprocess
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any
from unittest import TestCase

from kalyptra.core.clip.guarded import GuardedFailure, Limits, run_guarded

HERE = "kalyptra.core.tests.test_guarded:"


def double(number: int) -> int:
    return 2 * number


def server() -> int:
    return os.getppid()


def complain() -> None:
    raise KeyError("no such lantern")


def hoard() -> int:
    return len(bytearray(6 << 30))


def spin() -> None:
    while True:
        pass


def vanish() -> None:
    os._exit(3)


def cut_off(report: Callable[..., Any]) -> None:
    report(done=1)
    for descriptor in map(int, os.listdir("/proc/self/fd")):
        if descriptor > 2 and os.readlink(f"/proc/self/fd/{descriptor}").startswith("pipe:"):  # noqa: PTH115
            os.write(descriptor, b'{"report": {"done": 2')
    os.kill(os.getpid(), 9)


def scribble(path: str) -> str:
    with Path(path).open("wb") as file:
        try:
            file.write(b"x" * 100_000)
            file.flush()
        except OSError as error:
            return type(error).__name__
    return "written"


def call_out() -> str:
    try:
        socket.create_connection(("127.0.0.1", 9), timeout=2)
    except OSError as error:
        return type(error).__name__
    return "connected"


def look_into_the_server() -> str:
    try:
        Path(f"/proc/{os.getppid()}/environ").read_bytes()
    except OSError as error:
        return type(error).__name__
    return "read"


def count(report: Callable[..., Any]) -> str:
    for i in range(1000):
        report(done=i)
        time.sleep(0.01)
    return "counted"


class Guarded(TestCase):
    def fails(self, task: str, limits: Limits, **arguments: Any) -> str:
        with self.assertRaises(GuardedFailure) as failed:
            run_guarded(HERE + task, arguments, limits)
        return failed.exception.kind

    def test_answers_come_back(self) -> None:
        self.assertEqual(run_guarded(HERE + "double", {"number": 21}, Limits()), 42)

    def test_failures_come_back_by_kind(self) -> None:
        self.assertEqual(self.fails("complain", Limits()), "KeyError")
        self.assertEqual(self.fails("hoard", Limits(memory=2 << 30)), "memory")
        self.assertEqual(self.fails("vanish", Limits()), "killed")
        self.assertEqual(self.fails("spin", Limits(seconds=1)), "time")
        # A kill in the middle of a line: what is cut off is no answer.
        self.assertEqual(self.fails("cut_off", Limits()), "killed")

    def test_it_writes_no_more_than_it_may(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            path = str(Path(name) / "file")
            self.assertEqual(run_guarded(HERE + "scribble", {"path": path}, Limits(file_size=10)), "OSError")
            self.assertEqual(run_guarded(HERE + "scribble", {"path": path}, Limits(file_size=1 << 20)), "written")

    def test_it_has_no_network_and_sees_no_other_process_where_the_kernel_can_take_that_away(self) -> None:
        if subprocess.run(["unshare", "--user", "--net", "true"], capture_output=True).returncode:
            self.skipTest("this kernel gives no name spaces to ordinary processes")
        with socket.socket() as listening:
            listening.bind(("127.0.0.1", 0))
            self.assertEqual(run_guarded(HERE + "call_out", {}, Limits()), "OSError")
        self.assertEqual(run_guarded(HERE + "look_into_the_server", {}, Limits()), "PermissionError")

    def test_it_stops_when_it_is_told_to(self) -> None:
        seen: list[int] = []
        with self.assertRaises(GuardedFailure) as stopped:
            run_guarded(HERE + "count", {}, Limits(), lambda report: seen.append(report["done"]) or len(seen) < 5)  # type: ignore[func-returns-value]
        self.assertEqual((stopped.exception.kind, seen), ("cancelled", [0, 1, 2, 3, 4]))

    def test_it_stops_though_it_reports_nothing(self) -> None:
        end = time.monotonic() + 1
        with self.assertRaises(GuardedFailure) as stopped:
            run_guarded(HERE + "spin", {}, Limits(seconds=60), go_on=lambda: time.monotonic() < end)
        self.assertEqual(stopped.exception.kind, "cancelled")

    def test_when_the_server_is_ended_its_work_ends_and_the_next_has_another(self) -> None:
        first = run_guarded(HERE + "server", {}, Limits())

        def kill() -> bool:
            os.kill(first, 9)
            return True

        with self.assertRaises(GuardedFailure) as ended:
            run_guarded(HERE + "spin", {}, Limits(seconds=60), go_on=kill)
        self.assertEqual(ended.exception.kind, "killed")
        self.assertNotEqual(run_guarded(HERE + "server", {}, Limits()), first)

    def test_many_threads_have_work_done_at_once(self) -> None:
        with ThreadPoolExecutor(8) as pool:
            answers = pool.map(lambda number: run_guarded(HERE + "double", {"number": number}, Limits()), range(40))
        self.assertEqual(list(answers), [2 * number for number in range(40)])
