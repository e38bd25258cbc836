"""Whose each pixel near a matte's edge is, told by a small network from what is seen around it.

The colours on either side of the line vote first (`local_colours.py`). How much their votes count beside each other,
the rough matte and the picture's own edges is learnt: `edge.onnx` beside this file, EDGE_MODEL.md says of what.
"""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.log_odds import expit
from kalyptra.core.matte.local_colours import Matte, Sides, edge_between, sides_of
from kalyptra.core.onnx_session import session_of

FILE = Path(__file__).with_name("edge.onnx")
BAND = 1.5
"""Widths on either side of the line within which pixels are told."""
BLURRED = (2.0, 3.0)
"""Widths that the picture takes from one side to the other, as motion blurs it, from which on the matte counts beside
what is told, and alone: the band is too narrow to tell more. Chosen on training clips and one of the tune half."""
NEARBY = (-4.0, -2.0, -1.0, 1.0, 2.0, 4.0)
BEYOND = (-3.0, 3.0)
"""Px outwards, of a width of four, at which what is there is looked at as well."""
FEATURES = (
    "matte", "matte over 5 px", "matte over 11 px", "edge by colours", "edge over 3 px", "edge over 5 px",
    "edge over 9 px", "px outside", "px inside", "unlike the subject", "unlike what is around", "which it is more like",
    "which over 3 px", "which over 5 px", "share of the colours", "share over 3 px", "share over 5 px",
    "share of the light", "share of the light over 3 px", "how far the sides differ", "slope outwards", "slope along",
    "slope outwards over 3 px", "size of the slope", "lightness", "blurred beside sharp",
    *(f"{what}, {px:+.0f} px" for px in NEARBY for what in ("share", "matte")),
    *(f"which, {px:+.0f} px" for px in BEYOND),
)  # fmt: skip
"""What the network is told of a pixel, in order. Px are such as a width of four has."""
LIGHT = 2.2
"""Of codes as shares, to this power, is light: the curve of sRGB, near enough to tell a share by."""


def edge_by_network(codes: NDArray[np.uint8], matte: Matte, width: float) -> Matte:
    """A matte with the pixels near its line told anew.

    Args:
        codes: (height, width, 3) the picture, 8 bits.
        matte: (height, width) 0 to 1, its line at most `width` px off.

    Returns:
        (height, width) 0 to 1: the matte itself farther than `BAND` widths from its line.
    """
    near = near_line(codes, matte, width)
    if near is None:
        return matte
    told = expit(session_of(FILE).run(None, {"features": near.features})[0][:, 0])
    narrow, wide = (np.float32(widths * width) for widths in BLURRED)
    blurred = np.clip((near.ramp - narrow) / (wide - narrow), 0, 1)
    out = matte.copy()
    out[near.pixels] = told + blurred * (matte[near.pixels] - told)
    return out


class Near(NamedTuple):
    """The pixels near a matte's line.

    Attributes:
        pixels: (height, width) which, n of them.
        features: (n, features) what the network is told of each, in the order of rows.
        ramp: (n,) px that the picture takes from the one side of the line to the other.
    """

    pixels: NDArray[np.bool_]
    features: NDArray[np.float32]
    ramp: NDArray[np.float32]


def near_line(codes: NDArray[np.uint8], matte: Matte, width: float) -> Near | None:
    """What is near a matte's line, None where it has none; arguments as for `edge_by_network`."""
    sides = sides_of(codes, matte, width, width, width, BAND * width)
    if sides is None:
        return None
    pixels = np.abs(sides.signed) < BAND * width
    slope = _slope_of(sides, codes, matte, width)
    return Near(pixels, _features_of(sides, slope, codes, matte, width, pixels), slope.ramp[pixels])


class _Slope(NamedTuple):
    """How a picture goes over from the one side of a line to the other: (height, width) each.

    Attributes:
        x_out, y_out: which way is outwards.
        apart: codes by which the sides differ.
        share, of_light: how far a pixel lies on the way from the colour around to the subject's, in codes and in light.
        ramp: px that the whole way would take, as steep as it is at the line nearby.
    """

    x_out: Matte
    y_out: Matte
    apart: Matte
    share: Matte
    of_light: Matte
    ramp: Matte


def _slope_of(sides: Sides, codes: NDArray[np.uint8], matte: Matte, width: float) -> _Slope:
    """How the picture goes over from the one side to the other."""
    scale, picture = width / 4, codes.astype(np.float32)
    own, around = (_enlarged(normal[..., :3], matte) for normal in (sides.own, sides.around))
    apart = own - around
    squared = cv2.transform(apart * apart, np.ones((1, 3), np.float32))
    share = _share(cv2.transform((picture - around) * apart, np.ones((1, 3), np.float32)), squared, 50.0)
    light, light_own, light_around = (_light(values) for values in (picture, own, around))
    lighter = light_own - light_around
    of_light = _share(
        cv2.transform((light - light_around) * lighter, np.ones((1, 3), np.float32)),
        cv2.transform(lighter * lighter, np.ones((1, 3), np.float32)),
        1e-4,
    )
    x_out, y_out = _slope(cv2.GaussianBlur(sides.signed, (0, 0), 2.0 * scale))
    length = np.sqrt(x_out * x_out + y_out * y_out) + np.float32(1e-3)
    x_out, y_out = x_out / length, y_out / length
    across, down = _slope(cv2.GaussianBlur(share, (0, 0), scale))
    at_line = (np.abs(sides.signed) < 0.6 * width).astype(np.float32)
    steep = np.maximum(-(across * x_out + down * y_out), 0) * at_line
    ramp = _over(at_line, 15, scale) / np.maximum(_over(steep, 15, scale), np.float32(1e-4))
    return _Slope(x_out, y_out, np.sqrt(squared), share, of_light, np.asarray(ramp, np.float32))


def _features_of(
    sides: Sides, slope: _Slope, codes: NDArray[np.uint8], matte: Matte, width: float, near: NDArray[np.bool_]
) -> NDArray[np.float32]:
    """(n, features) of the pixels that are near, in the order of rows."""
    scale = width / 4
    edge = edge_between(sides, codes, matte, width)
    which = np.clip(sides.unlike_around - sides.unlike_own, -300, 300)
    x_out, y_out, share, of_light = slope.x_out, slope.y_out, slope.share, slope.of_light
    grey = cv2.transform(codes.astype(np.float32), np.full((1, 3), 1 / 3, np.float32))
    x_slope, y_slope = _slope(grey)
    outwards = x_slope * x_out + y_slope * y_out
    planes = (
        matte, _over(matte, 5, scale), _over(matte, 11, scale), edge, *(_over(edge, px, scale) for px in (3, 5, 9)),
        sides.signed / scale, np.maximum(-sides.signed, 0) / scale, np.clip(sides.unlike_own, -20, 300),
        np.clip(sides.unlike_around, -20, 300), which, *(_over(which, px, scale) for px in (3, 5)),
        share, *(_over(share, px, scale) for px in (3, 5)), of_light, _over(of_light, 3, scale), slope.apart,
        outwards, np.abs(x_slope * y_out - y_slope * x_out), _over(outwards, 3, scale),
        _over(np.abs(outwards), 5, scale), grey, cv2.GaussianBlur(grey, (0, 0), scale) - grey,
    )  # fmt: skip
    columns = [plane[near] for plane in planes]
    at = np.nonzero(near)
    x, y = (at[axis].astype(np.float32) for axis in (1, 0))
    beside = _Beside(x, y, *(out[near] * np.float32(scale) for out in (x_out, y_out)))
    columns += [beside.sampled(plane, px) for px in NEARBY for plane in (share, matte)]
    columns += [beside.sampled(which, px) for px in BEYOND]
    return np.stack(columns, axis=1).astype(np.float32)


class _Beside:
    """Pixels, and which way is outwards of each: (n,) each."""

    def __init__(self, x: Matte, y: Matte, x_out: Matte, y_out: Matte) -> None:
        self._x, self._y, self._x_out, self._y_out = x, y, x_out, y_out

    def sampled(self, plane: Matte, px: float) -> Matte:
        """(n,) of a plane (height, width), so many px outwards."""
        x, y = self._x + np.float32(px) * self._x_out, self._y + np.float32(px) * self._y_out
        # OpenCV takes at most 32767 rows or columns.
        rows = -(-len(x) // 1024)
        room = rows * 1024 - len(x)
        x, y = (np.pad(values, (0, room)).reshape(rows, 1024) for values in (x, y))
        out = cv2.remap(plane, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        return np.asarray(out).ravel()[: len(self._x)]


def _enlarged(values: Matte, matte: Matte) -> Matte:
    return np.asarray(cv2.resize(np.ascontiguousarray(values), matte.shape[::-1], interpolation=cv2.INTER_LINEAR))


def _share(along: Matte, whole: Matte, least: float) -> Matte:
    """How far a pixel lies on the way from the colour around to the subject's: 0 to 1, and a width more either way."""
    return np.asarray(np.clip(along / np.maximum(whole, np.float32(least)), -1, 2), np.float32)


def _light(codes: Matte) -> Matte:
    return np.asarray(cv2.pow(np.clip(codes, 0, 255) / np.float32(255), LIGHT), np.float32)


def _slope(plane: Matte) -> tuple[Matte, Matte]:
    """Across and down, a px."""
    across, down = (cv2.Sobel(plane, cv2.CV_32F, x, 1 - x, ksize=3, scale=1 / 8) for x in (1, 0))
    return across, down


def _over(plane: Matte, px: int, scale: float) -> Matte:
    """The mean over so many px of a width of four, an odd number of them here."""
    side = 2 * round((px * scale - 1) / 2) + 1
    return np.asarray(cv2.blur(np.ascontiguousarray(plane), (side, side)))
