"""A process that guarded work is forked from, so that no piece of work waits a second for its libraries.

The server starts with the first piece of work of a process, imports the module that a task is in, forks, and has
nothing of its parent's but the pipes that it is handed. It never reads what is untrusted; only its children do, and
each of them is cut off from the network and from the other processes. It ends with its parent, or when nobody has asked
it for anything for a while.
"""

from __future__ import annotations

import contextlib
import ctypes
import importlib
import json
import os
import selectors
import signal
import socket
import subprocess
import sys
import threading
import traceback
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import IO

ROOT = Path(__file__).resolve().parents[3]
START = """
import sys, types
sys.path.insert(0, {root!r})
# The core's front would import all of it, which takes a second; the task imports what it needs.
core = sys.modules["kalyptra.core"] = types.ModuleType("kalyptra.core")
core.__path__ = [{core!r}]
from kalyptra.core.clip import fork_server, guarded
fork_server.serve(guarded.child)
"""
IDLE = 120.0
"""Seconds without work after which a server ends; its libraries take some hundred megabytes."""
NEW_USERS, NEW_NETWORK = 0x10000000, 0x40000000
"""Name spaces, from Linux's `sched.h`."""
PIPES = 4
"""What a piece of work is handed: its order, its answers, what it complains of, and the line that it lives by."""


@dataclass(frozen=True)
class Forked:
    """A process that was forked for a piece of work: where it answers and complains, and the line that it lives by."""

    answers: IO[bytes]
    complaints: IO[bytes]
    line: socket.socket

    def end(self) -> int:
        """End it, if it has not ended, and wait for it; its exit code, negative for a signal."""
        with contextlib.suppress(OSError):
            self.line.shutdown(socket.SHUT_WR)
        code = b""
        with contextlib.suppress(OSError):
            while more := self.line.recv(64):
                code += more
        self.answers.close()
        self.line.close()
        return int(code) if code else -signal.SIGKILL  # the server itself was ended, and all its children with it


class ForkServer:
    """The server of this process, as the process sees it; any thread may ask."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._owner = 0
        self._process: subprocess.Popen[bytes] | None = None
        self._control: socket.socket | None = None

    def fork(self, module: str, order: bytes) -> Forked:
        """Have a process forked, once the server has imported a module, and hand it an order.

        Raises:
            OSError: no process could be started.
        """
        order_read, order_write = os.pipe()
        answers_read, answers_write = os.pipe()
        complaints_read, complaints_write = os.pipe()
        ours, line = socket.socketpair()
        handed = [order_read, answers_write, complaints_write, line.fileno()]
        try:
            self._ask(module, handed)
        finally:
            for descriptor in handed[:3]:
                os.close(descriptor)
            line.close()
        with contextlib.suppress(BrokenPipeError), open(order_write, "wb") as pipe:
            pipe.write(order)
        return Forked(open(answers_read, "rb", buffering=0), open(complaints_read, "rb"), ours)

    def _ask(self, module: str, handed: list[int]) -> None:
        with self._lock:
            for fresh in (False, True):
                if fresh or self._process is None or self._owner != os.getpid():
                    self._start()
                assert self._control
                try:
                    socket.send_fds(self._control, [json.dumps({"module": module}).encode()], handed)
                    if self._control.recv(1):
                        return
                except OSError:
                    if fresh:
                        raise
            raise OSError("the server of guarded work does not start")

    def _start(self) -> None:
        if self._control:
            self._control.close()
        if self._process and self._owner == os.getpid():
            self._process.wait()
        ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        env = {"PATH": "/usr/bin:/bin", "LANG": "C.UTF-8", "OPENBLAS_NUM_THREADS": "1"}
        if "NUMBA_CACHE_DIR" in os.environ:
            env["NUMBA_CACHE_DIR"] = os.environ["NUMBA_CACHE_DIR"]
        # Isolated, it reads no variable that says where bytecode lies.
        bytecode = ["-X", f"pycache_prefix={sys.pycache_prefix}"] if sys.pycache_prefix else []
        start = START.format(root=str(ROOT), core=str(ROOT / "kalyptra" / "core"))
        command = [sys.executable, "-I", *bytecode, "-c", start]
        with theirs:
            self._process = subprocess.Popen(command, stdin=theirs.fileno(), stdout=subprocess.DEVNULL, env=env)
        self._control, self._owner = ours, os.getpid()


def serve(work: Callable[[], None]) -> None:
    """The server's own side: fork a process for each message on standard input, until there is nobody to send one.

    Args:
        work: what a forked process does; its order is on standard input.
    """
    control = socket.socket(fileno=os.dup(0))
    woken, wake = socket.socketpair()
    for end in (woken, wake):
        end.setblocking(False)
    signal.set_wakeup_fd(wake.fileno(), warn_on_full_buffer=False)
    signal.signal(signal.SIGCHLD, lambda *_: None)
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is for the parent, which ends its work in order
    lines: dict[int, socket.socket] = {}
    with selectors.DefaultSelector() as selector:
        selector.register(control, selectors.EVENT_READ)
        selector.register(woken, selectors.EVENT_READ)
        while True:
            ready = [key.fileobj for key, _ in selector.select(None if lines else IDLE)]
            if not ready and not lines:
                return
            if woken in ready:
                with contextlib.suppress(BlockingIOError):
                    while woken.recv(4096):
                        pass
            for pid, line in list(lines.items()):
                if line in ready:  # whoever ordered the work closed its line: it is to end
                    selector.unregister(line)
                    with contextlib.suppress(ProcessLookupError):
                        os.kill(pid, signal.SIGKILL)
                ended, status = os.waitpid(pid, os.WNOHANG)
                if ended:
                    if line.fileno() in selector.get_map():
                        selector.unregister(line)
                    with contextlib.suppress(OSError):
                        line.sendall(str(os.waitstatus_to_exitcode(status)).encode())
                    lines.pop(pid).close()
            if control in ready:
                message, handed, _, _ = socket.recv_fds(control, 4096, PIPES)
                if len(handed) != PIPES:
                    return
                # Where it cannot be imported, the work itself will say so.
                with contextlib.suppress(Exception):
                    importlib.import_module(json.loads(message)["module"])
                pid = os.fork()
                if not pid:
                    _become(handed[:3], work)
                control.sendall(b"+")
                lines[pid] = socket.socket(fileno=handed[3])
                selector.register(lines[pid], selectors.EVENT_READ)
                for descriptor in handed[:3]:
                    os.close(descriptor)


def _become(handed: list[int], work: Callable[[], None]) -> None:
    """The forked process: its own three pipes stay open; it has no network and cannot look into other processes, where
    the kernel allows that."""
    code = 1
    try:
        signal.set_wakeup_fd(-1)
        for which in (signal.SIGCHLD, signal.SIGINT):
            signal.signal(which, signal.SIG_DFL)
        for to, descriptor in enumerate(handed):
            os.dup2(descriptor, to)
        os.closerange(3, os.sysconf("SC_OPEN_MAX"))
        ctypes.CDLL(None).unshare(NEW_USERS | NEW_NETWORK)
        work()
        code = 0
    except BaseException:
        traceback.print_exc()
    finally:
        os._exit(code)
