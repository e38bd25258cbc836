"""Compile the core's loops, saying how far it is; run once by `start` and `test`, whenever the core's code changed."""

from __future__ import annotations

import sys
import time
from concurrent.futures import ProcessPoolExecutor, as_completed

from kalyptra.core import warm_step, warm_steps


def main() -> int:
    started = time.monotonic()
    print("Compiling the picture's loops (once, about half a minute)", flush=True)
    with ProcessPoolExecutor(2) as pool:  # the compiler uses one processor
        steps = {pool.submit(warm_step, name): name for name in warm_steps()}
        for done, step in enumerate(as_completed(steps), start=1):
            step.result()
            print(f"  {done} of {len(steps)}: {steps[step]}, {time.monotonic() - started:.0f} s", flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main())
