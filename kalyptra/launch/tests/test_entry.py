"""A token lets its bearer in once, and its file tells nobody what it is."""

from __future__ import annotations

import os
import tempfile
import threading
import time
from pathlib import Path
from unittest import TestCase, mock

from kalyptra.launch import commands, entry, supervise


class Tokens(TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name) / "entry"

    def test_a_token_is_known_until_it_is_taken_and_is_taken_once_whoever_tries(self) -> None:
        token = entry.issue(self.folder)
        self.assertTrue(entry.known(self.folder, token))
        together, said = threading.Barrier(8), list[bool]()

        def take() -> None:
            together.wait()
            said.append(entry.redeem(self.folder, token))

        threads = [threading.Thread(target=take) for _ in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(said.count(True), 1)
        self.assertFalse(entry.known(self.folder, token))

    def test_the_folder_holds_no_token_and_is_for_its_owner_alone(self) -> None:
        token = entry.issue(self.folder)
        (path,) = self.folder.iterdir()
        self.assertNotIn(token, path.name)
        self.assertEqual(path.read_bytes(), b"")
        self.assertEqual((self.folder.stat().st_mode & 0o777, path.stat().st_mode & 0o777), (0o700, 0o600))

    def test_old_tokens_are_worth_nothing_and_go_when_a_new_one_is_made(self) -> None:
        old = entry.issue(self.folder)
        (path,) = self.folder.iterdir()
        stamp = time.time() - entry.VALID_FOR - 1
        os.utime(path, (stamp, stamp))
        self.assertFalse(entry.redeem(self.folder, old))
        entry.issue(self.folder)
        self.assertFalse(path.exists())

    def test_what_is_no_token_is_not_taken_whatever_it_is(self) -> None:
        entry.issue(self.folder)
        for guess in ("", "x", "../entry", "\0", "\ud800", "a" * 10_000):
            self.assertFalse(entry.redeem(self.folder, guess))
        self.assertEqual(len(list(self.folder.iterdir())), 1)


class Start(TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        self.enterContext(mock.patch.object(commands, "LOCAL", self.folder))
        self.enterContext(mock.patch.object(commands, "make_local", lambda: self.folder))

    def test_started_twice_it_prints_another_way_in(self) -> None:
        import fcntl
        import io
        from contextlib import redirect_stdout

        (self.folder / "web.port").write_text("8699")
        out = io.StringIO()
        with (self.folder / "start.lock").open("a+") as held, redirect_stdout(out):
            fcntl.flock(held, fcntl.LOCK_EX)
            self.assertEqual((commands.start(), commands.start()), (0, 0))
        lines = out.getvalue().splitlines()
        tokens = [line.split("enter=")[1] for line in lines]
        self.assertEqual(len(set(tokens)), 2)
        self.assertTrue(all("http://127.0.0.1:8699/sign-in/?enter=" in line for line in lines))
        self.assertTrue(all(entry.known(self.folder / "entry", token) for token in tokens))

    def test_loops_are_compiled_when_the_code_is_another_and_not_again(self) -> None:
        ran: list[list[str]] = []

        def run(command: list[str], **_: object) -> mock.Mock:
            ran.append(command)
            return mock.Mock(returncode=0)

        env = {"NUMBA_CACHE_DIR": str(self.folder / "compiled")}
        with mock.patch.object(commands.subprocess, "run", run):
            commands.compile_loops(env)
            commands.compile_loops(env)
            self.assertEqual(len(ran), 1)
            commands.compile_loops({"NUMBA_CACHE_DIR": str(self.folder / "elsewhere")})
            self.assertEqual(len(ran), 2)
        with mock.patch.object(commands.subprocess, "run", lambda *_, **__: mock.Mock(returncode=1)), self.assertRaisesRegex(commands.CannotGoOn, "could not be compiled"):  # fmt: skip
            commands.compile_loops({"NUMBA_CACHE_DIR": str(self.folder / "a third")})
        self.assertFalse((self.folder / "a third" / "compiled-from").exists())

    def test_a_log_that_grew_large_is_put_aside(self) -> None:
        import sys

        with mock.patch.object(supervise, "LOGS", self.folder), mock.patch.object(supervise, "MOST_LOG", 100):
            child = supervise.Child("web", [sys.executable, "-c", "print('lamps lit')"])
            (self.folder / "web.log").write_text("x" * 200)
            child.start(dict(os.environ))
            assert child.process
            child.process.wait()
            self.assertEqual((self.folder / "web.log").read_text().strip(), "lamps lit")
            self.assertEqual((self.folder / "web.log.1").read_text(), "x" * 200)
