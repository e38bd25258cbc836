"""Draw a rough matte to the edges of the picture.

Source: He, Sun and Tang, Guided image filtering, ECCV 2010, with a colour guide; and He and Sun, Fast guided filter,
arXiv 1505.00996, for the smaller working size.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled

Matte = NDArray[np.float32]


def guided_filter(
    picture: NDArray[np.uint8], matte: NDArray[Any], radius: int, eps: float, contrast: float = 1.0, smaller: int = 1
) -> Matte:
    """A matte that is locally an affine function of the picture's colours.

    Args:
        picture: (height, width, 3) codes in 8 bits.
        matte: (height, width) 0 to 1.
        radius: px of the windows in which that holds.
        eps: what a variance of colour (codes as 0 to 1) must exceed to count as an edge.
        contrast: by which the result is steepened about one half, since windows soften it.
        smaller: by how much the affine functions are worked out at a smaller size.

    Returns:
        (height, width) 0 to 1.
    """
    size = (max(1, picture.shape[1] // smaller), max(1, picture.shape[0] // smaller))
    rough = np.asarray(matte, np.float32)
    guide = picture
    if smaller > 1:
        guide = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
        rough = cv2.resize(rough, size, interpolation=cv2.INTER_AREA)
    affine = _affine(guide, rough, max(1, radius // smaller), eps)
    if smaller > 1:
        affine = cv2.resize(affine, (picture.shape[1], picture.shape[0]), interpolation=cv2.INTER_LINEAR)
    out = np.empty(picture.shape[:2], np.float32)
    _fitted(picture, affine, np.float32(contrast), out)
    return out


def _affine(guide: NDArray[np.uint8], matte: Matte, radius: int, eps: float) -> NDArray[np.float32]:
    """The affine functions of all windows a pixel lies in, averaged: (height, width, 4), factors and offset."""
    side = (2 * radius + 1, 2 * radius + 1)
    sums = np.empty((*guide.shape[:2], 13), np.float32)
    _products(guide, matte, sums)
    means = cv2.blur(sums, side, borderType=cv2.BORDER_REFLECT)
    affine = np.empty((*guide.shape[:2], 4), np.float32)
    _solve(means, np.float32(eps), affine)
    return np.asarray(cv2.blur(affine, side, borderType=cv2.BORDER_REFLECT))


@compiled
def _products(guide, matte, out):  # type: ignore[no-untyped-def]
    """Colours, matte, and their products two by two."""
    for y in range(guide.shape[0]):
        for x in range(guide.shape[1]):
            r = np.float32(guide[y, x, 0]) / np.float32(255)
            g = np.float32(guide[y, x, 1]) / np.float32(255)
            b = np.float32(guide[y, x, 2]) / np.float32(255)
            p = matte[y, x]
            out[y, x, 0], out[y, x, 1], out[y, x, 2], out[y, x, 3] = r, g, b, p
            out[y, x, 4], out[y, x, 5], out[y, x, 6] = r * r, r * g, r * b
            out[y, x, 7], out[y, x, 8], out[y, x, 9] = g * g, g * b, b * b
            out[y, x, 10], out[y, x, 11], out[y, x, 12] = r * p, g * p, b * p


@compiled
def _solve(means, eps, out):  # type: ignore[no-untyped-def]
    """The affine function of each window: covariances through the inverse of a symmetric 3 x 3 matrix."""
    for y in range(means.shape[0]):
        for x in range(means.shape[1]):
            r, g, b, p = means[y, x, 0], means[y, x, 1], means[y, x, 2], means[y, x, 3]
            rr, rg, rb = means[y, x, 4] - r * r + eps, means[y, x, 5] - r * g, means[y, x, 6] - r * b
            gg, gb, bb = means[y, x, 7] - g * g + eps, means[y, x, 8] - g * b, means[y, x, 9] - b * b + eps
            c00, c01, c02 = gg * bb - gb * gb, rb * gb - rg * bb, rg * gb - rb * gg
            c11, c12, c22 = rr * bb - rb * rb, rg * rb - rr * gb, rr * gg - rg * rg
            whole = rr * c00 + rg * c01 + rb * c02
            pr, pg, pb = means[y, x, 10] - r * p, means[y, x, 11] - g * p, means[y, x, 12] - b * p
            fr = (c00 * pr + c01 * pg + c02 * pb) / whole
            fg = (c01 * pr + c11 * pg + c12 * pb) / whole
            fb = (c02 * pr + c12 * pg + c22 * pb) / whole
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = fr, fg, fb
            out[y, x, 3] = p - fr * r - fg * g - fb * b


@compiled
def _fitted(picture, affine, contrast, out):  # type: ignore[no-untyped-def]
    half, scale = np.float32(0.5), np.float32(1 / 255)
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            value = affine[y, x, 3]
            for c in range(3):
                value += affine[y, x, c] * (picture[y, x, c] * scale)
            out[y, x] = min(max((value - half) * contrast + half, np.float32(0)), np.float32(1))
