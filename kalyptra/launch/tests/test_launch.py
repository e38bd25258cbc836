"""Setting up: a private database that comes and goes, clear words where something is missing, and processes kept up."""

from __future__ import annotations

import contextlib
import io
import itertools
import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path
from unittest import TestCase, mock

import psycopg

from kalyptra.launch import cluster, commands, supervise, system
from kalyptra.launch.paths import CannotGoOn


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

    def check_life(self, server: cluster.Cluster) -> None:
        self.addCleanup(server.stop)
        self.assertTrue(server.start())
        self.assertFalse(server.start())  # runs already
        with psycopg.connect(server.url) as connection:
            connection.execute("create table kept (what text)")
            connection.execute("insert into kept values ('lantern')")
            address = connection.execute("show listen_addresses").fetchone()
        self.assertEqual(address, ("127.0.0.1",))
        server.stop()
        with self.assertRaises(psycopg.OperationalError):
            psycopg.connect(server.url, connect_timeout=2)
        self.assertTrue(server.start())
        with psycopg.connect(server.url) as connection:
            self.assertEqual(connection.execute("select what from kept").fetchone(), ("lantern",))

    def test_it_starts_is_reused_stops_and_keeps_its_data(self) -> None:
        self.folder.chmod(0o711)
        self.check_life(cluster.Cluster())
        self.assertEqual(cluster.Cluster().password_file.stat().st_mode & 0o777, 0o600)

    def test_of_two_commands_at_once_the_last_stops_it(self) -> None:
        self.addCleanup(cluster.Cluster().stop)
        first, second = contextlib.ExitStack(), contextlib.ExitStack()
        url = first.enter_context(commands.database())
        second.enter_context(commands.database())
        first.close()
        psycopg.connect(url, connect_timeout=5).close()
        second.close()
        with self.assertRaises(psycopg.OperationalError):
            psycopg.connect(url, connect_timeout=2)

    def test_a_folder_that_the_database_account_cannot_enter_will_do(self) -> None:
        self.folder.chmod(0o700)
        server = cluster.Cluster()
        self.check_life(server)
        if os.geteuid() == 0:
            self.assertTrue(str(server._data()).startswith("/var/lib/kalyptra-"))
            self.addCleanup(lambda: subprocess.run(["rm", "-r", str(server._data().parent)], check=True))

    def test_another_server_on_its_port_is_left_alone(self) -> None:
        self.folder.chmod(0o711)
        server = cluster.Cluster()
        self.addCleanup(server.stop)
        server.start()
        server.stop()
        with socket.socket() as taken:
            taken.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            taken.bind(("127.0.0.1", int(server.port_file.read_text())))
            taken.listen()
            self.assertTrue(server.start())
            psycopg.connect(server.url).close()

    def test_a_server_that_was_killed_comes_up_again(self) -> None:
        self.folder.chmod(0o711)
        server = cluster.Cluster()
        self.addCleanup(server.stop)
        server.start()
        os.kill(int((server._data() / "postmaster.pid").read_text().split()[0]), signal.SIGKILL)
        time.sleep(0.3)
        server.start()
        psycopg.connect(server.url).close()

    def kept(self, server: cluster.Cluster) -> str:
        """What a table that was written first says now."""
        with psycopg.connect(server.url) as connection:
            connection.execute("create table if not exists kept (what text)")
            row = connection.execute("select what from kept").fetchone()
            if row is None:
                connection.execute("insert into kept values ('lantern')")
        return row[0] if row else "nothing"

    def test_no_missing_file_costs_the_data(self) -> None:
        self.folder.chmod(0o711)
        server = cluster.Cluster()
        self.addCleanup(server.stop)
        server.start()
        self.assertEqual(self.kept(server), "nothing")
        server.port_file.unlink()
        self.assertFalse(server.start())  # it runs: its port is learned from itself
        self.assertEqual(self.kept(server), "lantern")
        server.stop()
        server.port_file.unlink()
        self.assertTrue(server.start())
        self.assertEqual(self.kept(server), "lantern")
        password = server.password_file.read_text()
        server.password_file.unlink()
        with self.assertRaisesRegex(CannotGoOn, "is gone. Nothing was changed"):
            server.start()
        server.stop()
        self.assertTrue(server.start())
        self.assertEqual(self.kept(server), "lantern")
        self.assertNotEqual(server.password_file.read_text(), password)
        self.assertEqual(server.password_file.stat().st_mode & 0o777, 0o600)
        server.stop()
        version = server._data() / "PG_VERSION"
        release = version.read_text()
        version.write_text("9\n")
        with self.assertRaisesRegex(CannotGoOn, "made by PostgreSQL 9; .* Nothing was changed"):
            server.start()
        version.write_text(release)
        self.assertTrue(server.start())
        self.assertEqual(self.kept(server), "lantern")

    def test_a_folder_that_holds_something_else_is_refused(self) -> None:
        self.folder.chmod(0o711)
        other = self.folder / "database-main" / "letters.txt"
        other.parent.mkdir()
        other.write_text("dear lamplighter")
        with self.assertRaisesRegex(CannotGoOn, "what lies there is none"):
            cluster.Cluster().start()
        self.assertEqual(other.read_text(), "dear lamplighter")

    def test_no_code_removes_a_folder_tree(self) -> None:
        self.assertNotIn("rmtree", Path(cluster.__file__).read_text())

    def test_two_data_folders_of_one_clone_have_a_place_each(self) -> None:
        places = []
        for name in ("one", "two"):
            folder = self.folder / name
            folder.mkdir(mode=0o700)
            with mock.patch.object(cluster, "LOCAL", folder), mock.patch.object(cluster, "_server_account", lambda: mock.Mock(pw_name="postgres")), mock.patch.object(cluster, "_as_server", lambda command: mock.Mock(returncode=1)):  # fmt: skip
                places.append(cluster.Cluster()._data())
        self.assertEqual(len(set(places)), 2)
        self.assertTrue(all(str(place).startswith("/var/lib/kalyptra-") for place in places))

    def test_a_database_that_ends_is_brought_back_by_the_supervisor(self) -> None:
        self.folder.chmod(0o711)
        server = cluster.Cluster()
        self.addCleanup(server.stop)
        server.start()
        self.kept(server)
        port = server.port_file.read_text()
        keeper = supervise.Supervisor(dict(os.environ), [], server)
        os.kill(int((server._data() / "postmaster.pid").read_text().split()[0]), signal.SIGKILL)
        end, back = time.monotonic() + 60, False
        while not back and time.monotonic() < end:
            time.sleep(0.1)
            keeper._keep_database()
            back = server._answers(0)
        self.assertEqual((self.kept(server), server.port_file.read_text()), ("lantern", port))


class Missing(TestCase):
    def test_an_ordinary_user_is_told_the_exact_command(self) -> None:
        missing = {**system.CHECKS, "postgresql": lambda: False}
        self.enterContext(mock.patch.object(system, "CHECKS", missing))
        self.enterContext(mock.patch.object(os, "geteuid", lambda: 1000))
        with self.assertRaises(CannotGoOn) as told:
            system.need(["python3-venv", "postgresql"])
        self.assertIn("apt-get install --no-install-recommends -y postgresql\n", str(told.exception))
        self.assertIn("Nothing was changed", str(told.exception))

    def test_an_unknown_command_shows_the_help(self) -> None:
        done = subprocess.run(
            [sys.executable, "bin/kalyptra", "dance"], cwd=commands.ROOT, capture_output=True, text=True
        )
        self.assertEqual(done.returncode, 2)
        self.assertIn("bin/kalyptra start", done.stdout)


class Bytecode(TestCase):
    def test_a_module_is_translated_once_also_for_who_wants_no_bytecode_beside_the_sources(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder, asked = Path(name), {"PYTHONDONTWRITEBYTECODE": "1"}
            (folder / "lamp.py").write_text("lit = True\n")
            with mock.patch.dict(os.environ, asked), mock.patch.object(commands, "LOCAL", folder):
                os.environ.pop("PYTHONPYCACHEPREFIX", None)
                (folder / "secret-key").write_text("made up")
                env = {**commands.settings_environment(None), "PYTHONPATH": name}
            subprocess.run([sys.executable, "-c", "import lamp"], env=env, check=True)
            self.assertTrue(list((folder / "bytecode").rglob("lamp.*.pyc")))
            self.assertEqual(list(folder.glob("__pycache__")), [])


class Supervising(TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.enterContext(mock.patch.object(supervise, "LOGS", Path(held.name)))

    def test_a_child_that_dies_is_started_again_and_all_end_together(self) -> None:
        sleeper = supervise.Child("sleeper", [sys.executable, "-c", "import time; time.sleep(60)"])
        keeper = supervise.Supervisor(dict(os.environ), [sleeper])
        sleeper.start(keeper.env)
        first = sleeper.process
        assert first
        first.kill()
        first.wait()
        keeper._revive()
        second = sleeper.process
        assert second and second.pid != first.pid
        self.assertIsNone(second.poll())
        keeper.end()
        self.assertIsNotNone(second.poll())

    def test_a_child_that_cannot_start_ends_it_with_its_log(self) -> None:
        broken = supervise.Child("broken", [sys.executable, "-c", "raise SystemExit('no lamp oil')"])
        keeper = supervise.Supervisor(dict(os.environ), [broken])
        broken.start(keeper.env)
        with self.assertRaisesRegex(CannotGoOn, "no lamp oil"):
            for _ in range(200):
                keeper._revive()
                time.sleep(0.05)

    def test_a_child_that_keeps_dying_when_all_was_up_is_started_again_and_again_more_slowly(self) -> None:
        broken = supervise.Child("broken", [sys.executable, "-c", "raise SystemExit(1)"])
        keeper = supervise.Supervisor(dict(os.environ), [broken], up=True)
        starts, end = [], time.monotonic() + 60
        broken.start(keeper.env)
        while len(starts) < 5 and time.monotonic() < end:
            if not starts or broken.started != starts[-1]:
                starts.append(broken.started)
            keeper._revive()
            time.sleep(0.02)
        pauses = [b - a for a, b in itertools.pairwise(starts)]
        self.assertEqual(len(starts), 5)
        self.assertGreater(pauses[-1], pauses[0])

    def test_the_address_is_told_when_the_page_answers_and_not_before(self) -> None:
        port = supervise.socket.create_server(("127.0.0.1", 0)).getsockname()[1]
        page = "import time,http.server,sys; time.sleep(1.5); http.server.HTTPServer(('127.0.0.1', int(sys.argv[1])), type('H', (http.server.BaseHTTPRequestHandler,), {'do_GET': lambda s: (s.send_response(200), s.end_headers())})).serve_forever()"
        keeper = supervise.Supervisor(
            dict(os.environ), [supervise.Child("page", [sys.executable, "-c", page, str(port)])]
        )
        answered: list[int] = []

        def told() -> None:
            with urllib.request.urlopen(f"http://127.0.0.1:{port}/", timeout=60) as answer:
                answered.append(answer.status)
            keeper.stopping = True

        with mock.patch.object(supervise.signal, "signal"):
            keeper.run(f"http://127.0.0.1:{port}/", told)
        self.assertEqual(answered, [200])

    def test_a_child_that_ignores_the_polite_word_is_killed(self) -> None:
        stubborn = supervise.Child(
            "stubborn",
            [sys.executable, "-uc", "import signal, time; signal.signal(15, 1); print('deaf'); time.sleep(900)"],
        )
        keeper = supervise.Supervisor(dict(os.environ), [stubborn])
        stubborn.start(keeper.env)
        while "deaf" not in (supervise.LOGS / "stubborn.log").read_text():
            time.sleep(0.05)
        with mock.patch.object(supervise, "PATIENCE", 1.0), contextlib.redirect_stdout(io.StringIO()) as printed:
            keeper.end()
        self.assertEqual(printed.getvalue(), f"The stubborn process {supervise.CUT_OFF}\n")
        assert stubborn.process
        self.assertEqual(stubborn.process.wait(60), -signal.SIGKILL)
