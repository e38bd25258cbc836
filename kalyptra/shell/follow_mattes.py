"""Mattes followed over a clip from given ones, and people found, from files to files."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from kalyptra.core import (
    ClipFacts,
    OnLoss,
    PropagatedMatte,
    at_full_size,
    eight_bits,
    follow_keys,
    follow_people,
    open_clip,
)
from kalyptra.shell.clip_input import read_matte, write_confidence, write_matte


def follow_files(
    clip: Path, facts: ClipFacts, keys: dict[int, Path], first: int, last: int, on_loss: OnLoss, folder: Path
) -> None:
    """Follow mattes from PNGs; a key's own frame gets the key."""
    mattes = {frame: read_matte(path) for frame, path in keys.items()}
    mattes_of = follow_keys(mattes, open_clip(clip, facts), first, last, on_loss)
    rows = [(frame, 1.0, "hand") for frame in mattes]
    folder.mkdir(parents=True, exist_ok=True)
    for frame, matte in mattes.items():
        write_matte(folder, frame, matte)
    _write(clip, facts, mattes_of, rows, folder)


def people_files(clip: Path, facts: ClipFacts, first: int, last: int, folder: Path) -> int:
    """Find people in a clip; how many frames show nobody."""
    folder.mkdir(parents=True, exist_ok=True)
    mattes_of = follow_people(open_clip(clip, facts), range(first, last + 1), None, facts.width)
    rows = _write(clip, facts, mattes_of, [], folder)
    return sum(kind == "nobody" for _, _, kind in rows)


def _write(
    clip: Path, facts: ClipFacts, mattes_of: Iterable[PropagatedMatte], rows: list[tuple[int, float, str]], folder: Path
) -> list[tuple[int, float, str]]:
    # A second reader: following reads ahead and back of what is written.
    pictures = open_clip(clip, facts)
    for matte in mattes_of:
        codes = eight_bits(pictures.picture(matte.frame).codes)
        write_matte(folder, matte.frame, at_full_size(matte.matte, codes))
        rows.append((matte.frame, matte.sure, matte.how.value))
    rows.sort()
    write_confidence(folder, rows)
    return rows
