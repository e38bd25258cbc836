"""A picture laid on a flat card in space: sampled so that small print neither shimmers nor smears.

What a pixel sees of the picture is a long thin patch where the card is seen at an angle. It is sampled along its long
side, each sample from a copy of the picture that is as coarse as the patch is thin.

Source: P. S. Heckbert, Survey of Texture Mapping, IEEE Computer Graphics and Applications, 1986 (copies of half the
size); J. McCormack et al., Feline: fast elliptical lines for anisotropic texture mapping, SIGGRAPH 1999 (samples along
the long side).
"""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled

Light = NDArray[np.float32]
MOST_SAMPLES = 24
"""Along the long side of what a pixel sees."""
MOST_ROWS = 4
"""Across its short side."""
RUN = 16
"""Px of a row that are sampled alike."""
SMALLEST = 4
"""Px of the coarsest copy."""
PLACES = 9
"""Along each side of what is seen, where it is looked at how far apart samples are."""
BEHIND = -1e9
"""Px outside of the picture that stand for what lies behind the camera."""
FARTHEST, LONGEST = 1e7, 1e6
"""Px of the picture that a place, and the side of a patch, are at most: where a card passes by the camera they would
grow without end."""


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
    out, cover = np.empty((*size, 3), np.float32), np.empty(size, np.float32)
    high, wide = light.shape[:2]
    ends = matrix @ np.array([[0, wide, wide, 0], [0, 0, high, high], [1, 1, 1, 1.0]])
    if (ends[2] <= 0).any():  # its part behind the camera has no box; the rest is seen wherever it is
        left, top, right, low = 0, 0, size[1], size[0]
    else:
        x, y = ends[0] / ends[2], ends[1] / ends[2]
        left, right = (int(np.clip(at, 0, size[1])) for at in (np.floor(x.min()) - 1, np.ceil(x.max()) + 1))
        top, low = (int(np.clip(at, 0, size[0])) for at in (np.floor(y.min()) - 1, np.ceil(y.max()) + 1))
    for plane in (out, cover):
        plane[:top], plane[low:], plane[top:low, :left], plane[top:low, right:] = 0, 0, 0, 0
    back = np.asarray(np.linalg.inv(matrix), np.float64)
    box = left, top, right, low
    copies, places = _copies(light, alpha, _coarsest(back, box))
    _lay(copies, places, back, float(wide), float(high), *box, out, cover)
    return out, cover


def _coarsest(back: NDArray[np.float64], box: tuple[int, int, int, int]) -> int:
    """How often the picture has to be halved at most for what is seen of it in a box: there samples as close as can
    be lie a px of the copy apart. A little more than at the places that are looked at."""
    across, down = (np.linspace(box[i], box[i + 2], PLACES) for i in (0, 1))
    at = np.array([(x, y, 1.0) for y in down for x in across])
    u, v, w = back @ at.T
    seen = w > 1e-12
    if not seen.any():
        return 0
    share = 1 / w[seen]
    moves = [
        (row[i] - place[seen] * share * back[2, i]) * share
        for row, place in ((back[0], u), (back[1], v))
        for i in (0, 1)
    ]
    patch = np.linalg.svd(np.clip(np.stack(moves, -1), -LONGEST, LONGEST).reshape(-1, 2, 2), compute_uv=False)
    apart = float(np.max(np.maximum(patch[:, 0] / MOST_SAMPLES, patch[:, 1] / MOST_ROWS)))
    return math.ceil(math.log2(max(1.2 * apart, 1.0)))


def _copies(
    light: Light, alpha: NDArray[np.float32] | None, halved: int
) -> tuple[NDArray[np.float32], NDArray[np.int64]]:
    """The picture and its copies of half the size, one after the other, each pixel with its alpha and its light times
    that; and of each where it begins, its width and its height.

    Args:
        halved: how often, at most.
    """
    height, width = light.shape[:2]
    sizes = [(height, width)]
    while min(sizes[-1]) > SMALLEST and len(sizes) <= halved:
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
    # Row by row, in steps that the compiler can do for many pixels at once.
    count, zero, one = x1 - x0, np.float32(0), np.float32(1)
    us, vs = np.empty(count, np.float32), np.empty(count, np.float32)
    within, covered = np.empty(count, np.float32), np.empty(count, np.float32)
    step_x, step_y = np.empty(count, np.float32), np.empty(count, np.float32)
    over_x, over_y = np.empty(count, np.float32), np.empty(count, np.float32)
    first = np.empty(count, np.int32)
    fa, fb = np.empty(count, np.float32), np.empty(count, np.float32)
    fc, fd = np.empty(count, np.float32), np.empty(count, np.float32)
    seen = np.empty((count, 4), np.float32)
    for y in range(y0, y1):
        py = y + 0.5
        at_u, at_v, at_w = back[0, 1] * py + back[0, 2], back[1, 1] * py + back[1, 2], back[2, 1] * py + back[2, 2]
        for x in range(count):
            px = x0 + x + 0.5
            w = back[2, 0] * px + at_w
            share = 1.0 / max(w, 1e-12)
            u, v = (back[0, 0] * px + at_u) * share, (back[1, 0] * px + at_v) * share
            us[x], vs[x] = min(max(u, -FARTHEST), FARTHEST), min(max(v, -FARTHEST), FARTHEST)
            within[x] = min(min(u, wide - u), min(v, high - v)) if w > 1e-12 else BEHIND
        begin = 0
        while begin < count:
            across_of, along_of, level, end = 0, 0, 0, begin
            while end < count:
                last = min(end + RUN, count)
                x = (end + last) // 2
                share = 1.0 / max(back[2, 0] * (x0 + x + 0.5) + at_w, 1e-12)
                u, v = us[x], vs[x]
                # How far the place on the picture moves for a pixel to the right, and for one down.
                ux, vx = (back[0, 0] - u * back[2, 0]) * share, (back[1, 0] - v * back[2, 0]) * share
                uy, vy = (back[0, 1] - u * back[2, 1]) * share, (back[1, 1] - v * back[2, 1]) * share
                across, down = np.sqrt(ux * ux + uy * uy), np.sqrt(vx * vx + vy * vy)
                # Beyond this from the card's edges all pixels of a run are covered, or none is.
                rim, least, most = 1.5 * max(across, down), within[end], within[end]
                for x in range(end, last):
                    least, most = min(least, within[x]), max(most, within[x])
                if most < -rim:
                    break
                # The patch's axes: of the matrix of those moves, its singular values and its long direction.
                p, q, r = ux * ux + uy * uy, ux * vx + uy * vy, vx * vx + vy * vy
                mean, spread = (p + r) / 2, np.sqrt(((p - r) / 2) ** 2 + q * q)
                aim_x, aim_y = (mean + spread - r, q) if p >= r else (q, mean + spread - p)
                length = np.sqrt(aim_x * aim_x + aim_y * aim_y)
                aim_x, aim_y = (aim_x / length, aim_y / length) if length > 1e-12 else (1.0, 0.0)
                longer = min(np.sqrt(mean + spread), LONGEST)
                shorter = min(np.sqrt(max(mean - spread, 1e-12)), LONGEST)
                # So many samples that neighbours are about a px of the picture apart; else of a copy.
                rows_of = int(min(max(np.ceil(shorter), 1.0), float(MOST_ROWS)))
                samples = int(min(max(np.ceil(longer * rows_of / max(shorter, 1.0)), 1.0), float(MOST_SAMPLES)))
                coarse, apart = 0, max(longer / samples, shorter / rows_of)
                while apart >= 2 and coarse < places.shape[0] - 1:
                    coarse, apart = coarse + 1, apart / 2
                if end > begin and (rows_of != across_of or samples != along_of or coarse != level):
                    break
                across_of, along_of, level = rows_of, samples, coarse
                along, over = longer / along_of, shorter / across_of
                grow_x, grow_y = places[level, 1] / wide, places[level, 2] / high
                ahead_x, ahead_y = np.float32(aim_x * along * grow_x), np.float32(aim_y * along * grow_y)
                aside_x, aside_y = np.float32(-aim_y * over * grow_x), np.float32(aim_x * over * grow_y)
                for x in range(end, last):
                    step_x[x], step_y[x], over_x[x], over_y[x] = ahead_x, ahead_y, aside_x, aside_y
                    covered[x] = one
                    if least < rim:
                        # Coverage: how far inside each of the four edges the pixel lies, in px of what is seen.
                        u, v = us[x], vs[x]
                        inside = min(min(u, wide - u) / max(across, 1e-9), min(v, high - v) / max(down, 1e-9)) + 0.5
                        covered[x] = min(max(inside, 0.0), 1.0) if within[x] > 0.5 * BEHIND else 0.0
                end = last
            if end == begin:
                end = min(begin + RUN, count)
                out[y, x0 + begin : x0 + end], cover[y, x0 + begin : x0 + end] = zero, zero
                begin = end
                continue
            start, columns = np.int32(places[level, 0]), np.int32(places[level, 1])
            grow_u, grow_v = np.float32(places[level, 1] / wide), np.float32(places[level, 2] / high)
            most_x, most_y = np.float32(places[level, 1] - 1.001), np.float32(places[level, 2] - 1.001)
            row = np.uint64(columns)
            # Parts of the row, which the compiler knows to be counted from 0.
            many, part = end - begin, slice(begin, end)
            u_of, v_of, seen_of, covered_of = us[part], vs[part], seen[part], covered[part]
            along_x, along_y, over_x_of, over_y_of = step_x[part], step_y[part], over_x[part], over_y[part]
            for x in range(many):
                for e in range(4):
                    seen_of[x, e] = zero
            for n in range(across_of):
                aside = np.float32(n + 0.5 - 0.5 * across_of)
                for t in range(along_of):
                    ahead = np.float32(t + 0.5 - 0.5 * along_of)
                    for x in range(many):
                        tx = u_of[x] * grow_u - np.float32(0.5) + aside * over_x_of[x] + ahead * along_x[x]
                        ty = v_of[x] * grow_v - np.float32(0.5) + aside * over_y_of[x] + ahead * along_y[x]
                        tx, ty = min(max(tx, zero), most_x), min(max(ty, zero), most_y)
                        i, j = np.int32(tx), np.int32(ty)
                        fx, fy = tx - np.float32(i), ty - np.float32(j)
                        first[x] = start + j * columns + i
                        d = fx * fy
                        fb[x], fc[x], fd[x] = fx - d, fy - d, d
                        fa[x] = one - fx - fy + d
                    for x in range(many):
                        m = np.uint64(first[x])
                        k, m1, k1 = m + row, m + np.uint64(1), m + row + np.uint64(1)
                        a, b, c, d = fa[x], fb[x], fc[x], fd[x]
                        # All four before any is kept, so that they are worked out in one instruction.
                        red = (
                            seen_of[x, 0] + a * copies[m, 0] + b * copies[m1, 0] + c * copies[k, 0] + d * copies[k1, 0]
                        )
                        green = (
                            seen_of[x, 1] + a * copies[m, 1] + b * copies[m1, 1] + c * copies[k, 1] + d * copies[k1, 1]
                        )
                        blue = (
                            seen_of[x, 2] + a * copies[m, 2] + b * copies[m1, 2] + c * copies[k, 2] + d * copies[k1, 2]
                        )
                        there = (
                            seen_of[x, 3] + a * copies[m, 3] + b * copies[m1, 3] + c * copies[k, 3] + d * copies[k1, 3]
                        )
                        seen_of[x, 0], seen_of[x, 1], seen_of[x, 2], seen_of[x, 3] = red, green, blue, there
            weight = np.float32(1.0 / (along_of * across_of))
            light, laid = out[y, x0 + begin : x0 + end], cover[y, x0 + begin : x0 + end]
            for x in range(many):
                alpha = min(seen_of[x, 3] * weight, one)
                if alpha >= np.float32(1e-4) and covered_of[x] > zero:
                    laid[x] = covered_of[x] * alpha
                    each = one / seen_of[x, 3]
                    for e in range(3):
                        light[x, e] = seen_of[x, e] * each
                else:
                    laid[x] = zero
                    for e in range(3):
                        light[x, e] = zero
            begin = end
