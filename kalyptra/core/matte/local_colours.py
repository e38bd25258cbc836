"""Draw the edge of a rough matte where the colours change.

What lies surely inside nearby, and what surely outside, has each its normal distribution of colours; a pixel near the
line is the subject's as far as they, and the rough matte, make it likely. A small guided filter then gives the edge the
softness of the picture.

Source: the local Gaussian models of Chuang, Curless, Salesin and Szeliski, A Bayesian approach to digital matting, CVPR
2001; there the edge is solved for colours too, here they only vote.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.compiled import compiled
from kalyptra.core.log_odds import expit, logit
from kalyptra.core.matte.guided_filter import guided_filter
from kalyptra.core.pull_push import fill

Matte = NDArray[np.float32]


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the tune half of `truth/motion`: outlines 1 to 6 px loose, followed mattes."""

    loose: float = 0.4
    """How far outside of a loose line the edge may be, as a share of how far inside."""
    nearby: float = 1.5
    """How wide the neighbourhood of a pixel is whose colours count, in widths of the band, and 5 px more."""
    wider: float = 3.0
    wider_costs: float = 6.0
    """Neighbourhoods so much wider count for the subject as well, where its colours there are so much likelier (twice
    the log likelihood): what is thin and dark at its edge, like hair around a face, is not of the colours beside it."""
    every: int = 2
    """Of the pixels, every second one in either direction is looked at: distributions change slowly."""
    noise: float = 36.0
    """Squared codes that colours scatter at least."""
    counts: float = 0.25
    """What colours count beside the rough matte: pixels nearby are alike, and no witnesses of their own."""
    least: float = 0.02
    """What the rough matte leaves open where it is sure."""
    thin: float = 0.6
    """The share of its depth at which a part is surely the subject that is thinner than the band."""
    softness: float = 0.4
    eps: float = 1e-3
    contrast: float = 1.3
    """The guided filter: its radius in widths of the band; see there."""


TUNING = Tuning()


class Sides(NamedTuple):
    """The two sides of a line, and how unlike each of them a pixel near it is.

    Attributes:
        signed: (height, width) px outside of the line, negative inside.
        open_: (height, width) whether a pixel lies between what is surely inside and what is surely outside.
        own, around: (height / 2, width / 2, 9) of the colours of either side nearby, their mean and means of products.
        unlike_own, unlike_around: (height, width) twice the negative log likelihood by either side, where asked.
    """

    signed: Matte
    open_: NDArray[np.bool_]
    own: Matte
    around: Matte
    unlike_own: Matte
    unlike_around: Matte


def sides_of(
    codes: NDArray[np.uint8], matte: Matte, inwards: float, outwards: float, width: float, reach: float = 0.0
) -> Sides | None:
    """The two sides of a matte's line; None where it has but one.

    Args:
        codes: (height, width, 3) the picture, 8 bits.
        matte: (height, width) 0 to 1.
        inwards, outwards: px from the line from which on either side is sure.
        width: px that tell how near colours must be to count.
        reach: px on either side of the line within which each pixel is told, also where a side is sure.
    """
    solid = (matte > 0.5).astype(np.uint8)
    depth = cv2.distanceTransform(solid, cv2.DIST_L2, 5)
    signed = cv2.distanceTransform(1 - solid, cv2.DIST_L2, 5) - depth
    side = 2 * math.ceil(inwards) + 1
    ridge = cv2.dilate(depth, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side)))
    inner = depth > np.minimum(np.float32(inwards), TUNING.thin * ridge)
    outer = signed > np.float32(outwards)
    if not inner.any() or not outer.any():
        return None
    picture, nearby = codes.astype(np.float32), TUNING.nearby * width + 5
    open_ = ~inner & ~outer
    asked = open_ | (np.abs(signed) < reach) if reach else open_
    own, around, wider = (
        _colours_of(picture, known, near)
        for known, near in ((inner, nearby), (outer, nearby), (inner, TUNING.wider * nearby))
    )
    unlike_own, unlike_around, unlike_wider = (_unlike(picture, normal, asked) for normal in (own, around, wider))
    unlike_own = np.minimum(unlike_own, unlike_wider + np.float32(TUNING.wider_costs))
    return Sides(signed, open_, own, around, unlike_own, unlike_around)


def edge_by_colours(codes: NDArray[np.uint8], matte: Matte, width: float, loose: bool = False) -> Matte:
    """A matte whose line goes where the colours change.

    Args:
        codes: (height, width, 3) the picture, 8 bits.
        matte: (height, width) 0 to 1.
        width: px on either side of its line between which the edge is.
        loose: the line is drawn, and lies outside of the edge more often than inside; its own softness says nothing.

    Returns:
        (height, width) 0 to 1: the matte itself outside of the band.
    """
    inwards, outwards = width, width * TUNING.loose if loose else width
    sides = sides_of(codes, matte, inwards, outwards, width)
    return matte if sides is None else edge_between(sides, codes, matte, width, loose)


def edge_between(sides: Sides, codes: NDArray[np.uint8], matte: Matte, width: float, loose: bool = False) -> Matte:
    """The same, where its two sides are known."""
    inwards, outwards = width, width * TUNING.loose if loose else width
    signed, before = sides.signed, matte
    if loose:  # between the two limits nothing is known but that it lies there
        middle, wide = (outwards - inwards) / 2, max(0.75 * (inwards + outwards), 1.0)
        before = 0.5 - (signed - np.float32(middle)) / np.float32(wide)
    before = np.clip(before, TUNING.least, 1 - TUNING.least)
    says = np.float32(0.5 * TUNING.counts) * (sides.unlike_around - sides.unlike_own)
    likely = np.where(sides.open_, expit(logit(before) + says), matte).astype(np.float32)
    radius = max(1, round(TUNING.softness * width))
    soft = guided_filter(codes, likely, radius, TUNING.eps, TUNING.contrast)
    near = np.clip(np.minimum(outwards + 2 - signed, signed + inwards + 2), 0, 1)
    return np.asarray(matte + near * (soft - matte), np.float32)


def px_outside(drawn: Matte, matte: Matte, width: float) -> float:
    """By how many px a line lies outside of the matte that was made of it, in the middle of all its edge.

    Args:
        drawn, matte: (height, width) 0 to 1, what the line encloses, and that.
        width: px on either side of the line between which the edge was looked for.
    """
    solid, own = (drawn > 0.5).astype(np.uint8), (matte > 0.5).astype(np.uint8)
    deep = cv2.distanceTransform(solid, cv2.DIST_L2, 5) - cv2.distanceTransform(1 - solid, cv2.DIST_L2, 5)
    edge = (own > 0) & (cv2.erode(own, np.ones((3, 3), np.uint8)) == 0) & (np.abs(deep) < width + 2)
    return float(np.median(deep[edge])) - 1 if edge.any() else 0.0


def _colours_of(picture: Matte, known: NDArray[np.bool_], nearby: float) -> Matte:
    """(height / 2, width / 2, 9) of what is known within some px of each pixel: the mean colour and the means of
    products (rr, rg, rb, gg, gb, bb), carried on to where nothing is."""
    every = slice(None, None, TUNING.every)
    share = known[every, every].astype(np.float32)
    products = np.empty((*share.shape, 9), np.float32)
    _products(np.ascontiguousarray(picture[every, every]), share, products)
    side = (2 * round((nearby / TUNING.every - 1) / 2) + 1,) * 2
    sums, count = cv2.blur(products, side), cv2.blur(share, side)
    sums /= np.maximum(count, 1e-6)[..., None]
    return fill(sums, np.clip(20 * count, 0, 1))


def _unlike(picture: Matte, normal: Matte, asked: NDArray[np.bool_]) -> Matte:
    """(height, width) twice the negative log likelihood of the pixels that are asked for."""
    out = np.zeros(asked.shape, np.float32)
    _unlikely(picture, normal, asked, TUNING.every, np.float32(TUNING.noise), out)
    return out


@compiled
def _products(picture, share, out):  # type: ignore[no-untyped-def]
    for y in range(share.shape[0]):
        for x in range(share.shape[1]):
            w = share[y, x]
            r, g, b = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2]
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = w * r, w * g, w * b
            out[y, x, 3], out[y, x, 4], out[y, x, 5] = w * r * r, w * r * g, w * r * b
            out[y, x, 6], out[y, x, 7], out[y, x, 8] = w * g * g, w * g * b, w * b * b


@compiled
def _unlikely(picture, normal, open_, every, noise, out):  # type: ignore[no-untyped-def]
    """Twice the negative log likelihood of each open pixel's colour, but for a constant."""
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            if not open_[y, x]:
                continue
            v, u = y // every, x // every
            m0, m1, m2 = normal[v, u, 0], normal[v, u, 1], normal[v, u, 2]
            a = normal[v, u, 3] - m0 * m0 + noise
            b = normal[v, u, 4] - m0 * m1
            c = normal[v, u, 5] - m0 * m2
            d = normal[v, u, 6] - m1 * m1 + noise
            e = normal[v, u, 7] - m1 * m2
            f = normal[v, u, 8] - m2 * m2 + noise
            p0, p1, p2 = picture[y, x, 0] - m0, picture[y, x, 1] - m1, picture[y, x, 2] - m2
            i00, i01, i02 = d * f - e * e, c * e - b * f, b * e - c * d
            i11, i12, i22 = a * f - c * c, b * c - a * e, a * d - b * b
            whole = max(a * i00 + b * i01 + c * i02, noise)
            squares = (
                i00 * p0 * p0 + i11 * p1 * p1 + i22 * p2 * p2 + 2 * (i01 * p0 * p1 + i02 * p0 * p2 + i12 * p1 * p2)
            )
            out[y, x] = max(squares, 0.0) / whole + np.log(whole)
