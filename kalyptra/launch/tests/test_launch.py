"""Setting up: a private database that comes and goes, clear words where something is missing, and processes kept up."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from unittest import TestCase, mock

import psycopg

from kalyptra.launch import cluster, commands, supervise, system
from kalyptra.launch.paths import Stop


class Private(TestCase):
    """A cluster in a folder of its own, as a checkout somewhere else would have it."""

    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        for module in (cluster, commands):
            self.enterContext(mock.patch.object(module, "LOCAL", self.folder))
        self.enterContext(mock.patch.object(cluster, "ROOT", self.folder))
        self.enterContext(mock.patch.object(cluster, "make_local", lambda: self.folder))

    def check_life(self, one: cluster.Cluster) -> None:
        self.addCleanup(one.stop)
        self.assertTrue(one.start())
        self.assertFalse(one.start())  # runs already
        with psycopg.connect(one.url) as connection:
            connection.execute("create table kept (what text)")
            connection.execute("insert into kept values ('lantern')")
            address = connection.execute("show listen_addresses").fetchone()
        self.assertEqual(address, ("127.0.0.1",))
        one.stop()
        with self.assertRaises(psycopg.OperationalError):
            psycopg.connect(one.url, connect_timeout=2)
        self.assertTrue(one.start())
        with psycopg.connect(one.url) as connection:
            self.assertEqual(connection.execute("select what from kept").fetchone(), ("lantern",))

    def test_it_starts_is_reused_stops_and_keeps_its_data(self) -> None:
        self.folder.chmod(0o711)
        self.check_life(cluster.Cluster())
        self.assertEqual(cluster.Cluster().password_file.stat().st_mode & 0o777, 0o600)

    def test_a_folder_that_the_database_account_cannot_enter_will_do(self) -> None:
        self.folder.chmod(0o700)
        one = cluster.Cluster()
        self.check_life(one)
        if os.geteuid() == 0:
            self.assertTrue(str(one._data()).startswith("/var/lib/kalyptra-"))
            self.addCleanup(lambda: subprocess.run(["rm", "-r", str(one._data().parent)], check=True))

    def test_another_server_on_its_port_is_left_alone(self) -> None:
        self.folder.chmod(0o711)
        one = cluster.Cluster()
        self.addCleanup(one.stop)
        one.start()
        one.stop()
        with socket.socket() as taken:
            taken.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            taken.bind(("127.0.0.1", int(one.port_file.read_text())))
            taken.listen()
            self.assertTrue(one.start())
            psycopg.connect(one.url).close()

    def test_a_server_that_was_killed_comes_up_again(self) -> None:
        self.folder.chmod(0o711)
        one = cluster.Cluster()
        self.addCleanup(one.stop)
        one.start()
        os.kill(int((one._data() / "postmaster.pid").read_text().split()[0]), signal.SIGKILL)
        time.sleep(0.3)
        one.start()
        psycopg.connect(one.url).close()


class Missing(TestCase):
    def test_an_ordinary_user_is_told_the_exact_command(self) -> None:
        missing = {**system.CHECKS, "postgresql": lambda: False}
        self.enterContext(mock.patch.object(system, "CHECKS", missing))
        self.enterContext(mock.patch.object(os, "geteuid", lambda: 1000))
        with self.assertRaises(Stop) as told:
            system.need(["python3-venv", "postgresql"])
        self.assertIn("apt-get install --no-install-recommends -y postgresql\n", str(told.exception))
        self.assertIn("Nothing was changed", str(told.exception))

    def test_an_unknown_command_shows_the_help(self) -> None:
        done = subprocess.run(
            [sys.executable, "bin/kalyptra", "dance"], cwd=commands.ROOT, capture_output=True, text=True
        )
        self.assertEqual(done.returncode, 2)
        self.assertIn("bin/kalyptra start", done.stdout)


class Supervising(TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.enterContext(mock.patch.object(supervise, "LOGS", Path(held.name)))

    def test_a_child_that_dies_is_started_again_and_all_end_together(self) -> None:
        sleeper = supervise.Child("sleeper", [sys.executable, "-c", "import time; time.sleep(60)"])
        one = supervise.Supervisor(dict(os.environ), [sleeper])
        sleeper.start(one.env)
        first = sleeper.process
        assert first
        first.kill()
        first.wait()
        one._revive()
        second = sleeper.process
        assert second and second.pid != first.pid
        self.assertIsNone(second.poll())
        one.end()
        self.assertIsNotNone(second.poll())

    def test_a_child_that_cannot_start_ends_it_with_its_log(self) -> None:
        broken = supervise.Child("broken", [sys.executable, "-c", "raise SystemExit('no lamp oil')"])
        one = supervise.Supervisor(dict(os.environ), [broken])
        broken.start(one.env)
        with self.assertRaisesRegex(Stop, "no lamp oil"):
            for _ in range(200):
                one._revive()
                time.sleep(0.05)

    def test_a_child_that_ignores_the_polite_word_is_killed(self) -> None:
        stubborn = supervise.Child(
            "stubborn", [sys.executable, "-c", "import signal, time; signal.signal(15, signal.SIG_IGN); time.sleep(90)"]
        )
        one = supervise.Supervisor(dict(os.environ), [stubborn])
        stubborn.start(one.env)
        time.sleep(0.5)
        with mock.patch.object(supervise, "PATIENCE", 1.0):
            one.end()
        assert stubborn.process
        self.assertEqual(stubborn.process.wait(5), -signal.SIGKILL)
