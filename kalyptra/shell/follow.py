"""Follow drawn outlines over a clip, from files to files: no web, no database.

bin/kalyptra follow CLIP --outline FRAME=FILE.svg [--outline FRAME=FILE.svg ...] [--range A:B]
    [--motion position|similarity|perspective|free] [--on-loss carry-on|stop] -o FOLDER
"""

from __future__ import annotations

import argparse
import csv
import sys
from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np

from kalyptra.core import (
    DrawnOutline,
    FrameUnreadable,
    Motion,
    NotFootage,
    NotOutlines,
    OnLoss,
    Outline,
    Rate,
    Refine,
    TrustKind,
    curve_of,
    drawn_matte,
    drawn_outline,
    follow_range,
    keyed_by_hand,
    open_clip,
    outline_at,
    placed_at,
    probe,
    read_svg,
    trust,
    with_steps,
    write_svg,
)

WORST_FIRST = (TrustKind.PREDICTED, TrustKind.FOLLOWED, TrustKind.BETWEEN, TrustKind.HAND)


class BadInput(Exception):
    """A file or a number that cannot be used. The text says which and why."""


def main(words: list[str] | None = None) -> int:
    options = parser().parse_args(words)
    try:
        facts = probe(options.clip, Rate.of(options.rate))
        keys = sorted(read_key(said, facts.frames) for said in options.outline)
        first, last = read_range(options.range, facts.frames, [frame for frame, _ in keys])
        footage = open_clip(options.clip, facts)
        outlines: list[Outline] = []
        for frame, file in keys:
            drawn = read_drawn(file, frame)
            outlines = begun(outlines, drawn, frame, options.motion)
            outlines = [
                with_steps(one, tuple(follow_range(one, footage, first, last, facts.width, options.on_loss)))
                for one in outlines
            ]
            print(f"followed from frame {frame}: {file}", flush=True)
        write(outlines, (facts.height, facts.width), first, last, options.output)
    except (BadInput, NotFootage, NotOutlines, FrameUnreadable, OSError, ValueError) as error:
        print(f"kalyptra follow: {error}", file=sys.stderr)
        return 1
    print(f"{options.output}: frames {first} to {last}")
    return 0


def parser() -> argparse.ArgumentParser:
    p = argparse.ArgumentParser(prog="bin/kalyptra follow", description="Follow drawn outlines over a clip.")
    p.add_argument("clip", type=Path)
    p.add_argument("--outline", action="append", required=True, metavar="FRAME=FILE.svg", help="a hand-made key")
    p.add_argument("--motion", type=Motion, choices=list(Motion), default=Motion.FREE)
    p.add_argument("--range", metavar="A:B", help="first and last frame; the whole clip without it")
    p.add_argument("--on-loss", type=OnLoss, choices=list(OnLoss), default=OnLoss.CARRY_ON)
    p.add_argument("--rate", type=Fraction, default=Fraction(25), help="frames/s of stills and sequences")
    p.add_argument("-o", "--output", type=Path, required=True, metavar="FOLDER")
    return p


def read_key(said: str, frames: int) -> tuple[int, Path]:
    number, _, name = said.partition("=")
    if not number.isdigit() or not name:
        raise BadInput(f"--outline {said}: say FRAME=FILE.svg, such as 12=runner.svg")
    if int(number) >= frames:
        raise BadInput(f"--outline {said}: the clip has frames 0 to {frames - 1}")
    return int(number), Path(name)


def read_range(said: str | None, frames: int, keys: Sequence[int]) -> tuple[int, int]:
    if said is None:
        return 0, frames - 1
    a, _, b = said.partition(":")
    if not (a.isdigit() and b.isdigit()) or not int(a) <= int(b) < frames:
        raise BadInput(f"--range {said}: say A:B within frames 0 to {frames - 1}")
    if not all(int(a) <= frame <= int(b) for frame in keys):
        raise BadInput(f"--range {said}: the outlines' frames lie outside it")
    return int(a), int(b)


def read_drawn(file: Path, frame: int) -> list[DrawnOutline]:
    """The outlines that a file has for a frame: those of its group, else those in no group."""
    found = read_svg(file.read_text("utf-8"))
    drawn = found.get(frame) or found.get(None) or (next(iter(found.values())) if len(found) == 1 else None)
    if not drawn:
        raise BadInput(f"{file} has no outline for frame {frame}")
    return drawn


def begun(outlines: Sequence[Outline], drawn: Sequence[DrawnOutline], frame: int, motion: Motion) -> list[Outline]:
    """The outlines with a hand-made key at a frame; what is drawn beyond those that are there begins there."""
    made = [keyed_by_hand(one, frame, new.curve) for one, new in zip(outlines, drawn, strict=False)]
    made += outlines[len(made) :]
    for i, new in enumerate(drawn[len(outlines) :], start=len(outlines)):
        made.append(drawn_outline(f"line{i + 1}", frame, new.curve, new.joins, motion))
    return made


def write(outlines: Sequence[Outline], size: tuple[int, int], first: int, last: int, folder: Path) -> None:
    """Mattes, outlines and confidence of all frames."""
    folder.mkdir(parents=True, exist_ok=True)
    drawn: dict[int, list[DrawnOutline]] = {}
    trusts = [trust(one, first, last) for one in outlines]
    with (folder / "confidence.csv").open("w", newline="") as file:
        rows = csv.writer(file)
        rows.writerow(["frame", "confidence", "kind"])
        for frame in range(first, last + 1):
            placed = [placed_at(one, frame) for one in outlines]
            drawn[frame] = [
                DrawnOutline(one.id, one.joins, curve_of(at.ids, at.rows))
                for one, at in zip(outlines, placed, strict=True)
            ]
            matte = drawn_matte([outline_at(one, frame) for one in outlines], Refine(), size, 1.0)
            done, data = cv2.imencode(".png", np.round(matte * 255).astype(np.uint8))
            (folder / f"{frame:05d}.png").write_bytes(data.tobytes())
            # A large outline that goes astray matters more than a small one.
            here = [found[frame - first] for found in trusts]
            weights = [float(np.prod(np.ptp(at.rows[:, :2], axis=0))) for at in placed]
            sure = float(np.average([one.confidence for one in here], weights=weights))
            kind = next(kind for kind in WORST_FIRST if kind in {one.kind for one in here})
            rows.writerow([frame, f"{sure:.4f}", kind.value])
    (folder / "outline.svg").write_text(write_svg(drawn, (size[1], size[0])), "utf-8")


if __name__ == "__main__":
    sys.exit(main())
