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

from kalyptra.core.clip.facts import Transfer
from kalyptra.core.clip.transfer import to_light
from kalyptra.core.compiled import compiled
from kalyptra.core.setup.document.space import Around
from kalyptra.core.setup.resolve.space import SpaceAt

Light = NDArray[np.float32]
MOST_SAMPLES = 24
"""Along the long side of what a pixel sees."""
MOST_ROWS = 4
"""Across its short side."""
RUN = 4
"""Px of a row that are sampled alike."""
SOFT, SOFTNESS = 96, 0.05
"""Px of the width that the blurred picture around a card is made at, and how soft it is, as a share of that."""
SMALLEST = 4
"""Px of the coarsest copy."""


def laid_card(light: Light, matrix: NDArray[np.float64], around: Light) -> tuple[Light, NDArray[np.float32]]:
    """A picture on a card, over what is around it.

    Args:
        light: (height, width, 3) linear light.
        matrix: (3, 3) from px of the picture to px of what is seen, both counted from the edge of a pixel.
        around: (height, width, 3) what is seen without the card.

    Returns:
        Light, and how much of each pixel the card covers, 0 to 1.
    """
    out, cover = around.copy(), np.zeros(around.shape[:2], np.float32)
    copies, places = _copies(light)
    _lay(copies, places, np.linalg.inv(matrix), float(light.shape[1]), float(light.shape[0]), out, cover)
    return out, cover


def around_card(light: Light, space: SpaceAt, transfer: Transfer) -> Light:
    """What is seen around the card: a colour, or the picture itself, blurred; (height, width, 3) linear light.

    Args:
        transfer: the curve of the codes that the colour is given in: the clip's own.
    """
    height, width = light.shape[:2]
    if space.around is Around.COLOUR:
        codes = np.array([[[int(space.colour[i : i + 2], 16) for i in (1, 3, 5)]]], np.uint8)
        return np.array(np.broadcast_to(to_light(codes, transfer), light.shape), np.float32)
    small = cv2.resize(light, (SOFT, max(2, round(SOFT * height / width))), interpolation=cv2.INTER_AREA)
    soft = cv2.GaussianBlur(small, (0, 0), SOFT * SOFTNESS, borderType=cv2.BORDER_REPLICATE)
    return np.asarray(cv2.resize(soft, (width, height), interpolation=cv2.INTER_CUBIC), np.float32)


def _copies(light: Light) -> tuple[Light, NDArray[np.int64]]:
    """The picture and its copies of half the size, each beside the one before, and where they lie: left, width,
    height."""
    height, width = light.shape[:2]
    levels = [light]
    while min(levels[-1].shape[:2]) > SMALLEST:
        h, w = levels[-1].shape[:2]
        levels.append(
            np.asarray(cv2.resize(levels[-1], ((w + 1) // 2, (h + 1) // 2), interpolation=cv2.INTER_AREA), np.float32)
        )
    out = np.zeros((height, sum(level.shape[1] for level in levels), 3), np.float32)
    places, left = [], 0
    for level in levels:
        h, w = level.shape[:2]
        out[:h, left : left + w] = level
        places.append((left, w, h))
        left += w
    return out, np.array(places, np.int64)


@compiled
def _lay(copies, places, back, wide, high, out, cover):  # type: ignore[no-untyped-def]
    height, width = cover.shape
    one = np.float32(1)
    for y in range(height):
        known, across_of, along_of, left, columns, rows = -RUN, 1, 1, 0, 2, 2
        grow_x = grow_y = step_x = step_y = over_x = over_y = 0.0
        weight = one
        for x in range(width):
            px, py = x + 0.5, y + 0.5
            w = back[2, 0] * px + back[2, 1] * py + back[2, 2]
            if w <= 1e-12:
                continue
            u = (back[0, 0] * px + back[0, 1] * py + back[0, 2]) / w
            v = (back[1, 0] * px + back[1, 1] * py + back[1, 2]) / w
            # How far the place on the picture moves for a pixel to the right, and for one down.
            ux, vx = (back[0, 0] - u * back[2, 0]) / w, (back[1, 0] - v * back[2, 0]) / w
            uy, vy = (back[0, 1] - u * back[2, 1]) / w, (back[1, 1] - v * back[2, 1]) / w
            # Coverage: how far inside each of the four edges the pixel lies, in px of what is seen.
            across, down = np.sqrt(ux * ux + uy * uy), np.sqrt(vx * vx + vy * vy)
            inside = min(min(u, wide - u) / max(across, 1e-9), min(v, high - v) / max(down, 1e-9)) + 0.5
            if inside <= 0:
                continue
            covered = np.float32(min(1.0, inside))
            cover[y, x] = covered
            if x - known >= RUN:
                known = x
                # The patch's axes: of the matrix of those moves, its singular values and its long direction.
                p, q, r = ux * ux + uy * uy, ux * vx + uy * vy, vx * vx + vy * vy
                mean, spread = (p + r) / 2, np.sqrt(((p - r) / 2) ** 2 + q * q)
                longer, shorter = np.sqrt(mean + spread), np.sqrt(max(mean - spread, 1e-12))
                turn = 0.5 * np.arctan2(2 * q, p - r)
                # So many samples that neighbours are about a px of the picture apart; else of a copy.
                across_of = int(min(max(np.ceil(shorter), 1.0), float(MOST_ROWS)))
                along_of = int(min(max(np.ceil(longer * across_of / max(shorter, 1.0)), 1.0), float(MOST_SAMPLES)))
                level = min(int(np.log2(max(longer / along_of, shorter / across_of, 1.0))), places.shape[0] - 1)
                left, columns, rows = places[level, 0], places[level, 1], places[level, 2]
                weight = np.float32(1.0 / (along_of * across_of))
                grow_x, grow_y = columns / wide, rows / high
                along, over = longer / along_of, shorter / across_of
                step_x, step_y = np.cos(turn) * along * grow_x, np.sin(turn) * along * grow_y
                over_x, over_y = -np.sin(turn) * over * grow_x, np.cos(turn) * over * grow_y
            red, green, blue = np.float32(0), np.float32(0), np.float32(0)
            for n in range(across_of):
                aside = n + 0.5 - 0.5 * across_of
                sx = u * grow_x - 0.5 + aside * over_x - 0.5 * (along_of - 1) * step_x
                sy = v * grow_y - 0.5 + aside * over_y - 0.5 * (along_of - 1) * step_y
                for _ in range(along_of):
                    tx, ty = min(max(sx, 0.0), columns - 1.001), min(max(sy, 0.0), rows - 1.001)
                    i, j = int(tx), int(ty)
                    fx, fy = np.float32(tx - i), np.float32(ty - j)
                    i += left
                    m, k = i + 1, j + 1
                    b, d = fx * (one - fy), fx * fy
                    a, c = one - fy - b, fy - d
                    red += a * copies[j, i, 0] + b * copies[j, m, 0] + c * copies[k, i, 0] + d * copies[k, m, 0]
                    green += a * copies[j, i, 1] + b * copies[j, m, 1] + c * copies[k, i, 1] + d * copies[k, m, 1]
                    blue += a * copies[j, i, 2] + b * copies[j, m, 2] + c * copies[k, i, 2] + d * copies[k, m, 2]
                    sx += step_x
                    sy += step_y
            out[y, x, 0] += covered * (red * weight - out[y, x, 0])
            out[y, x, 1] += covered * (green * weight - out[y, x, 1])
            out[y, x, 2] += covered * (blue * weight - out[y, x, 2])
