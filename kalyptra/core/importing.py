"""Bringing mattes, plates and distance maps that were made elsewhere into the store: a still, a sequence or a clip."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import ClipFacts, Kind, Rate
from kalyptra.core.clip.guarded import Limits, run_guarded
from kalyptra.core.clip.maps import LUMA, Channel, is_map_still, still_maps, video_maps
from kalyptra.core.clip.probe import probe
from kalyptra.core.clip.reader import open_clip
from kalyptra.core.compiled import one_thread_a_frame
from kalyptra.core.distance.imported import as_stored
from kalyptra.core.kept import Folder


def import_to_store(
    path: Path, facts: ClipFacts, channel: Channel, kept: Path, on_picture: Callable[[int, str], bool]
) -> None:
    """Bring all pictures of a file into the store, in a guarded process.

    Args:
        on_picture: told how many are done, and the newest one's name; returns whether to go on.

    Raises:
        GuardedFailure: it failed (kind "NoSuchChannel": the file has none).
    """
    work = {"path": str(path), "facts": facts.model_dump(mode="json"), "channel": channel.value, "kept": str(kept)}
    seconds = 300 + facts.frames * facts.width * facts.height / 2e5
    run_guarded("kalyptra.core.importing:import_here", work, Limits(seconds, 8 << 30, 1 << 30),
                lambda told: on_picture(told["done"], told["name"]))  # fmt: skip


def import_here(path: str, facts: dict[str, Any], channel: str, kept: str, report: Callable[..., None]) -> None:
    """Runs inside the guarded process."""
    one_thread_a_frame()
    store = Folder(Path(kept))
    for done, picture in enumerate(pictures(Path(path), ClipFacts.model_validate(facts), Channel(channel)), start=1):
        report(done=done, name=store.keep(picture))


def pictures(path: Path, facts: ClipFacts, channel: Channel) -> Iterator[NDArray[Any]]:
    """The pictures of a file as a store keeps them: grey mattes, or RGBA with a full last channel.

    Raises:
        NoSuchChannel: alpha was asked for, and there is none.
        FrameUnreadable: a picture is damaged.
    """
    if channel is Channel.ALPHA:
        yield from video_maps(path, facts, channel) if facts.kind is Kind.VIDEO else still_maps(path, channel)[1]
        return
    reader = open_clip(path, facts, threads=2)
    for frame in range(1 if facts.kind is Kind.STILL else facts.frames):
        codes = reader.picture(frame).codes
        top = np.iinfo(codes.dtype).max
        if channel is Channel.COLOUR:
            yield np.dstack([codes, np.full(codes.shape[:2], top, codes.dtype)])
        else:
            grey = cv2.transform(codes.astype(np.float64), LUMA[None])
            yield np.clip(np.round(grey), 0, top).astype(codes.dtype)
    reader.close()


def map_to_store(path: Path, channel: Channel, kept: Path, on_map: Callable[[int, int, str], bool]) -> None:
    """Bring all maps of a file into the store, exactly as they are, in a guarded process.

    Args:
        on_map: told how many are done, of how many, and the newest one's name; returns whether to go on.

    Raises:
        NotFootage: a video that cannot be read.
        GuardedFailure: it failed (kind "NoSuchChannel", "NotFootage", "FrameUnreadable": the text says why).
    """
    facts = None if is_map_still(path) else probe(path, Rate(numerator=25, denominator=1))
    work = {"path": str(path), "facts": facts.model_dump(mode="json") if facts else None, "channel": channel.value,
            "kept": str(kept)}  # fmt: skip
    run_guarded("kalyptra.core.importing:map_here", work, Limits(7200, 8 << 30, 1 << 30),
                lambda told: on_map(told["done"], told["of"], told["name"]))  # fmt: skip


def map_here(path: str, facts: dict[str, Any] | None, channel: str, kept: str, report: Callable[..., None]) -> None:
    """Runs inside the guarded process."""
    one_thread_a_frame()
    store = Folder(Path(kept))
    if facts is None:
        count, maps = still_maps(Path(path), Channel(channel))
    else:
        clip = ClipFacts.model_validate(facts)
        count, maps = clip.frames, video_maps(Path(path), clip, Channel(channel))
    for done, values in enumerate(maps, start=1):
        report(done=done, of=count, name=store.keep(as_stored(values)))
