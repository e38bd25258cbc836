"""All that is known of each pixel around a subject, as planes that the network weighs."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.background import BackgroundPicture
from kalyptra.core.following.propagate.contest import Contest, Frame
from kalyptra.core.following.propagate.exposure import exposed_back
from kalyptra.core.following.propagate.state import SubjectState
from kalyptra.core.following.propagate.trail import KeyTrail
from kalyptra.core.window import Window

PLANES = (
    "lightness", "a", "b", "expected by the subject's motion", "expected by the background's motion",
    "error of the subject", "error of the background", "key's colours", "worth of the key's colours",
    "evidence of the contest", "matte of the contest", "px inside the expected edge", "residual of the background",
    "residual beyond its range", "spread of the background", "background clean", "key's matte carried along",
    "difference from the key's picture", "area beside the key's", "background open", "background held",
    "key's colours of the background", "odds by rule",
)  # fmt: skip
"""Names of the planes, in order. Each is about -1 to 2.6 in size."""
RULE = 4
"""Log odds by rule that are 1 in their plane."""
MOST = 2.65
"""The size that no plane goes beyond."""
RESIDUAL = 15
"""Codes by which the picture differs from the background that are 1 in its plane."""


def evidence_planes(
    before: SubjectState, frame: Frame, contest: Contest, behind: BackgroundPicture
) -> NDArray[np.float32]:
    """(planes, height, width) of the contest's window; what is told by rule is still to come (`with_rules`).

    Args:
        before: the state before, its trail already moved to this frame.
        behind: the background's picture in this frame.
    """
    window = contest.window
    plain, beyond = behind.residual(frame.codes, window)
    rest = behind.rest[window]
    codes_behind = exposed_back(np.clip(behind.codes[window], 0, 255).astype(np.uint8), contest.exposure)
    lab_behind = cv2.cvtColor(codes_behind, cv2.COLOR_RGB2LAB)
    known = np.minimum(rest[..., 1] + rest[..., 2], 1)
    key_matte, differs = _beside_the_key(before.trail, exposed_back(frame.codes[window], contest.exposure), window)
    lab = (frame.lab[window].astype(np.float32) - 128) / np.array([64, 24, 24], np.float32)
    area = min(float(before.matte.sum()) / max(before.lasting.area, 1.0), 2.0)
    planes = (
        lab[..., 0], lab[..., 1], lab[..., 2], contest.front.matte, contest.behind.matte,
        contest.error / 15, contest.error_behind / 15, contest.says, before.lasting.worth,
        contest.evidence / 4, contest.matte, np.clip(contest.deep, -24, 24) / 12, plain / RESIDUAL,
        beyond / 10, rest[..., 0] / 15, rest[..., 1], key_matte,
        differs, area, rest[..., 2], rest[..., 3],
        before.lasting.says(lab_behind) * known,
    )  # fmt: skip
    out = np.zeros((len(PLANES), *contest.matte.shape), np.float32)
    for i, plane in enumerate(planes):
        out[i] = plane
    return np.clip(out, -MOST, MOST, out=out)


def _beside_the_key(
    trail: KeyTrail, as_at_key: NDArray[np.uint8], window: Window
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """The key's matte as it comes to lie in a window, and how far the picture differs from the key's: nothing of either
    once the trail is lost.

    Args:
        as_at_key: (height, width, 3) the window's codes, exposed as the key was.
    """
    if trail.lost:
        nothing = np.zeros(as_at_key.shape[:2], np.float32)
        return nothing, nothing
    codes, matte = trail.shown(window)
    differs = cv2.transform(cv2.absdiff(codes, as_at_key).astype(np.float32), np.full((1, 3), 1 / 3))
    return matte, np.asarray(np.minimum(cv2.blur(differs, (3, 3)), 40) / 15, np.float32)


def with_rules(planes: NDArray[np.float32], odds: NDArray[np.float32]) -> NDArray[np.float32]:
    """The same planes, with what the rules say of each pixel, (height, width) log odds, written into its own."""
    planes[PLANES.index("odds by rule")] = np.clip(odds / RULE, -MOST, MOST)
    return planes
