"""Measure speed and quality, side by side in one run: `bin/kalyptra bench [NAME ...] [--json FILE]`."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path

from kalyptra.core import one_thread_a_frame
from kalyptra.shell.benches import (
    distance,
    edges,
    edit,
    export,
    finish,
    follow,
    lens,
    mattes,
    memory,
    motion,
    page,
    plate,
    preview,
    pull,
    quality,
    sources,
    space,
    varblur,
)
from kalyptra.shell.benches.figure import Figure

BENCHES = {
    "lens": lens.run,
    "quality": quality.run,
    "varblur": varblur.run,
    "preview": preview.run,
    "distance": distance.run,
    "pull": pull.run,
    "edit": edit.run,
    "finish": finish.run,
    "page": page.run,
    "follow": follow.run,
    "mattes": mattes.run,
    "plate": plate.run,
    "export": export.run,
    "memory": memory.run,
    "motion": motion.run,
    "edges": edges.run,
    "sources": sources.run,
    "space": space.run,
}


def main(words: list[str] | None = None) -> int:
    p = argparse.ArgumentParser(prog="bin/kalyptra bench", description="Measure speed and quality.")
    p.add_argument("names", nargs="*", metavar="NAME", help=f"of {', '.join(BENCHES)}; all without one")
    p.add_argument("--json", type=Path, help="also keep the figures in a file")
    options = p.parse_args(words)
    unknown = set(options.names) - set(BENCHES)
    if unknown:
        p.error(f"no such bench: {', '.join(sorted(unknown))}")
    one_thread_a_frame()
    figures: list[Figure] = []
    for name in options.names or BENCHES:
        print(f"\n{name}")
        for figure in BENCHES[name]():
            print(figure.line(), flush=True)
            figures.append(figure)
    if options.json:
        options.json.write_text(json.dumps([figure.as_dict() for figure in figures], indent=1) + "\n")
    return 0


if __name__ == "__main__":
    sys.exit(main())
