"""A picture laid on a flat card in space: sampled so that small print neither shimmers nor smears.

What a pixel sees of the picture is a long thin patch where the card is seen at an angle. It is sampled along its long
side, each sample from a copy of the picture that is as coarse as the patch is thin.

Source: P. S. Heckbert, Survey of Texture Mapping, IEEE Computer Graphics and Applications, 1986 (copies of half the
size); J. McCormack et al., Feline: fast elliptical lines for anisotropic texture mapping, SIGGRAPH 1999 (samples along
the long side).
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled

Light = NDArray[np.float32]
MOST_SAMPLES = 24
"""Along the long side of what a pixel sees."""
MOST_ROWS = 4
"""Across its short side."""
RUN = 8
"""Px of a row that are sampled alike."""
SMALLEST = 4
"""Px of the coarsest copy."""


def laid_card(
    light: Light, alpha: NDArray[np.float32] | None, matrix: NDArray[np.float64], size: tuple[int, int]
) -> tuple[Light, NDArray[np.float32]]:
    """A picture on a card, as it is seen.

    Args:
        light: (height, width, 3) linear light.
        alpha: (height, width) how much of it there is, 0 to 1; None for all.
        matrix: (3, 3) from px of the picture to px of what is seen, both counted from the edge of a pixel.
        size: (height, width) of what is seen.

    Returns:
        Its own light, and how much of each pixel it covers, 0 to 1. Without coverage there is no light.
    """
    out, cover = np.zeros((*size, 3), np.float32), np.zeros(size, np.float32)
    high, wide = light.shape[:2]
    ends = matrix @ np.array([[0, wide, wide, 0], [0, 0, high, high], [1, 1, 1, 1.0]])
    if (ends[2] <= 0).any():  # its part behind the camera has no box; the rest is seen wherever it is
        box = (0, 0, size[1], size[0])
    else:
        x, y = ends[0] / ends[2], ends[1] / ends[2]
        left, right = (int(np.clip(at, 0, size[1])) for at in (np.floor(x.min()) - 1, np.ceil(x.max()) + 1))
        top, low = (int(np.clip(at, 0, size[0])) for at in (np.floor(y.min()) - 1, np.ceil(y.max()) + 1))
        box = (left, top, right, low)
    copies, places = _copies(light, alpha)
    _lay(copies, places, np.linalg.inv(matrix), float(wide), float(high), *box, out, cover)
    return out, cover


def _copies(light: Light, alpha: NDArray[np.float32] | None) -> tuple[NDArray[np.float32], NDArray[np.int64]]:
    """The picture and its copies of half the size, one after the other, each pixel with its alpha and its light times
    that; and of each where it begins, its width and its height."""
    height, width = light.shape[:2]
    sizes = [(height, width)]
    while min(sizes[-1]) > SMALLEST:
        sizes.append(((sizes[-1][0] + 1) // 2, (sizes[-1][1] + 1) // 2))
    out = np.empty((sum(h * w for h, w in sizes), 4), np.float32)
    places, begin, before = [], 0, out
    for h, w in sizes:
        level = out[begin : begin + h * w].reshape(h, w, 4)
        if begin:
            cv2.resize(before, (w, h), dst=level, interpolation=cv2.INTER_AREA)
        elif alpha is None:
            cv2.cvtColor(light, cv2.COLOR_RGB2RGBA, dst=level)
        else:
            np.multiply(light, alpha[..., None], out=level[..., :3])
            level[..., 3] = alpha
        places.append((begin, w, h))
        begin, before = begin + h * w, level
    return out, np.array(places, np.int64)


@compiled
def _lay(copies, places, back, wide, high, x0, y0, x1, y1, out, cover):  # type: ignore[no-untyped-def]
    one, seen = np.float32(1), np.zeros(4, np.float32)
    for y in range(y0, y1):
        known, across_of, along_of, start, columns, rows = x0 - RUN, 1, 1, 0, 2, 2
        grow_x = grow_y = step_x = step_y = over_x = over_y = rim = 0.0
        ux = vx = uy = vy = across = down = 0.0
        weight = one
        for x in range(x0, x1):
            px, py = x + 0.5, y + 0.5
            w = back[2, 0] * px + back[2, 1] * py + back[2, 2]
            if w <= 1e-12:
                continue
            share = 1.0 / w
            u = (back[0, 0] * px + back[0, 1] * py + back[0, 2]) * share
            v = (back[1, 0] * px + back[1, 1] * py + back[1, 2]) * share
            within = min(min(u, wide - u), min(v, high - v))
            anew = x - known >= RUN
            covered = one
            if anew or within < rim:
                # How far the place on the picture moves for a pixel to the right, and for one down.
                ux, vx = (back[0, 0] - u * back[2, 0]) * share, (back[1, 0] - v * back[2, 0]) * share
                uy, vy = (back[0, 1] - u * back[2, 1]) * share, (back[1, 1] - v * back[2, 1]) * share
                # Coverage: how far inside each of the four edges the pixel lies, in px of what is seen.
                across, down = np.sqrt(ux * ux + uy * uy), np.sqrt(vx * vx + vy * vy)
                inside = min(min(u, wide - u) / max(across, 1e-9), min(v, high - v) / max(down, 1e-9)) + 0.5
                if inside <= 0:
                    continue
                covered = np.float32(min(1.0, inside))
            if anew:
                known = x
                rim = 1.5 * max(across, down)  # as far from an edge as this all pixels of a run are covered
                # The patch's axes: of the matrix of those moves, its singular values and its long direction.
                p, q, r = ux * ux + uy * uy, ux * vx + uy * vy, vx * vx + vy * vy
                mean, spread = (p + r) / 2, np.sqrt(((p - r) / 2) ** 2 + q * q)
                longer, shorter = np.sqrt(mean + spread), np.sqrt(max(mean - spread, 1e-12))
                turn = 0.5 * np.arctan2(2 * q, p - r)
                # So many samples that neighbours are about a px of the picture apart; else of a copy.
                across_of = int(min(max(np.ceil(shorter), 1.0), float(MOST_ROWS)))
                along_of = int(min(max(np.ceil(longer * across_of / max(shorter, 1.0)), 1.0), float(MOST_SAMPLES)))
                level = min(int(np.log2(max(longer / along_of, shorter / across_of, 1.0))), places.shape[0] - 1)
                start, columns, rows = places[level, 0], places[level, 1], places[level, 2]
                weight = np.float32(1.0 / (along_of * across_of))
                grow_x, grow_y = columns / wide, rows / high
                along, over = longer / along_of, shorter / across_of
                step_x, step_y = np.cos(turn) * along * grow_x, np.sin(turn) * along * grow_y
                over_x, over_y = -np.sin(turn) * over * grow_x, np.cos(turn) * over * grow_y
            seen[:] = np.float32(0)
            for n in range(across_of):
                aside = n + 0.5 - 0.5 * across_of
                sx = u * grow_x - 0.5 + aside * over_x - 0.5 * (along_of - 1) * step_x
                sy = v * grow_y - 0.5 + aside * over_y - 0.5 * (along_of - 1) * step_y
                for _ in range(along_of):
                    tx, ty = min(max(sx, 0.0), columns - 1.001), min(max(sy, 0.0), rows - 1.001)
                    i, j = int(tx), int(ty)
                    fx, fy = np.float32(tx - i), np.float32(ty - j)
                    m = start + j * columns + i
                    k = m + columns
                    b, d = fx * (one - fy), fx * fy
                    a, c = one - fy - b, fy - d
                    for e in range(4):
                        seen[e] += a * copies[m, e] + b * copies[m + 1, e] + c * copies[k, e] + d * copies[k + 1, e]
                    sx += step_x
                    sy += step_y
            alpha = seen[3] * weight
            if alpha < np.float32(1e-4):
                continue
            cover[y, x] = covered * min(alpha, one)
            each = one / seen[3]
            for e in range(3):
                out[y, x, e] = seen[e] * each
