"""How far pixels lie from a line, exactly, within a band around it."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled
from kalyptra.core.window import Window

PIECE = 1.5
"""Px that the line's pieces may have at most, so that a pixel on it knows its piece."""


def distance_field(
    pieces: NDArray[np.float64], origin: tuple[int, int], size: tuple[int, int], reach: float, wanted: Window
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Distances from the middles of pixels to a closed line.

    A distance transform of the pixels that the line touches says near which piece to look; from there the nearest point
    is looked for along the line.

    Args:
        pieces: (m, 4) starts of pieces at most PIECE px long: x, y, and two values that go along.
        origin, size: (x, y) and (height, width) of what is looked at; what of the line lies within counts.
        reach: px beyond which distances need not be exact.
        wanted: rows and columns of that for which distances are wanted.

    Returns:
        Of the wanted part (height, width) px, and (height, width, 2) the two values at the nearest point.
    """
    points = np.ascontiguousarray(pieces - np.array([*origin, 0, 0], np.float64))
    owner = np.full(size, -1, np.int32)
    _touch(owner, points)
    distance, labels = cv2.distanceTransformWithLabels(
        (owner < 0).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    touched = owner >= 0
    piece_of = np.zeros(int(labels.max()) + 1, np.int32)
    piece_of[labels[touched]] = owner[touched]
    distance, labels = np.ascontiguousarray(distance[wanted]), np.ascontiguousarray(labels[wanted])
    values = np.empty((*distance.shape, 2), np.float32)
    points[:, :2] -= wanted[1].start, wanted[0].start
    ways = np.roll(points[:, :2], -1, axis=0) - points[:, :2]
    per_way = 1 / np.maximum(np.square(ways).sum(axis=1), 1e-12)
    _refine(distance, labels, piece_of, points, ways, per_way, values, reach + 3)
    return distance, values


@compiled
def _touch(owner, points):  # type: ignore[no-untyped-def]
    for i in range(len(points)):
        j = (i + 1) % len(points)
        for k in range(4):
            x = points[i, 0] + (points[j, 0] - points[i, 0]) * k / 4
            y = points[i, 1] + (points[j, 1] - points[i, 1]) * k / 4
            row, column = int(y), int(x)
            if 0 <= row < owner.shape[0] and 0 <= column < owner.shape[1]:
                owner[row, column] = i


@compiled
def _refine(distance, labels, piece_of, points, ways, per_way, values, reach):  # type: ignore[no-untyped-def]
    count = len(points)
    for row in range(distance.shape[0]):
        for column in range(distance.shape[1]):
            if distance[row, column] > reach:
                values[row, column, 0] = points[piece_of[labels[row, column]], 2]
                values[row, column, 1] = points[piece_of[labels[row, column]], 3]
                continue
            x, y = column + 0.5, row + 0.5
            middle = piece_of[labels[row, column]]
            best, best_piece, best_share = 1e30, middle, 0.0
            looked = True
            while looked:  # on along the line, for as long as it comes nearer
                looked = False
                i = (middle - 3) % count
                for _ in range(7):
                    ex, ey = ways[i, 0], ways[i, 1]
                    dx, dy = points[i, 0] - x, points[i, 1] - y
                    share = min(max(-(dx * ex + dy * ey) * per_way[i], 0.0), 1.0)
                    dx, dy = dx + share * ex, dy + share * ey
                    square = dx * dx + dy * dy
                    if square < best - 1e-12:
                        best, best_piece, best_share = square, i, share
                        looked = True
                    i = i + 1 if i + 1 < count else 0
                looked = looked and best_piece != middle
                middle = best_piece
            j = (best_piece + 1) % count
            distance[row, column] = np.sqrt(best)
            for axis in range(2):
                start, end = points[best_piece, 2 + axis], points[j, 2 + axis]
                values[row, column, axis] = start + (end - start) * best_share
