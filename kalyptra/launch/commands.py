"""What `bin/kalyptra` can do. Everything that needs installed packages runs in the environment's Python."""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import os
import secrets
import signal
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

from kalyptra.launch import entry, environment, system
from kalyptra.launch.cluster import Cluster
from kalyptra.launch.paths import LOCAL, PYTHON, ROOT, CannotGoOn, make_local
from kalyptra.launch.supervise import Child, Supervisor, free_web_port

HELP = """Kalyptra: shallow depth of field for flat footage.

  bin/kalyptra start              set up what is missing, start everything, print the address
  bin/kalyptra stop               stop what `start` started
  bin/kalyptra test [LABEL ...]   set up what is missing, run the checks and the tests
  bin/kalyptra bench [NAME ...]   measure speed and quality, side by side; --json FILE keeps the figures
  bin/kalyptra trial NAME ...     try a whole instance hard: kills, files, disk, api, load; loopback only, bounded
  bin/kalyptra follow CLIP ...    outlines or mattes followed over a clip; no web, no database (--help says all)
  bin/kalyptra people CLIP ...    people found in a clip; no web, no database, nothing uploaded
  bin/kalyptra plate CLIP ...     what lies behind a subject, from the other frames; no web, no database
  bin/kalyptra still PICTURE ...  one picture through the lens; no web, no database (--help says all)
  bin/kalyptra render SETUP ...   render a setup file, or a shot of the database by its number
  bin/kalyptra shots              make docs/screenshots anew from the demo project
  bin/kalyptra manage ...         Django's own commands, with the database up
"""

WORKERS = 1


def main(words: list[str]) -> int:
    command, rest = (words[0], words[1:]) if words else ("help", [])
    actions = {
        "start": lambda: start(),
        "stop": lambda: stop(),
        "test": lambda: test(rest),
        "manage": lambda: manage(rest),
        "shots": lambda: manage(["screenshots", *rest], dev=True),
        "render": lambda: render(rest),
        "still": lambda: shell("still", rest),
        "follow": lambda: shell("follow", rest),
        "people": lambda: shell("people", rest),
        "plate": lambda: shell("plate", rest),
        "bench": lambda: shell("bench", rest, dev=True),
        "trial": lambda: trial(rest),
    }
    if command not in actions:
        print(HELP)
        return 0 if command in ("help", "-h", "--help") else 2
    try:
        return actions[command]()
    except CannotGoOn as reason:
        print(reason, file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 130


def settings_environment(database: str | None) -> dict[str, str]:
    """The environment variables that Django's settings and the core read."""
    secret = LOCAL / "secret-key"
    if not secret.exists():
        make_local()
        secret.touch(mode=0o600)
        secret.write_text(secrets.token_urlsafe(48))
    env = {
        **os.environ,
        "PYTHONPATH": str(ROOT),
        "KALYPTRA_DATA": str(LOCAL),
        "DJANGO_SETTINGS_MODULE": "kalyptra.config.settings",
        "KALYPTRA_SECRET_KEY": secret.read_text(),
        "NUMBA_CACHE_DIR": os.environ.get("NUMBA_CACHE_DIR", str(LOCAL / "compiled")),
        "PYTHONPYCACHEPREFIX": os.environ.get("PYTHONPYCACHEPREFIX", str(LOCAL / "bytecode")),
    }
    # Whoever asks Python to write no bytecode wants none beside the sources. Without any, each process translates some
    # two thousand modules anew, which is half of the time that it takes to start.
    env.pop("PYTHONDONTWRITEBYTECODE", None)
    if database:
        env["KALYPTRA_DATABASE_URL"] = database
    return env


@contextlib.contextmanager
def database(purpose: str = "main") -> Iterator[str]:
    """The cluster, up; the last command that uses it stops it."""
    cluster = Cluster(purpose)
    with cluster.used():
        yield cluster.url


def start() -> int:
    make_local()
    with open(LOCAL / "start.lock", "a+") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            last = LOCAL / "web.port"
            running_at = last.read_text() if last.exists() else "?"
            print(f"Kalyptra already runs from this folder: {_way_in(running_at)}")
            return 0
        lock.truncate(0)
        lock.write(str(os.getpid()))
        lock.flush()
        system.need(["python3-venv", "postgresql"])
        environment.make()
        signal.signal(signal.SIGTERM, _interrupt)
        with database() as url:
            env = settings_environment(url)
            prepare(env)
            compile_loops(env)
            port = free_web_port()
            supervisor = Supervisor(env, _children(port), Cluster())
            supervisor.run(f"http://127.0.0.1:{port}/", lambda: _announce(port))
            print("Stopped.")
    return 0


def _announce(port: int) -> None:
    print(f"\nKalyptra: {_way_in(port)}\nCtrl-C stops it. Logs: {LOCAL / 'logs'}\n", flush=True)


def _way_in(port: int | str) -> str:
    """The address to open. It carries a token that enters the demo once; signing in needs none."""
    return f"http://127.0.0.1:{port}/sign-in/?enter={entry.issue(LOCAL / 'entry')}"


def compile_loops(env: dict[str, str]) -> None:
    """Compile the core's loops where its code is another than last time, so that no picture waits for it."""
    digest = hashlib.sha256((ROOT / "requirements.lock").read_bytes())
    for file in sorted(ROOT.glob("kalyptra/core/**/*.py")):
        if "tests" not in file.parts:
            digest.update(file.read_bytes())
    compiled = Path(env["NUMBA_CACHE_DIR"])
    compiled.mkdir(parents=True, exist_ok=True)
    stamp = compiled / "compiled-from"
    wanted = f"{ROOT} {digest.hexdigest()}"
    if not stamp.exists() or stamp.read_text() != wanted:
        command = [str(PYTHON), "-m", "kalyptra.shell.warm"]
        if subprocess.run(command, cwd=ROOT, env=env).returncode:
            raise CannotGoOn("The picture's loops could not be compiled; see above.")
        stamp.write_text(wanted)


def prepare(env: dict[str, str]) -> None:
    """Migrate and load the demo, where a migration, the demo or the database is another than last time."""
    files = [*ROOT.glob("kalyptra/*/migrations/*.py"), ROOT / "requirements.lock", *ROOT.glob("demo/*.json")]
    digest = hashlib.sha256(Cluster().password_file.read_bytes())
    for file in sorted(files):
        digest.update(file.read_bytes())
    stamp = LOCAL / "prepared"
    if not stamp.exists() or stamp.read_text() != digest.hexdigest():
        _django(["prepare"], env)
        stamp.write_text(digest.hexdigest())


def _interrupt(*_: object) -> None:
    raise KeyboardInterrupt


def _children(port: int) -> list[Child]:
    web = [str(PYTHON), "-m", "gunicorn", "kalyptra.config.wsgi:application", "--bind", f"127.0.0.1:{port}"]
    web += ["--config", str(ROOT / "kalyptra" / "config" / "gunicorn.py"), "--no-control-socket"]
    worker = [str(PYTHON), str(ROOT / "manage.py"), "worker"]
    return [Child("web", web)] + [Child(f"worker-{n + 1}", worker) for n in range(WORKERS)]


def stop() -> int:
    held = LOCAL / "start.lock"
    if held.exists():
        with open(held, "r+") as lock:
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                os.kill(int(lock.read()), signal.SIGTERM)
                fcntl.flock(lock, fcntl.LOCK_EX)  # released when it has ended
                print("Stopped.")
                return 0
    Cluster().stop()
    print("Kalyptra was not running.")
    return 0


def test(labels: list[str]) -> int:
    system.need(["python3-venv", "postgresql", "chromium-headless-shell"])
    environment.make(dev=True)
    with database("tests") as url:
        env = settings_environment(url)
        compile_loops(env)
        return subprocess.run([str(PYTHON), "-m", "kalyptra.shell.check", *labels], cwd=ROOT, env=env).returncode


def trial(words: list[str]) -> int:
    """An instance of its own is started, tried and taken away; this clone's data is not touched."""
    system.need(["python3-venv", "postgresql"])
    environment.make(dev=True)
    env = settings_environment(None)
    compile_loops(env)
    return subprocess.run([str(PYTHON), "-m", "kalyptra.shell.trial", *words], cwd=ROOT, env=env).returncode


def manage(words: list[str], dev: bool = False) -> int:
    system.need(["postgresql", "chromium-headless-shell"] if dev else ["postgresql"])
    environment.make(dev)
    with database() as url:
        return _django(words, settings_environment(url), check=False)


def render(words: list[str]) -> int:
    """A shot's number needs the database, a setup file does not."""
    if words and words[0].isdigit():
        return manage(["render_shot", *words])
    return shell("render", words)


def shell(module: str, words: list[str], dev: bool = False) -> int:
    environment.make(dev)
    command = [str(PYTHON), "-m", f"kalyptra.shell.{module}", *words]
    # Not cwd=ROOT: paths on the command line are the caller's.
    return subprocess.run(command, env=settings_environment(None)).returncode


def _django(words: list[str], env: dict[str, str], check: bool = True) -> int:
    code = subprocess.run([str(PYTHON), str(ROOT / "manage.py"), *words], cwd=ROOT, env=env).returncode
    if check and code:
        raise CannotGoOn(f"`manage.py {' '.join(words)}` failed; see above.")
    return code
