"""Recover the picture behind a subject from the other frames of a clip: no web, no database.

bin/kalyptra plate CLIP --mattes FOLDER [--frame N] [--growth PX] -o PLATE.png

Beside the plate it writes seen.png: in the hole, 0 where the plate is filled, else how often it was seen; 255 outside.
"""

from __future__ import annotations

import re
import sys
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core import FrameUnreadable, NotFootage, eight_bits, one_thread_a_frame, open_clip, recover
from kalyptra.shell.clip_input import BadInput, clip_parser, read_facts, read_matte


def main(words: list[str] | None = None) -> int:
    p = clip_parser("plate", "Recover the picture behind a subject.")
    p.add_argument("--mattes", type=Path, required=True, metavar="FOLDER", help="numbered mattes, such as 00012.png")
    p.add_argument("--frame", type=int, default=0, help="the frame whose plate is wanted")
    p.add_argument("--growth", type=float, default=2.0, help="px by which the subject spoils more than its matte")
    p.add_argument("-o", "--output", type=Path, required=True, metavar="PLATE.png")
    options = p.parse_args(words)
    one_thread_a_frame()
    try:
        facts = read_facts(options)
        if not 0 <= options.frame < facts.frames:
            raise BadInput(f"--frame {options.frame}: the clip has frames 0 to {facts.frames - 1}")
        if not 0 <= options.growth <= 60:
            raise BadInput("--growth must lie between 0 and 60 px")
        mattes = numbered(options.mattes)
        if options.frame not in mattes:
            raise BadInput(f"{options.mattes} has no matte for frame {options.frame}")
        size = (facts.height, facts.width)

        def hidden(frame: int) -> NDArray[np.float32]:
            # Frames without a matte are not looked into: the subject may be anywhere.
            if frame not in mattes:
                return np.ones(size, np.float32)
            matte = read_matte(mattes[frame])
            return matte if matte.shape == size else cv2.resize(matte, size[::-1], interpolation=cv2.INTER_LINEAR)

        footage = open_clip(options.clip, facts)
        around = (min(mattes), min(max(mattes), facts.frames - 1))
        patches = recover(footage, hidden, options.frame, options.frame, options.growth, around=around)
        patch = next(patches)[1]
        plate = eight_bits(footage.picture(options.frame).codes).copy()
        seen = np.full(size, 255, np.uint8)
        if patch is not None:
            place = np.s_[
                patch.top : patch.top + patch.picture.shape[0], patch.left : patch.left + patch.picture.shape[1]
            ]
            inside = patch.picture[..., 3] < 255
            plate[place][inside], seen[place] = patch.picture[..., :3][inside], patch.picture[..., 3]
        for path, picture in ((options.output, plate[..., ::-1]), (options.output.with_name("seen.png"), seen)):
            _, data = cv2.imencode(".png", picture)
            path.write_bytes(data.tobytes())
    except (BadInput, NotFootage, FrameUnreadable, OSError, ValueError) as error:
        print(f"kalyptra plate: {error}", file=sys.stderr)
        return 1
    hole = seen < 255
    share = float((seen[hole] > 0).mean()) if hole.any() else 1.0
    print(f"{options.output}: {100 * share:.0f} % of what is hidden was seen in other frames, the rest is filled")
    return 0


def numbered(folder: Path) -> dict[int, Path]:
    """The numbered pictures of a folder by their number."""
    facts_of = {
        int(match[1]): path
        for path in sorted(folder.iterdir())
        if path.suffix.lower() in (".png", ".tif", ".tiff") and (match := re.search(r"(\d+)$", path.stem))
    }
    if not facts_of:
        raise BadInput(f"{folder} has no numbered pictures")
    return facts_of


if __name__ == "__main__":
    sys.exit(main())
