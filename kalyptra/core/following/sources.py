"""Following what a source of distance lies on, over the frames of a clip."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from itertools import pairwise
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.reader import PictureSource
from kalyptra.core.following.outlines import BLIND, LINES_WIDTH, MOST_UNSEEN, OnLoss
from kalyptra.core.following.propagate.look import looked_at
from kalyptra.core.following.track.camera_turn import CameraTurn
from kalyptra.core.following.track.surface import SurfaceMotion
from kalyptra.core.setup.document.distance import Band, Corners, Followable, Ground, Line, Pinned, Round
from kalyptra.core.setup.document.setup import Refine, Setup
from kalyptra.core.setup.geometry.planes import XY, Camera, PlaneAt
from kalyptra.core.setup.geometry.warp import Matrix, inverse, numbers_of
from kalyptra.core.setup.resolve.followed import values_at
from kalyptra.core.setup.resolve.look import matte_at, shown_in
from kalyptra.core.setup.resolve.source import plane_at
from kalyptra.core.setup.time.track import Step
from kalyptra.core.store import Store
from kalyptra.core.subject_matte import unrefined_matte


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the tune half of the camera's clips, where no source is named."""

    around: float = 0.06
    """Of the picture's width: how far around pins and a line is looked at."""
    least_free: float = 0.2
    """Share of what a source lies on that must be free of subjects; with less it is taken to lie on one."""
    apart: int = 7
    """Px around a subject that are left out with it."""


TUNING = Tuning()

Free = Callable[[int, tuple[int, int]], NDArray[np.uint8]]
"""Of a frame and a size (height, width), where no subject is: 1, else 0."""


def follow_source(
    source: Followable, footage: PictureSource, frames: Sequence[int], camera: Camera, free: Free,
    on_loss: OnLoss = OnLoss.CARRY_ON,
) -> Iterator[Step]:  # fmt: skip
    """Follow a source from frame to frame: what it lies on, or the camera's turn for a ground.

    At frames with a key made by hand it goes on from that key.

    Args:
        frames: frame numbers one apart, ahead or back; the first is where the source is known.
        camera: that took the clip, px of the source at full size.
        free: where no subject is.

    Yields:
        A step as each frame is found. It belongs to the later of the two frames, also going back.

    Raises:
        FrameUnreadable: the clip has no such frame.
    """
    hand = set(source.hand_frames)
    picture = _grey(footage, frames[0])
    scale = picture.shape[1] / camera.width
    tracker = _tracker(source, frames[0], picture, camera, scale, free)
    moved, unseen = np.eye(3), 0
    for last, frame in pairwise(frames):
        picture = _grey(footage, frame)
        sure = tracker.step(picture, free(frame, picture.shape))
        unseen = unseen + 1 if sure <= 0 else 0
        if unseen and (on_loss is OnLoss.STOP or unseen > MOST_UNSEEN):
            return
        now = tracker.moved(scale)
        yield _step(last, frame, now @ inverse(moved), sure)
        moved = now
        if frame in hand:
            tracker, moved = _tracker(source, frame, picture, camera, scale, free), np.eye(3)


def free_of(setup: Setup, full_width: int, store: Store) -> Free:
    """Where no subject of a setup is.

    Args:
        full_width: width in px of the clip at full size.

    Raises, when it is asked:
        NotKept: a stored matte is not there.
    """
    subjects = shown_in(setup)

    def free(frame: int, size: tuple[int, int]) -> NDArray[np.uint8]:
        out = np.ones(size, np.uint8)
        for subject in subjects:
            matte = unrefined_matte(matte_at(subject, frame), Refine(), size, size[1] / full_width, store)
            near = cv2.dilate((matte > 0.2).astype(np.uint8), np.ones((TUNING.apart, TUNING.apart), np.uint8))
            out &= 1 - np.asarray(near, np.uint8)
        return out

    return free


class _Surface:
    """What a source lies on."""

    def __init__(
        self, source: Followable, frame: int, picture: NDArray[np.uint8], camera: Camera, scale: float, free: Free
    ) -> None:
        at, open_part = values_at(source, frame, camera), free(frame, picture.shape)
        region = region_of(source, at, picture.shape, scale)
        # What lies on a subject is followed on it.
        self._on_subject = _on_subject(source, at, region, open_part, scale)
        self._motion = SurfaceMotion(source.motion, picture, region & self._seen(open_part))

    def step(self, picture: NDArray[np.uint8], free: NDArray[np.uint8]) -> float:
        return self._motion.step(picture, self._seen(free))

    def _seen(self, free: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """Where the surface can be seen in a frame."""
        return 1 - free if self._on_subject else free

    def moved(self, scale: float) -> Matrix:
        # Corners are counted from the middle of a pixel, places of a setup from its edge.
        return _sized(self._motion.motion, 1 / scale, 0.5)


class _Camera:
    """The camera's turn, for a ground."""

    def __init__(
        self, source: Ground, frame: int, picture: NDArray[np.uint8], camera: Camera, scale: float, free: Free
    ) -> None:
        plane = plane_at(source, frame, camera)
        small = Camera(picture.shape[1], picture.shape[0], camera.focal * scale)
        ground = PlaneAt(plane.a / scale, plane.b / scale, plane.c)
        self._inner = np.array([[small.focal, 0, small.middle[0]], [0, small.focal, small.middle[1]], [0, 0, 1.0]])
        self._turn = CameraTurn(picture, free(frame, picture.shape), small, ground)

    def step(self, picture: NDArray[np.uint8], free: NDArray[np.uint8]) -> float:
        return self._turn.step(picture, free)

    def moved(self, scale: float) -> Matrix:
        return _sized(self._inner @ self._turn.turn @ np.linalg.inv(self._inner), 1 / scale, 0.0)


def _tracker(
    source: Followable, frame: int, picture: NDArray[np.uint8], camera: Camera, scale: float, free: Free
) -> _Surface | _Camera:
    if isinstance(source, Ground):
        return _Camera(source, frame, picture, camera, scale, free)
    return _Surface(source, frame, picture, camera, scale, free)


def _on_subject(
    source: Followable, at: dict[str, Any], region: NDArray[np.uint8], free: NDArray[np.uint8], scale: float
) -> bool:
    """Whether a source lies on a subject: most of the line through its pins or stops is one's, or little of all that it
    lies on is free."""
    if isinstance(source, Pinned | Line):
        line = np.zeros_like(region)
        cv2.polylines(line, [_places(source, at, scale).reshape(-1, 1, 2)], False, 1)
        if 2 * cv2.countNonZero(line & free) < cv2.countNonZero(line):
            return True
    return cv2.countNonZero(region & free) < TUNING.least_free * cv2.countNonZero(region)


def _places(source: Pinned | Line, at: dict[str, Any], scale: float) -> NDArray[np.int32]:
    """Pins, or the ends of a line, px of the picture."""
    ends = [f"pins.{i}.place" for i in range(len(source.pins))] if isinstance(source, Pinned) else ["start", "end"]
    return np.round(np.array([at[end] for end in ends]) * scale).astype(np.int32)


def region_of(source: Followable, at: dict[str, Any], size: tuple[int, ...], scale: float) -> NDArray[np.uint8]:
    """What a source lies on, (height, width) 1 there.

    Args:
        at: its values at the frame, px of the source.
        scale: px of the picture for one of the source.
    """
    out = np.zeros(size, np.uint8)
    wide = max(4, round(TUNING.around * size[1]))

    def polygon(places: Sequence[XY]) -> None:
        cv2.fillConvexPoly(out, np.round(np.array(places) * scale).astype(np.int32), 1)

    match source:
        case Corners():
            polygon([at[f"corners.{i}"] for i in range(4)])
        case Pinned() | Line():
            places = _places(source, at, scale)
            if len(places) == 3:
                cv2.fillConvexPoly(out, places, 1)
            cv2.polylines(out, [places.reshape(-1, 1, 2)], len(places) == 3, 1, 2 * wide)
        case Round():
            (x, y), axes = at["centre"], (at["across"], at["down"])
            cv2.ellipse(out, (round(x * scale), round(y * scale)), (round(axes[0] * scale), round(axes[1] * scale)),
                        at["turn"], 0, 360, 1, -1)  # fmt: skip
        case Band():
            turn, reach = np.radians(at["turn"]), 2.0 * size[1] / scale
            along, over = np.array([np.cos(turn), np.sin(turn)]), np.array([-np.sin(turn), np.cos(turn)])
            near, far = at["width"] / 2 + at["fall_near"], at["width"] / 2 + at["fall_far"]
            middle = np.array(at["centre"])
            polygon([tuple(middle + x * along + y * over)
                     for x, y in ((-reach, -far), (reach, -far), (reach, near), (-reach, near))])  # fmt: skip
    return out


def _sized(motion: Matrix, by: float, shift: float) -> Matrix:
    """A motion in px of another size, whose places are counted from elsewhere in a pixel."""
    to = np.array([[by, 0, shift * by], [0, by, shift * by], [0, 0, 1.0]])
    return np.asarray(to @ motion @ np.linalg.inv(to))


def _grey(footage: PictureSource, frame: int) -> NDArray[np.uint8]:
    return np.asarray(cv2.cvtColor(looked_at(footage, frame, LINES_WIDTH), cv2.COLOR_RGB2GRAY))


def _step(last: int, frame: int, motion: Matrix, sure: float) -> Step:
    motion = motion / motion[2, 2]
    return Step(
        frame=max(last, frame), warp=numbers_of(motion if frame > last else inverse(motion)),
        held=round(sure, 3) if sure > 0 else BLIND, predicted=sure <= 0,
    )  # fmt: skip
