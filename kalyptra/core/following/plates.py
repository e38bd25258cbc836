"""Recovering the picture behind the subjects over the frames of a clip."""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import ClipFacts
from kalyptra.core.clip.guarded import Limits, run_guarded
from kalyptra.core.clip.reader import (
    FrameUnreadable,
    HeldPicture,
    Mended,
    Picture,
    PictureSource,
    damage_words,
    eight_bits,
    open_clip,
)
from kalyptra.core.clip.transfer import to_codes, to_light
from kalyptra.core.compiled import one_thread_a_frame
from kalyptra.core.compose import Sources
from kalyptra.core.following.register.homography import STILL, Aligned, align, background_corners, motion_of
from kalyptra.core.following.register.recover import Other, recovered
from kalyptra.core.frame import covered
from kalyptra.core.plate.detail import fill_detailed
from kalyptra.core.pull_push import fill
from kalyptra.core.setup.document.setup import FilledBy, Setup
from kalyptra.core.setup.document.stored import PlatePatch
from kalyptra.core.store import FolderStore
from kalyptra.core.window import Window, window_of

Hidden = Callable[[int], NDArray[np.float32]]
"""Of a frame, the coverage of all subjects together, at the size of the clip's pictures."""


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the demo's clips, where no source is named."""

    aligned_at: int = 960
    """Px on the long side of the pictures that are aligned."""
    at_once: int = 96
    """Frames that are recovered from one set of others."""
    beside: int = 48
    """Frames before and after those that are looked at, too."""
    others: int = 64
    """Other frames at hand at most, evenly spread."""
    memory: int = 3 << 30
    """Bytes that they may take."""
    often: int = 3
    often_still: int = 15
    """How often a pixel should be seen, by a moving and by a locked camera: far frames are laid over less well."""
    near: float = 20.0
    """Frames at which another one counts half as much."""
    most: int = 12
    margin: int = 40
    """Px around a hole by which frames are compared."""
    coarse: int = 8


TUNING = Tuning()


@dataclass(frozen=True)
class Patch:
    """A piece of the picture behind the subjects.

    Attributes:
        picture: (height, width, 4) codes; the last channel is how often a pixel was seen: 0 where it is filled.
        left, top: where its corner lies, px of the clip.
    """

    picture: NDArray[np.uint8]
    left: int
    top: int


@dataclass
class _At:
    """A frame that others are recovered from."""

    frame: int
    picture: NDArray[Any]
    transfer: Any
    grey: NDArray[np.uint8]
    hidden: NDArray[np.uint8]
    matrix: NDArray[np.float64]
    """From the block's first frame to it, px of the aligned size."""


def recover(
    footage: PictureSource, hidden: Hidden, first: int, last: int, growth: float = 2.0,
    filled_by: FilledBy = FilledBy.SMOOTH, wanted: Sequence[int] | None = None, around: tuple[int, int] | None = None,
) -> Iterator[tuple[int, Patch | None]]:  # fmt: skip
    """Recover what the subjects hide, frame by frame.

    Args:
        footage: at its full size.
        hidden: of each frame, what covers the background.
        first, last: the frames wanted.
        growth: px by which a subject is taken to spoil more than its matte.
        wanted: only these of them.
        around: first and last frame that may be looked into; the wanted ones alone without it.

    Yields:
        A frame and the patch for it; None where nothing is hidden. A locked camera gives one patch for many frames.

    Raises:
        FrameUnreadable: a frame is damaged.
    """
    low, high = around or (first, last)
    asked = sorted(wanted) if wanted is not None else list(range(first, last + 1))
    for start in range(first, last + 1, TUNING.at_once):
        block = [frame for frame in asked if start <= frame < start + TUNING.at_once]
        if block:
            span = range(max(low, start - TUNING.beside), min(high, start + TUNING.at_once - 1 + TUNING.beside) + 1)
            yield from _Block(footage, hidden, span, growth, filled_by).patches(block)


class _Block:
    """Some frames, aligned with each other."""

    def __init__(self, footage: PictureSource, hidden: Hidden, span: range, growth: float, filled_by: FilledBy) -> None:
        self._footage, self._hidden, self._filled_by = footage, hidden, filled_by
        self._growth = growth + 2  # what is compared must be free of the subject's glow
        self._matrices: dict[int, NDArray[np.float64]] = {}
        self._others: list[_At] = []
        self.span = span
        self._walk()

    def _walk(self) -> None:
        """Align every frame with the one before it, and keep some at hand."""
        size = self._footage.facts.height * self._footage.facts.width * 3
        most = max(8, min(TUNING.others, TUNING.memory // (2 * size)))
        store_folder = {self.span[i] for i in np.unique(np.linspace(0, len(self.span) - 1, most).round().astype(int))}
        before: tuple[NDArray[np.uint8], NDArray[np.float32]] | None = None
        matrix = np.eye(3)
        for frame in self.span:
            try:
                picture = self._footage.picture(frame)
            except FrameUnreadable:
                self._matrices[frame] = matrix
                continue
            grey, mask = _grey(picture.codes), self._mask(frame)
            if before is not None:
                matrix = align(before[0], grey, before[1], np.eye(3)).matrix @ matrix
                matrix = matrix / matrix[2, 2]
            before = grey, background_corners(grey, _background(mask, grey.shape))
            self._matrices[frame] = matrix
            if frame in store_folder:
                self._others.append(_At(frame, picture.codes, picture.transfer, grey, mask, matrix))

    def _mask(self, frame: int) -> NDArray[np.uint8]:
        """1 where the background is hidden, grown."""
        covered = (self._hidden(frame) > 0.02).astype(np.uint8)
        away = cv2.distanceTransform(1 - covered, cv2.DIST_L2, 5)
        return np.asarray((away <= self._growth).astype(np.uint8))

    @property
    def locked(self) -> bool:
        """Whether the camera stood still."""
        first = np.linalg.inv(self._matrices[self.span[0]])
        size = self._others[0].grey.shape
        return all(motion_of(matrix @ first, size) < STILL for matrix in self._matrices.values())

    def patches(self, frames: Sequence[int]) -> Iterator[tuple[int, Patch | None]]:
        if not self._others:
            raise FrameUnreadable(f"none of the frames {self.span[0]} to {self.span[-1]} can be read")
        locked = self.locked
        # Decoding goes in order; the rest is worked on a few frames at once, one thread each.
        at_once = max(1, os.cpu_count() or 1)
        waiting: deque[tuple[int, Future[Patch | None]]] = deque()
        with ThreadPoolExecutor(at_once) as pool:
            for frame in frames:
                picture, hole = self._footage.picture(frame), self._mask(frame)
                waiting.append((frame, pool.submit(self._patch, frame, picture, hole, locked)))
                if len(waiting) > at_once:
                    done, future = waiting.popleft()
                    yield done, future.result()
            for done, future in waiting:
                yield done, future.result()

    def _patch(self, frame: int, picture: Picture, hole: NDArray[np.uint8], locked: bool) -> Patch | None:
        window = window_of(hole, TUNING.margin)
        if window is None:
            return None
        light, grey = to_light(picture.codes, picture.transfer), _grey(picture.codes)
        others = self._chosen(frame, grey, hole, window, locked)
        plate, seen = recovered(light, hole, window, others, TUNING.often_still if locked else TUNING.often)
        known = (seen > 0).astype(np.float32)
        if not known.all():
            plate = fill_detailed(plate, known) if self._filled_by is FilledBy.DETAILED else fill(plate, known)
        codes = to_codes(plate, picture.transfer)
        return Patch(np.dstack([codes, seen]), window[1].start, window[0].start)

    def _chosen(
        self, frame: int, grey: NDArray[np.uint8], hole: NDArray[np.uint8], window: Window, locked: bool
    ) -> list[Other]:
        """Frames that show what the hole hides, the nearest first, until every pixel that can be seen is seen often."""
        part = hole[window][:: TUNING.coarse, :: TUNING.coarse] > 0
        rows, columns = np.nonzero(part)
        places = np.stack([columns * TUNING.coarse + window[1].start, rows * TUNING.coarse + window[0].start], axis=1)
        scale = grey.shape[1] / hole.shape[1]
        sizes = np.diag([scale, scale, 1.0])
        back = np.linalg.inv(self._matrices[frame])
        others = [other for other in self._others if other.frame != frame]
        shows = [_shows(other.hidden, places, np.linalg.inv(sizes) @ other.matrix @ back @ sizes) for other in others]
        wanted = TUNING.often_still if locked else TUNING.often
        picked = _picked(np.array(shows), np.array([abs(other.frame - frame) for other in others]), wanted)
        corners = np.zeros((0, 1, 2), np.float32)
        if not locked:
            corners = background_corners(grey, _background(hole, grey.shape))
        chosen = []
        for neighbour in sorted((others[i] for i in picked), key=lambda other: abs(other.frame - frame)):
            aligned = (
                Aligned(np.eye(3), 0.0, 0) if locked else align(grey, neighbour.grey, corners, neighbour.matrix @ back)
            )
            whole = np.linalg.inv(sizes) @ aligned.matrix @ sizes
            chosen.append(
                Other(neighbour.picture, neighbour.transfer, neighbour.hidden, whole / whole[2, 2], aligned.amiss)
            )
        return chosen


def _picked(shows: NDArray[np.bool_], away: NDArray[Any], wanted: int) -> list[int]:
    """Which frames to take, one by one: each adds most to places not seen often enough yet; near ones count more.

    Args:
        shows: (frames, places) what each frame shows.
        away: (frames,) how many frames away it is.
        wanted: how often a place should be seen.
    """
    picked: list[int] = []
    often = np.zeros(shows.shape[1] if shows.ndim == 2 else 0, int)
    near = 1 / (1 + away / TUNING.near)
    while len(picked) < TUNING.most and len(often):
        # A place that was not seen at all counts most.
        adds = (shows * np.maximum(wanted - often, 0)).sum(axis=1) * near
        adds[picked] = 0
        best = int(adds.argmax())
        if adds[best] <= 0:
            break
        picked.append(best)
        often += shows[best]
    return picked


def _shows(hidden: NDArray[np.uint8], places: NDArray[Any], matrix: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which places of a frame another one shows."""
    there = cv2.perspectiveTransform(places[:, None].astype(np.float64), matrix)[:, 0].round().astype(int)
    height, width = hidden.shape
    inside = (there >= 2).all(axis=1) & (there[:, 0] < width - 2) & (there[:, 1] < height - 2)
    out = np.zeros(len(places), bool)
    x, y = there[inside, 0], there[inside, 1]
    out[inside] = hidden[y, x] == 0
    return out


def _grey(codes: NDArray[Any]) -> NDArray[np.uint8]:
    """Lightness in 8 bits at the size that frames are aligned at."""
    eight = eight_bits(codes)
    factor = min(1.0, TUNING.aligned_at / max(codes.shape[:2]))
    size = (round(codes.shape[1] * factor), round(codes.shape[0] * factor))
    return np.asarray(cv2.cvtColor(cv2.resize(eight, size, interpolation=cv2.INTER_AREA), cv2.COLOR_RGB2GRAY))


def _background(hidden: NDArray[np.uint8], size: tuple[int, ...]) -> NDArray[np.uint8]:
    """Where corners may be looked for: well away from the subjects."""
    small = cv2.resize(hidden, (size[1], size[0]), interpolation=cv2.INTER_AREA)
    return np.asarray(1 - cv2.dilate((small > 0).astype(np.uint8), np.ones((11, 11), np.uint8)))


def recover_to_store(
    setup: Setup, source: Path, facts: ClipFacts, store_folder: Path, first: int, last: int,
    on_patch: Callable[[int, PlatePatch | None], bool], go_on: Callable[[], bool] | None = None,
) -> str:  # fmt: skip
    """Recover the plates of a setup's frames from its source, in a guarded process, into a store.

    Args:
        store_folder: the store's folder.
        on_patch: told how many frames are done, and the newest patch; returns whether to go on.
        go_on: asked now and then whether to go on.

    Returns:
        What became of damaged frames, in words.

    Raises:
        GuardedFailure: it failed (kind "cancelled": it was stopped).
    """
    work = {
        "setup": setup.model_dump(mode="json"), "facts": facts.model_dump(mode="json"), "source": str(source),
        "store_folder": str(store_folder), "span": [first, last],
    }  # fmt: skip
    seconds = 600 + (last - first + 1) * facts.width * facts.height / 1e5
    return str(run_guarded("kalyptra.core.following.plates:recover_here", work, Limits(seconds, 16 << 30, 1 << 30),
                           lambda told: on_patch(told["done"], PlatePatch(*told["patch"]) if told["patch"] else None),
                           go_on))  # fmt: skip


def recover_here(
    setup: dict[str, Any],
    facts: dict[str, Any],
    source: str,
    store_folder: str,
    span: list[int],
    report: Callable[..., None],
) -> str:
    """Runs inside the guarded process."""
    one_thread_a_frame()
    look, clip = Setup.model_validate(setup), ClipFacts.model_validate(facts)
    reader, store = Mended(open_clip(Path(source), clip, threads=2)), FolderStore(Path(store_folder))

    def hidden(frame: int) -> NDArray[np.float32]:
        held = HeldPicture(clip, reader.picture(frame))
        return covered(look, frame, Sources(held, clip.width, store))

    plate = look.plate
    patches = recover(reader, hidden, span[0], span[1], plate.growth, plate.filled_by)
    for done, (frame, patch) in enumerate(patches, start=1):
        named = [frame, store.keep(patch.picture), patch.left, patch.top] if patch else None
        report(done=done, patch=named)
    return damage_words(reader.damaged)
