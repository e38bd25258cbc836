"""Bringing what was made elsewhere: mattes, plates and distance maps into the store, outlines and focus tables as text.

No file from outside is read in the calling process: each function here has a guarded one do it, with limits.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import ClipFacts, FootageKind, Rate
from kalyptra.core.clip.guarded import GuardedFailure, Limits, run_guarded
from kalyptra.core.clip.maps import LUMA, Channel, NoSuchChannel, is_map_still, still_maps, video_maps
from kalyptra.core.clip.probe import probe
from kalyptra.core.clip.reader import Mended, damage_words, open_clip
from kalyptra.core.compiled import one_thread_a_frame
from kalyptra.core.distance.imported import as_stored
from kalyptra.core.edit.outline_keys import drawn_outline, keyed_by_hand
from kalyptra.core.finish.table import read_cube
from kalyptra.core.focus.table import NoTable
from kalyptra.core.focus.table import read as read_table
from kalyptra.core.setup.document.focus import FocusKey
from kalyptra.core.setup.document.outline import Outline
from kalyptra.core.setup.files.svg import NotOutlines, read_svg
from kalyptra.core.store import FolderStore


def import_to_store(
    path: Path, facts: ClipFacts, channel: Channel, store_folder: Path, on_picture: Callable[[int, str], bool],
    go_on: Callable[[], bool] | None = None,
) -> str:  # fmt: skip
    """Bring all pictures of a file into the store, in a guarded process.

    Args:
        on_picture: told how many are done, and the newest one's name; returns whether to go on.
        go_on: asked now and then whether to go on.

    Returns:
        What became of damaged frames, in words.

    Raises:
        GuardedFailure: it failed (kind "NoSuchChannel": the file has none).
    """
    work = {
        "path": str(path),
        "facts": facts.model_dump(mode="json"),
        "channel": channel.value,
        "store_folder": str(store_folder),
    }
    seconds = 300 + facts.frames * facts.width * facts.height / 2e5
    return str(run_guarded("kalyptra.core.importing:import_here", work, Limits(seconds, 8 << 30, 1 << 30),
                           lambda told: on_picture(told["done"], told["name"]), go_on))  # fmt: skip


def import_here(path: str, facts: dict[str, Any], channel: str, store_folder: str, report: Callable[..., None]) -> str:
    """Runs inside the guarded process."""
    one_thread_a_frame()
    store, damaged = FolderStore(Path(store_folder)), list[int]()
    planes = pictures(Path(path), ClipFacts.model_validate(facts), Channel(channel), damaged)
    for done, picture in enumerate(planes, start=1):
        report(done=done, name=store.keep(picture))
    return damage_words(damaged)


def pictures(path: Path, facts: ClipFacts, channel: Channel, damaged: list[int]) -> Iterator[NDArray[Any]]:
    """The pictures of a file as a store keeps them: grey mattes, or RGBA with a full last channel.

    Args:
        damaged: gets the frames that another one stands in for.

    Raises:
        NoSuchChannel: alpha was asked for, and there is none.
        FrameUnreadable: a picture is damaged.
    """
    if channel is Channel.ALPHA:
        yield from video_maps(path, facts, channel) if facts.kind is FootageKind.VIDEO else still_maps(path, channel)[1]
        return
    reader = Mended(open_clip(path, facts, threads=2))
    for frame in range(1 if facts.kind is FootageKind.STILL else facts.frames):
        codes = reader.picture(frame).codes
        top = np.iinfo(codes.dtype).max
        if channel is Channel.COLOUR:
            yield np.dstack([codes, np.full(codes.shape[:2], top, codes.dtype)])
        else:
            grey = cv2.transform(codes.astype(np.float64), LUMA[None])
            yield np.clip(np.round(grey), 0, top).astype(codes.dtype)
    damaged += reader.damaged
    reader.close()


def table_to_store(path: Path, store_folder: Path) -> str:
    """Bring a `.cube` file into the store, in a guarded process; its name.

    Raises:
        GuardedFailure: it failed (kind "NotATable": the text says why).
    """
    work = {"path": str(path), "store_folder": str(store_folder)}
    return str(run_guarded("kalyptra.core.importing:table_here", work, Limits(120, 4 << 30, 64 << 20)))


def table_here(path: str, store_folder: str) -> str:
    """Runs inside the guarded process."""
    return FolderStore(Path(store_folder)).keep(read_cube(Path(path)))


def card_to_store(path: Path, facts: ClipFacts, store_folder: Path) -> tuple[str, tuple[int, int]]:
    """Bring a still for a card in space into the store, with its alpha where it has one, in a guarded process.

    Returns:
        Its name, and its (width, height), px.

    Raises:
        GuardedFailure: it failed (kind "FrameUnreadable", "NotFootage": the text says why).
    """
    work = {"path": str(path), "facts": facts.model_dump(mode="json"), "store_folder": str(store_folder)}
    name, width, height = run_guarded("kalyptra.core.importing:card_here", work, Limits(300, 8 << 30, 1 << 30))
    return str(name), (int(width), int(height))


def card_here(path: str, facts: dict[str, Any], store_folder: str) -> tuple[str, int, int]:
    """Runs inside the guarded process."""
    one_thread_a_frame()
    known = ClipFacts.model_validate(facts)
    picture = next(pictures(Path(path), known, Channel.COLOUR, []))
    with contextlib.suppress(NoSuchChannel):
        alpha = next(still_maps(Path(path), Channel.ALPHA)[1])
        if alpha.shape == picture.shape[:2] and alpha.dtype == picture.dtype:
            picture[..., 3] = alpha
    return FolderStore(Path(store_folder)).keep(picture), picture.shape[1], picture.shape[0]


def map_to_store(
    path: Path, channel: Channel, store_folder: Path, on_map: Callable[[int, int, str], bool],
    go_on: Callable[[], bool] | None = None,
) -> None:  # fmt: skip
    """Bring all maps of a file into the store, exactly as they are, in a guarded process.

    Args:
        on_map: told how many are done, of how many, and the newest one's name; returns whether to go on.

    Raises:
        NotFootage: a video that cannot be read.
        GuardedFailure: it failed (kind "NoSuchChannel", "NotFootage", "FrameUnreadable": the text says why).
    """
    facts = None if is_map_still(path) else probe(path, Rate(numerator=25, denominator=1))
    work = {"path": str(path), "facts": facts.model_dump(mode="json") if facts else None, "channel": channel.value,
            "store_folder": str(store_folder)}  # fmt: skip
    run_guarded("kalyptra.core.importing:map_here", work, Limits(7200, 8 << 30, 1 << 30),
                lambda told: on_map(told["done"], told["of"], told["name"]), go_on)  # fmt: skip


def map_here(
    path: str, facts: dict[str, Any] | None, channel: str, store_folder: str, report: Callable[..., None]
) -> None:
    """Runs inside the guarded process."""
    one_thread_a_frame()
    store = FolderStore(Path(store_folder))
    if facts is None:
        count, maps = still_maps(Path(path), Channel(channel))
    else:
        clip = ClipFacts.model_validate(facts)
        count, maps = clip.frames, video_maps(Path(path), clip, Channel(channel))
    for done, values in enumerate(maps, start=1):
        report(done=done, of=count, name=store.keep(as_stored(values)))


TEXT_LIMITS = Limits(seconds=15, memory=2 << 30)


def outlines_from_svg(text: str, frame: int) -> list[Outline]:
    """The outlines of an SVG file, with a hand-made key for each frame that it has.

    Args:
        frame: where drawings in no frame's group are keyed.

    Raises:
        NotOutlines: there is none in it, or it is larger or takes longer than is allowed; the text says why.
    """
    documents = _read_text("outlines_here", NotOutlines, "the file is too complicated", text=text, frame=frame)
    return [Outline.model_validate(document) for document in documents]


def outlines_here(text: str, frame: int) -> list[dict[str, Any]]:
    """Runs inside the guarded process."""
    drawings = read_svg(text)
    made: dict[str, Outline] = {}
    for at in sorted(drawings, key=lambda drawing: frame if drawing is None else drawing):
        for drawn in drawings[at]:
            key = frame if at is None else at
            if drawn.name in made:
                made[drawn.name] = keyed_by_hand(made[drawn.name], key, drawn.curve)
            else:
                made[drawn.name] = drawn_outline(f"line{len(made) + 1}", key, drawn.curve, drawn.joins)
    return [outline.model_dump(mode="json") for outline in made.values()]


def focus_from_table(text: str) -> tuple[FocusKey, ...]:
    """The keys of a focus table (CSV).

    Raises:
        NoTable: it is none; the text says which line and why.
    """
    documents = _read_text("focus_here", NoTable, "the file is too large", text=text)
    return tuple(FocusKey.model_validate(document) for document in documents)


def focus_here(text: str) -> list[dict[str, Any]]:
    """Runs inside the guarded process."""
    return [key.model_dump(mode="json") for key in read_table(text)]


def _read_text(task: str, refusal: type[ValueError], beyond: str, **arguments: Any) -> Any:
    try:
        return run_guarded(f"kalyptra.core.importing:{task}", arguments, TEXT_LIMITS)
    except GuardedFailure as failure:
        raise refusal(str(failure) if failure.kind == refusal.__name__ else beyond) from failure
