"""Render a setup file without the web and the database.

bin/kalyptra render SETUP.json --source CLIP -o OUT.mp4 [--first N] [--last N] [--rate 25]
    [--store FOLDER]
"""

from __future__ import annotations

import argparse
import os
import sys
import tempfile
from fractions import Fraction
from pathlib import Path

from kalyptra.core import (
    FolderStore,
    GuardedFailure,
    NotFootage,
    Rate,
    RenderJob,
    SetupError,
    pictures_needed,
    probe,
    read_setup,
    render_to_file,
)


def main(words: list[str] | None = None) -> int:
    p = argparse.ArgumentParser(prog="bin/kalyptra render", description="Render a setup file.")
    p.add_argument("setup", type=Path, help="a setup, as the bench hands it out")
    p.add_argument("--source", type=Path, required=True, help="the clip, still or ZIP of pictures")
    p.add_argument("--first", type=int, help="first frame; the setup's own without it")
    p.add_argument("--last", type=int, help="last frame; the setup's own without it")
    p.add_argument("--rate", type=Fraction, default=Fraction(25), help="frames/s of stills and sequences")
    p.add_argument("--store", type=Path, help="folder of stored mattes and plates; this clone's own without it")
    p.add_argument("-o", "--output", type=Path, required=True)
    options = p.parse_args(words)
    try:
        setup = read_setup(options.setup.read_bytes())
        facts = probe(options.source, Rate.of(options.rate))
        first = setup.footage.first if options.first is None else options.first
        last = min(setup.footage.last, facts.frames - 1) if options.last is None else options.last
        if not 0 <= first <= last < facts.frames:
            raise SetupError(f"frames {first} to {last} are no range of this clip of {facts.frames} frames")
        store = options.store or Path(os.environ.get("KALYPTRA_DATA", ".")) / "media" / "kept"
        lost = [name for name in pictures_needed(setup, first, last) if not FolderStore(store).has(name)]
        if lost:
            raise SetupError(f"{len(lost)} mattes or plates that it names are not in {store}; say --store FOLDER")
        job = RenderJob(setup, options.source, facts, first, last, store)
        with tempfile.TemporaryDirectory(dir=options.output.resolve().parent, prefix=".kalyptra-") as folder:
            sound = render_to_file(job, Path(folder), options.output.resolve(), _say)
    except (SetupError, NotFootage, GuardedFailure, OSError) as error:
        print(f"\nkalyptra render: {error}", file=sys.stderr)
        return 1
    print(f"\n{options.output}: {job.frames} frames. {sound}")
    return 0


def _say(done: int, rate: float) -> bool:
    print(f"\r{done} frames, {rate:.1f} frames/s", end="", flush=True)
    return True


if __name__ == "__main__":
    sys.exit(main())
