"""How hot loops are compiled: one way for all of them.

Without the interpreter's lock, so that frames are worked on in threads, one thread a frame; without threads of the
compiler's own, which neither forking nor two callers at once would survive. Compiled code is kept on disk
(NUMBA_CACHE_DIR), so that only the very first start waits for the compiler.
"""

from __future__ import annotations

import ctypes
import functools
import os
from collections.abc import Callable
from typing import Any

# Packs the four channels of a pixel into one instruction; read when Numba is first imported.
os.environ.setdefault("NUMBA_SLP_VECTORIZE", "1")

_GIBIBYTE = 1 << 30


def keep_freed_memory() -> None:
    """Let this process keep the memory of pictures it is done with, for the next ones.

    The C library hands large blocks back to the system at once, and every new picture would be paid for page by page: a
    fifth of a frame's time. Called once, by the processes that render.
    """
    libc = ctypes.CDLL(None)
    if hasattr(libc, "mallopt"):  # glibc: M_MMAP_THRESHOLD is -3, M_TRIM_THRESHOLD -1, M_ARENA_MAX -8
        libc.mallopt(-3, _GIBIBYTE)
        libc.mallopt(-1, _GIBIBYTE)
        libc.mallopt(-8, 1)  # an arena of a thread's own holds no large picture


def one_thread_a_frame() -> None:
    """Have OpenCV work without threads of its own: frames are worked on side by side, and its threads would only wait
    for each other. Called once, by processes that work through many frames."""
    import cv2

    cv2.setNumThreads(1)


def compiled(function: Callable[..., Any]) -> Callable[..., Any]:
    """Compile a loop over arrays on its first call. It may call no other one.

    Numba itself is imported then, too: it takes seconds, and most processes never run a loop.
    """

    @functools.cache
    def loop() -> Callable[..., Any]:
        from numba import njit

        made: Callable[..., Any] = njit(nogil=True, fastmath=True, cache=True)(function)
        return made

    @functools.wraps(function)
    def call(*arguments: Any) -> Any:
        return loop()(*arguments)

    return call
