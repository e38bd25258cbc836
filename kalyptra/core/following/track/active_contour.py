"""Draws a line to where the evidence changes its sign."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled

REACH = 12
"""Px along its normal by which a place of the line may move."""
STIFF = 1.5
"""Evidence that it takes to let two neighbouring places move 1 px apart."""


def snap(
    line: NDArray[np.float64], evidence: NDArray[np.float32], distance: NDArray[np.float32]
) -> NDArray[np.float64]:
    """The move along the normals that encloses most evidence for the subject and leaves out most against it.

    The best path of moves along the line is found by dynamic programming. Source: Amini, Weymouth and Jain, Using
    dynamic programming for solving variational problems in vision, PAMI 1990.

    Args:
        line: (n, 2) places on the closed line, px.
        evidence: (height, width) positive for the subject.
        distance: (height, width) signed px from the line, positive inside: a place does not move past the middle of the
            subject to another part of the line.

    Returns:
        (n, 2) moves.
    """
    along = np.roll(line, -1, axis=0) - np.roll(line, 1, axis=0)
    along /= np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-6)
    outwards = np.stack([along[:, 1], -along[:, 0]], axis=1)
    after = np.roll(line, -1, axis=0)
    if (line[:, 0] * after[:, 1] - after[:, 0] * line[:, 1]).sum() < 0:
        outwards = -outwards
    moves = np.arange(-REACH, REACH + 1)
    places = line[:, None] + outwards[:, None] * moves[None, :, None] - 0.5
    x, y = places[..., 0].astype(np.float32), places[..., 1].astype(np.float32)
    seen = cv2.remap(evidence, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    far = cv2.remap(distance, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    total = np.cumsum(seen, axis=1)
    gain = 2 * total - total[:, -1:]
    astray = np.abs(far) < 0.8 * np.abs(moves) - 1.5
    astray = np.concatenate(
        [np.maximum.accumulate(astray[:, : REACH + 1][:, ::-1], axis=1)[:, ::-1][:, :-1],
         np.maximum.accumulate(astray[:, REACH:], axis=1)], axis=1
    )  # fmt: skip
    gain = np.where(astray, gain - 1000, gain).astype(np.float64)
    chosen = np.empty(len(line), np.int64)
    _best_path(gain, STIFF, chosen)
    # Evidence is asked at whole px; the line lies between the last one inside and the first one outside.
    return np.asarray(outwards * (moves[chosen] + 0.5)[:, None])


@compiled
def _best_path(gain, stiff, chosen):  # type: ignore[no-untyped-def]
    count, width = gain.shape
    back = np.zeros((count, width), np.int8)
    best = gain[0].copy()
    for i in range(1, count):
        following = np.empty(width)
        for k in range(width):
            end, step = best[k], 0
            if k > 0 and best[k - 1] - stiff > end:
                end, step = best[k - 1] - stiff, -1
            if k < width - 1 and best[k + 1] - stiff > end:
                end, step = best[k + 1] - stiff, 1
            following[k] = end + gain[i, k]
            back[i, k] = step
        best = following
    chosen[count - 1] = np.argmax(best)
    for i in range(count - 1, 0, -1):
        chosen[i - 1] = chosen[i] + back[i, chosen[i]]
