"""Compile the core's loops, saying how far it is; run once by `start` and `test`, whenever the core's code changed."""

from __future__ import annotations

import sys
import time

from kalyptra.core import warm_up


def main() -> int:
    started = time.monotonic()
    print("Compiling the picture's loops (once, about half a minute)", flush=True)
    warm_up(lambda done, of, name: print(f"  {done} of {of}: {name}, {time.monotonic() - started:.0f} s", flush=True))
    return 0


if __name__ == "__main__":
    sys.exit(main())
