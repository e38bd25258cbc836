"""Follow drawn outlines or mattes over a clip, from files to files: no web, no database.

bin/kalyptra follow CLIP --outline FRAME=FILE.svg [--outline FRAME=FILE.svg ...] [--range A:B]
    [--motion position|similarity|perspective|free] [--on-loss carry-on|stop] -o FOLDER
bin/kalyptra follow CLIP --key FRAME=MATTE.png [--key FRAME=MATTE.png ...] [--range A:B]
    [--on-loss carry-on|stop] -o FOLDER
"""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from kalyptra.core import (
    DrawnOutline,
    FrameUnreadable,
    Motion,
    NotFootage,
    NotOutlines,
    OnLoss,
    Outline,
    Refine,
    TrustKind,
    curve_of,
    drawn_matte,
    drawn_outline,
    follow_range,
    keyed_by_hand,
    one_thread_a_frame,
    open_clip,
    outline_at,
    outline_trust,
    placed_at,
    read_svg,
    write_svg,
)
from kalyptra.shell.clip_input import (
    BadInput,
    clip_parser,
    read_facts,
    read_key,
    read_range,
    write_confidence,
    write_matte,
)
from kalyptra.shell.follow_mattes import follow_files

WORST_FIRST = (TrustKind.PREDICTED, TrustKind.FOLLOWED, TrustKind.REGION, TrustKind.BETWEEN, TrustKind.HAND)


def main(words: list[str] | None = None) -> int:
    options = parser().parse_args(words)
    one_thread_a_frame()
    try:
        facts = read_facts(options)
        if bool(options.outline) == bool(options.key):
            raise BadInput("say either --outline FRAME=FILE.svg or --key FRAME=MATTE.png, each as often as wanted")
        if options.key:
            mattes = dict(sorted(read_key(said, facts.frames, "--key", "12=runner.png") for said in options.key))
            first, last = read_range(options.range, facts.frames, list(mattes))
            follow_files(options.clip, facts, mattes, first, last, options.on_loss, options.output)
            print(f"{options.output}: frames {first} to {last}")
            return 0
        keys = sorted(read_key(said, facts.frames, "--outline", "12=runner.svg") for said in options.outline)
        first, last = read_range(options.range, facts.frames, [frame for frame, _ in keys])
        footage = open_clip(options.clip, facts)
        outlines: list[Outline] = []
        for frame, file in keys:
            drawn = read_drawn(file, frame)
            outlines = begun(outlines, drawn, frame, options.motion)
            outlines = follow_range(outlines, footage, first, last, facts.width, options.on_loss)
            print(f"followed from frame {frame}: {file}", flush=True)
        write(outlines, (facts.height, facts.width), first, last, options.output)
    except (BadInput, NotFootage, NotOutlines, FrameUnreadable, OSError, ValueError) as error:
        print(f"kalyptra follow: {error}", file=sys.stderr)
        return 1
    print(f"{options.output}: frames {first} to {last}")
    return 0


def parser() -> argparse.ArgumentParser:
    p = clip_parser("follow", "Follow drawn outlines or mattes over a clip.")
    p.add_argument("--outline", action="append", metavar="FRAME=FILE.svg", help="a hand-made key: outlines")
    p.add_argument("--key", action="append", metavar="FRAME=MATTE.png", help="a hand-made key: a matte")
    p.add_argument("--motion", type=Motion, choices=list(Motion), default=Motion.FREE, help="of outlines")
    p.add_argument("--range", metavar="A:B", help="first and last frame; the whole clip without it")
    p.add_argument("--on-loss", type=OnLoss, choices=list(OnLoss), default=OnLoss.CARRY_ON)
    p.add_argument("-o", "--output", type=Path, required=True, metavar="FOLDER")
    return p


def read_drawn(file: Path, frame: int) -> list[DrawnOutline]:
    """The outlines that a file has for a frame: those of its group, else those in no group."""
    by_frame = read_svg(file.read_text("utf-8"))
    drawn = by_frame.get(frame) or by_frame.get(None) or (next(iter(by_frame.values())) if len(by_frame) == 1 else None)
    if not drawn:
        raise BadInput(f"{file} has no outline for frame {frame}")
    return drawn


def begun(outlines: Sequence[Outline], drawn: Sequence[DrawnOutline], frame: int, motion: Motion) -> list[Outline]:
    """The outlines with a hand-made key at a frame; what is drawn beyond those that are there begins there."""
    made = [keyed_by_hand(outline, frame, new.curve) for outline, new in zip(outlines, drawn, strict=False)]
    made += outlines[len(made) :]
    for i, new in enumerate(drawn[len(outlines) :], start=len(outlines)):
        made.append(drawn_outline(f"line{i + 1}", frame, new.curve, new.joins, motion))
    return made


def write(outlines: Sequence[Outline], size: tuple[int, int], first: int, last: int, folder: Path) -> None:
    """Mattes, outlines and confidence of all frames."""
    folder.mkdir(parents=True, exist_ok=True)
    drawn: dict[int, list[DrawnOutline]] = {}
    trusts = [outline_trust(outline, first, last) for outline in outlines]
    rows: list[tuple[int, float, str]] = []
    for frame in range(first, last + 1):
        placed = [placed_at(outline, frame) for outline in outlines]
        drawn[frame] = [
            DrawnOutline(outline.id, outline.joins, curve_of(at.ids, at.rows))
            for outline, at in zip(outlines, placed, strict=True)
        ]
        write_matte(
            folder, frame, drawn_matte([outline_at(outline, frame) for outline in outlines], Refine(), size, 1.0)
        )
        # A large outline that goes astray matters more than a small one.
        here = [each[frame - first] for each in trusts]
        weights = [float(np.prod(np.ptp(at.rows[:, :2], axis=0))) for at in placed]
        sure = float(np.average([trusted.confidence for trusted in here], weights=weights))
        kind = next(kind for kind in WORST_FIRST if kind in {trusted.kind for trusted in here})
        rows.append((frame, sure, kind.value))
    write_confidence(folder, rows)
    (folder / "outline.svg").write_text(write_svg(drawn, (size[1], size[0])), "utf-8")


if __name__ == "__main__":
    sys.exit(main())
