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
    found = follow_keys(mattes, open_clip(clip, facts), first, last, on_loss)
    rows = [(frame, 1.0, "hand") for frame in mattes]
    folder.mkdir(parents=True, exist_ok=True)
    for frame, matte in mattes.items():
        write_matte(folder, frame, matte)
    _write(clip, facts, found, rows, folder)


def people_files(clip: Path, facts: ClipFacts, first: int, last: int, folder: Path) -> int:
    """Find people in a clip; how many frames show nobody."""
    folder.mkdir(parents=True, exist_ok=True)
    found = follow_people(open_clip(clip, facts), range(first, last + 1), None, facts.width)
    rows = _write(clip, facts, found, [], folder)
    return sum(kind == "nobody" for _, _, kind in rows)


def _write(
    clip: Path, facts: ClipFacts, found: Iterable[PropagatedMatte], rows: list[tuple[int, float, str]], folder: Path
) -> list[tuple[int, float, str]]:
    # A second reader: following reads ahead and back of what is written.
    pictures = open_clip(clip, facts)
    for one in found:
        codes = eight_bits(pictures.picture(one.frame).codes)
        write_matte(folder, one.frame, at_full_size(one.matte, codes))
        rows.append((one.frame, one.sure, one.how.value))
    rows.sort()
    write_confidence(folder, rows)
    return rows
