"""Find people in a clip, from file to files: no web, no database, nothing uploaded.

bin/kalyptra people CLIP [--range A:B] -o FOLDER
"""

from __future__ import annotations

import sys
from pathlib import Path

from kalyptra.core import FrameUnreadable, NotFootage, one_thread_a_frame
from kalyptra.shell.clip_input import BadInput, clip_parser, read_facts, read_range
from kalyptra.shell.follow_mattes import people_files


def main(words: list[str] | None = None) -> int:
    p = clip_parser("people", "Find people in a clip.")
    p.add_argument("--range", metavar="A:B", help="first and last frame; the whole clip without it")
    p.add_argument("-o", "--output", type=Path, required=True, metavar="FOLDER")
    options = p.parse_args(words)
    one_thread_a_frame()
    try:
        facts = read_facts(options)
        first, last = read_range(options.range, facts.frames)
        nobody = people_files(options.clip, facts, first, last, options.output)
    except (BadInput, NotFootage, FrameUnreadable, OSError, ValueError) as error:
        print(f"kalyptra people: {error}", file=sys.stderr)
        return 1
    print(f"{options.output}: frames {first} to {last}" + (f"; nobody is seen in {nobody} of them" if nobody else ""))
    return 0


if __name__ == "__main__":
    sys.exit(main())
