"""How hot loops are compiled: one way for all of them.

Without the interpreter's lock, so that frames are worked on in threads, one thread a frame; without threads of the
compiler's own, which neither forking nor two callers at once would survive. Compiled code is kept on disk
(NUMBA_CACHE_DIR), so that only the very first start waits for the compiler.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import Any

# Packs the four channels of a pixel into one instruction; read when Numba is first imported.
os.environ.setdefault("NUMBA_SLP_VECTORIZE", "1")

from numba import njit


def compiled(function: Callable[..., Any]) -> Callable[..., Any]:
    """Compile a loop over arrays on its first call."""
    loop: Callable[..., Any] = njit(nogil=True, fastmath=True, cache=True)(function)
    return loop
