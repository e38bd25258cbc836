"""One step of following: where an outline is in the next picture, and how sure that is."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.track.active_contour import REACH, snap
from kalyptra.core.following.track.anchor import Anchor
from kalyptra.core.following.track.appearance import RENEW, Appearance
from kalyptra.core.following.track.corners import TrackingView, Tracks, track_points, tracked
from kalyptra.core.following.track.evidence import colour_evidence, layer_error, motion_evidence
from kalyptra.core.following.track.motion import fit_motion
from kalyptra.core.following.track.scattered import spread
from kalyptra.core.matte.drawn import outline_matte
from kalyptra.core.setup.document.outline import Motion
from kalyptra.core.setup.document.setup import Refine
from kalyptra.core.setup.geometry.spline import Rows, on_line
from kalyptra.core.setup.geometry.warp import Matrix, inverse, mapped, share_of, similarity_between
from kalyptra.core.setup.resolve.outline import carried


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the demo's clips, where no source is named."""

    corners: int = 120
    corners_behind: int = 40
    around: int = 48
    """Px around the outline that are looked at."""
    few: int = 8
    """With fewer corners inside, the line's own points are tracked, too."""
    own_way: float = 12.0
    """Px by which a part of the subject may go its own way between two frames."""
    sway: float = 0.1
    sway_rest: float = 0.85
    """Width of what moves as one, as a share of the root of the subject's area; and the weight of standing still."""
    bends: tuple[tuple[float, float], ...] = ((0.14, 0.18), (0.036, 0.48))
    """The same for the line's moves: first wide, then what is left of them narrower."""
    back_to_shape: float = 0.036
    """The share of what a line strayed from its hand-made shape that it gives back in each step."""
    astray: float = 0.33
    """The most by which a point may stray from it, as a share of the root of the subject's area."""
    lean: float = 0.05
    """How far the hand-made shape, carried along, follows the found one's place and size in each step."""
    stay: float = 0.17
    """Evidence per px for the place where the line is expected."""
    clear: float = 0.85
    open: float = 0.6
    least_visible: float = 0.25
    """Shares of the subject: in full view; free to change its shape; and lost when less of it is seen."""
    found_again: float = 0.5
    """What a step counts for in which the subject was found by its anchor alone, as a share of the corners."""
    back_when_hidden: float = 0.2
    half_seen: int = 19
    """Px around something in front of the subject where a corner may be of the two together."""
    most_misses: int = 4
    """Steps in a row in which the anchor is not found in full view; then it has changed too much: a new one."""
    least_window: int = 64
    """Px that are looked at in each direction, where the frame has them."""
    least_area: int = 12
    """Px."""
    smooth_field: int = 12


TUNING = Tuning()


@dataclass(frozen=True)
class SubjectModel:
    """What is known of a subject besides the frame before.

    Attributes:
        drawn: (n, 8) the hand-made outline, carried to the frame before, px.
        memory: what it looks like, carried likewise.
        anchor: where it was last known for good, carried likewise.
    """

    drawn: Rows
    memory: Appearance
    anchor: Anchor

    @staticmethod
    def at(codes: NDArray[np.uint8], rows: Rows) -> SubjectModel:
        """Learnt from a frame (height, width, 3) RGB and the outline in it."""
        window, origin = _window(rows, np.eye(3), codes.shape)
        lab = TrackingView.of(codes[window]).lab
        mask = _inside(_moved(rows, -origin), lab.shape)
        return SubjectModel(rows, Appearance.of(lab, mask, origin), Anchor.of(lab, mask, origin))

    def moved(self, matrix: Matrix) -> SubjectModel:
        """The same a step later."""
        return SubjectModel(carried(matrix, self.drawn), self.memory.carried(matrix), self.anchor.carried(matrix))

    def leaning(self, rows: Rows) -> SubjectModel:
        """The hand-made shape brought a little towards the place and size of the outline that was found."""
        there = similarity_between(self.drawn[:, :2], rows[:, :2])
        there = share_of(there, TUNING.lean, self.drawn[:, :2].mean(axis=0))
        return replace(self, drawn=carried(there, self.drawn))


@dataclass(frozen=True)
class TrackedStep:
    """What a step found.

    Attributes:
        matrix: the motion of the whole, px of the views.
        shifts: (n, 2) px by which points moved besides.
        held, visible: 0 to 1, as in `Step`.
        seen: whether the subject was there to be seen at all.
        known: what is known of it from here on.
    """

    matrix: Matrix
    shifts: NDArray[np.float64]
    held: float
    visible: float
    seen: bool
    known: SubjectModel


def find_step(
    before: NDArray[np.uint8], after: NDArray[np.uint8], rows: Rows, kind: Motion, guess: Matrix, known: SubjectModel
) -> TrackedStep:
    """Find an outline again.

    Args:
        before, after: (height, width, 3) RGB codes of two frames, 8 bits.
        rows: (n, 8) the outline in the first one, px.
        kind: how much may change.
        guess: the motion to start from.
        known: what is known of the subject from where its outline was drawn by hand.
    """
    window, origin = _window(rows, guess, before.shape)
    a, b = TrackingView.of(before[window]), TrackingView.of(after[window])
    here = _moved(rows, -origin)
    size = a.grey.shape
    mask = _inside(here, size)
    area = float(cv2.countNonZero(mask))
    still = np.zeros((len(rows), 2))
    lost = TrackedStep(guess, still, 0.0, 0.0, False, known.moved(guess))
    if area < TUNING.least_area:
        return lost
    # Where the subject can be seen in the frame before, and how it moved from there.
    hidden = cv2.dilate(
        known.memory.beside(a.lab, origin).hidden, np.ones((TUNING.half_seen, TUNING.half_seen), np.uint8)
    )
    hidden = np.repeat(np.repeat(hidden, 2, axis=0), 2, axis=1)[: size[0], : size[1]]
    tracks = _corners(a, b, mask & (1 - hidden), here, _shifted(guess, -origin))
    matrix, agree = fit_motion(kind, tracks.before, tracks.after)
    agreed = agree.sum() >= (1 if kind is Motion.POSITION else 3)
    matrix = matrix if agreed else _shifted(guess, -origin)
    correction = None
    if kind is not Motion.FREE or not agreed:
        correction = known.anchor.carried(_shifted(matrix, origin)).correction(b, origin, kind)
        if correction is not None:
            matrix = correction @ matrix
        elif not agreed:
            return lost
    whole = _shifted(matrix, origin)
    known = known.moved(whole)
    seen = known.memory.beside(b.lab, origin)
    visible = seen.visible

    ahead = carried(matrix, here)
    rest = _moved(known.drawn, -origin)
    if kind is Motion.FREE:
        there = mapped(matrix, tracks.before)
        own = tracks.after - there
        with_it = np.linalg.norm(own, axis=1) < TUNING.own_way
        sway = _Sway(there[with_it], own[with_it], TUNING.sway * area**0.5)
        ahead[:, :6] += np.tile(sway.at(ahead[:, :2]), 3)
        if agreed and visible > TUNING.open:
            _draw_to_edge(a, b, mask, ahead, matrix, sway, area**0.5)
        _lean(ahead, rest, area**0.5, TUNING.back_to_shape if visible > TUNING.open else TUNING.back_when_hidden)
    shifts = ahead[:, :2] - carried(matrix, here)[:, :2]
    if visible > TUNING.open:
        known = known.leaning(_moved(ahead, origin))
    if known.memory.age >= RENEW:
        mask = np.ascontiguousarray(_inside(ahead, size)[::2, ::2]) if visible > TUNING.open else seen.place
        known = replace(known, memory=known.memory.renewed(seen, mask, origin))
    if visible > TUNING.clear:
        anchor = known.anchor.tried(correction is not None)
        if anchor.misses > TUNING.most_misses:
            anchor = Anchor.of(b.lab, _inside(ahead, size), origin)
        known = replace(known, anchor=anchor)
    held = float(agree.sum() / max(tracks.looked_for, 1)) if agreed else TUNING.found_again
    return TrackedStep(whole, shifts, held, visible, visible > TUNING.least_visible, known)


def _draw_to_edge(
    a: TrackingView, b: TrackingView, mask: NDArray[np.uint8], ahead: Rows, matrix: Matrix, sway: _Sway, size: float
) -> None:
    """Draw the outline to where the evidence changes, in place."""
    unseen = 1 - cv2.dilate(mask, np.ones((9, 9), np.uint8))
    around = tracked(a, b, unseen, TUNING.corners_behind, np.eye(3), check=False)
    behind, _ = fit_motion(Motion.SIMILARITY, around.before, around.after)
    inside = _inside(ahead, mask.shape)
    if not inside.any():
        return
    distance = cv2.distanceTransform(inside, cv2.DIST_L2, 3) - cv2.distanceTransform(1 - inside, cv2.DIST_L2, 3)
    band = (np.abs(distance) < REACH + 4).astype(np.uint8)
    evidence = motion_evidence(_shown(a.lab, mask, matrix, sway, b.lab), _shown(a.lab, 1 - mask, behind, None, b.lab))
    evidence += colour_evidence(a.lab, mask, b.lab, band)
    evidence += np.float32(TUNING.stay) * np.clip(distance, -REACH, REACH)
    places = on_line(ahead, max(1, min(10, 300 // len(ahead)))).reshape(-1, 2)
    moves = snap(places, evidence, np.asarray(distance))
    ahead[:, :6] += np.tile(_bent(ahead[:, :2], places, moves, size), 3)


def _lean(ahead: Rows, rest: Rows, size: float, back: float) -> None:
    """Bring points back towards the hand-made shape: by a share always, and wholly from beyond where they may stray."""
    astray = rest[:, :2] - ahead[:, :2]
    far = np.linalg.norm(astray, axis=1, keepdims=True)
    too_far = np.maximum(far - TUNING.astray * size, 0) / np.maximum(far, 1e-6)
    ahead[:, :6] += np.tile(astray * np.maximum(back, too_far), 3)


@dataclass(frozen=True)
class _Sway:
    """How parts of the subject moved besides the whole.

    Attributes:
        points, moves: (n, 2) px in the frame after.
        width: px that move as one.
    """

    points: NDArray[np.float64]
    moves: NDArray[np.float64]
    width: float

    def at(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        return spread(places, self.points, self.moves, np.ones(len(self.points)), self.width, TUNING.sway_rest)


def _inside(rows: Rows, size: tuple[int, ...]) -> NDArray[np.uint8]:
    return (outline_matte(rows, Refine(), (size[0], size[1])) > 0.5).astype(np.uint8)


def _window(rows: Rows, guess: Matrix, shape: tuple[int, ...]) -> tuple[tuple[slice, slice], NDArray[np.float64]]:
    both = np.concatenate([rows[:, :2], mapped(guess, rows[:, :2])])
    low, high = np.floor(both.min(axis=0)) - TUNING.around, np.ceil(both.max(axis=0)) + TUNING.around
    ends = []
    for i, length in ((0, shape[1]), (1, shape[0])):
        start = int(np.clip(low[i], 0, max(0, length - TUNING.least_window)))
        ends.append((start, int(np.clip(high[i], min(start + TUNING.least_window, length), length))))
    (left, right), (top, bottom) = ends
    return (slice(top, bottom), slice(left, right)), np.array([left, top], np.float64)


def _moved(rows: Rows, by: NDArray[np.float64]) -> Rows:
    out = rows.copy()
    out[:, :6] += np.tile(by, 3)
    return out


def _shifted(matrix: Matrix, origin: NDArray[np.float64]) -> Matrix:
    """The same motion about an origin that was moved."""
    to, back = np.eye(3), np.eye(3)
    to[:2, 2], back[:2, 2] = origin, -origin
    whole = to @ matrix @ back
    return np.asarray(whole / whole[2, 2])


def _corners(a: TrackingView, b: TrackingView, mask: NDArray[np.uint8], rows: Rows, guess: Matrix) -> Tracks:
    """Corners inside; of a plain subject the line's own places."""
    tracks = tracked(a, b, mask, TUNING.corners, guess)
    if len(tracks.before) >= TUNING.few:
        return tracks
    places = on_line(rows, max(1, 24 // len(rows))).reshape(-1, 2)
    height, width = mask.shape
    places = places[((places >= 4) & (places < [width - 4, height - 4])).all(axis=1)]
    if len(places) == 0:
        return tracks
    more = track_points(a, b, places, guess)
    return Tracks(np.concatenate([tracks.before, more.before]), np.concatenate([tracks.after, more.after]),
                  tracks.looked_for + more.looked_for)  # fmt: skip


def _shown(
    lab: NDArray[np.uint8], mask: NDArray[np.uint8], matrix: Matrix, sway: _Sway | None, now: NDArray[np.uint8]
) -> NDArray[np.float32]:
    """The error of a layer that moves so, per pixel of the picture after."""
    height, width = mask.shape
    if sway is None:
        middle = np.eye(3)
        middle[:2, 2] = 0.5
        here = inverse(middle) @ matrix @ middle
        shown = cv2.warpPerspective(lab, here, (width, height), borderMode=cv2.BORDER_REPLICATE)
        there = cv2.warpPerspective(
            mask, here, (width, height), flags=cv2.INTER_NEAREST, borderMode=cv2.BORDER_REPLICATE
        )
        return layer_error(shown, now, there)
    places = np.empty((height, width, 2), np.float32)
    places[..., 0] = np.arange(width, dtype=np.float32) + np.float32(0.5)
    places[..., 1] = (np.arange(height, dtype=np.float32) + np.float32(0.5))[:, None]
    columns, rows = -(-width // TUNING.smooth_field) + 1, -(-height // TUNING.smooth_field) + 1
    gx, gy = np.meshgrid(np.arange(columns) * TUNING.smooth_field + 0.5, np.arange(rows) * TUNING.smooth_field + 0.5)
    field = sway.at(np.stack([gx, gy], axis=-1).reshape(-1, 2)).reshape(rows, columns, 2).astype(np.float32)
    places -= _enlarged(field, TUNING.smooth_field)[:height, :width]
    source = mapped(inverse(matrix), places) - np.float32(0.5)
    shown = cv2.remap(lab, source[..., 0], source[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    there = cv2.remap(mask, source[..., 0], source[..., 1], cv2.INTER_NEAREST, borderMode=cv2.BORDER_REPLICATE)
    return layer_error(shown, now, there)


def _enlarged(field: NDArray[np.float32], times: int) -> NDArray[np.float32]:
    """Values at every `times`-th pixel, straight lines between them."""
    height, width = (field.shape[0] - 1) * times, (field.shape[1] - 1) * times
    x, y = np.meshgrid(np.arange(width, dtype=np.float32) / times, np.arange(height, dtype=np.float32) / times)
    return np.asarray(cv2.remap(field, x, y, cv2.INTER_LINEAR))


def _bent(
    points: NDArray[np.float64], places: NDArray[np.float64], moves: NDArray[np.float64], size: float
) -> NDArray[np.float64]:
    """The places' moves as smooth bends of the plane, so that the line never loops; at the points."""
    long = np.linalg.norm(np.roll(places, -1, axis=0) - np.roll(places, 1, axis=0), axis=1) / 2
    both = np.concatenate([points, places])
    total = np.zeros_like(points)
    left = moves
    for share, rest in TUNING.bends:
        width = max(share * size, 2.0)
        bend = spread(both, places, left, long, width, rest * width)
        total += bend[: len(points)]
        left = left - bend[len(points) :]
    return total
