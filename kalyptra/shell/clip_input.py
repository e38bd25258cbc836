"""What the shell's commands over a clip have in common: reading what was said, and writing mattes and confidence."""

from __future__ import annotations

import argparse
import csv
from collections.abc import Iterable, Sequence
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core import ClipFacts, FrameUnreadable, Rate, decode_still, probe


class BadInput(Exception):
    """A file or a number that cannot be used. The text says which and why."""


def clip_parser(name: str, description: str) -> argparse.ArgumentParser:
    p = argparse.ArgumentParser(prog=f"bin/kalyptra {name}", description=description)
    p.add_argument("clip", type=Path)
    p.add_argument("--rate", type=Fraction, default=Fraction(25), help="frames/s of stills and sequences")
    return p


def read_facts(options: argparse.Namespace) -> ClipFacts:
    return probe(options.clip, Rate.of(options.rate))


def read_range(said: str | None, frames: int, keys: Sequence[int] = ()) -> tuple[int, int]:
    """First and last frame of A:B; the whole clip without it."""
    if said is None:
        return 0, frames - 1
    a, _, b = said.partition(":")
    if not (a.isdigit() and b.isdigit()) or not int(a) <= int(b) < frames:
        raise BadInput(f"--range {said}: say A:B within frames 0 to {frames - 1}")
    if not all(int(a) <= frame <= int(b) for frame in keys):
        raise BadInput(f"--range {said}: the given frames lie outside it")
    return int(a), int(b)


def read_key(said: str, frames: int, option: str, example: str) -> tuple[int, Path]:
    """Frame and file of FRAME=FILE."""
    number, _, name = said.partition("=")
    if not number.isdigit() or not name:
        raise BadInput(f"{option} {said}: say FRAME=FILE, such as {example}")
    if int(number) >= frames:
        raise BadInput(f"{option} {said}: the clip has frames 0 to {frames - 1}")
    return int(number), Path(name)


def read_matte(path: Path) -> NDArray[np.float32]:
    """A matte as 0 to 1: the grey of a picture."""
    try:
        codes = decode_still(path.read_bytes(), path.name)
    except FrameUnreadable as error:
        raise BadInput(str(error)) from error
    return codes[..., 1].astype(np.float32) / np.float32(np.iinfo(codes.dtype).max)


def write_matte(folder: Path, frame: int, matte: NDArray[np.float32]) -> None:
    _, data = cv2.imencode(".png", np.round(matte * 255).astype(np.uint8))
    (folder / f"{frame:05d}.png").write_bytes(data.tobytes())


def write_confidence(folder: Path, rows: Iterable[tuple[int, float, str]]) -> None:
    with (folder / "confidence.csv").open("w", newline="") as file:
        out = csv.writer(file)
        out.writerow(["frame", "confidence", "kind"])
        out.writerows((frame, f"{sure:.4f}", kind) for frame, sure, kind in rows)
