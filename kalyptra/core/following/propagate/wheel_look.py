"""A wheel's rim as the key shows it: where the same picture, turned, is seen again.

The rim's colours at the key are compared with a frame around each place where the hub may be, at every angle at once:
that tells a place also where a rim has the colours of the ground that it rolls on, and the angle where a rim is no
plain ring.
Source: a template's masked sum of squared differences by Fourier transforms, Padfield, Masked object registration in
the Fourier domain, IEEE TIP 21(5), 2012; in polar pictures, as in `wheel_fit.py`.
"""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy import fft
from numpy.typing import NDArray

from kalyptra.core.following.propagate.lab import main_colours
from kalyptra.core.following.propagate.round_rims import Place

Values = NDArray[np.float32]


class Tuning(NamedTuple):
    """What can be tuned. Chosen on made-up carts."""

    rings: tuple[float, float] = (0.78, 1.1)
    ring_count: int = 7
    angles: int = 96
    """Radii from the hub between which a rim is looked at, in how many rings, and at how many angles."""
    solid: float = 0.85
    """The key's share from which on a pixel is the rim's alone."""
    least: float = 0.15
    """The share of the rings' mean that must be solid, to compare at all."""
    colours: int = 6
    """Its main colours."""
    same: float = 24.0
    """Codes between two pixels of the same thing, a root mean square over its channels."""
    scale: float = 60.0
    """Codes that count as much as all of a pixel's share."""
    near: float = 4.0
    """Angles that are looked at together, to say whether the rim is seen there."""
    hidden: float = 0.25
    """What a pixel misses that has none of the rim's colours: as much as another part of it would."""
    aside: tuple[int, ...] = (-7, 7)
    """Px beside a place where the rim is not, so that it is known how much looks like it by chance."""


TUNING = Tuning()
RINGS_AT = np.linspace(*TUNING.rings, TUNING.ring_count).astype(np.float32)


class RimLook(NamedTuple):
    """A rim at its key, laid out by angle and distance from the hub: (angles, rings, 3) codes, and (angles, rings) how
    far each is the rim's alone, the more the farther out; and (n, 3) the main ones of these codes."""

    codes: Values
    weight: Values
    colours: Values


def rim_look(codes: NDArray[np.uint8], matte: Values, place: Place) -> RimLook | None:
    """The look of a rim; None where too little of it is solid.

    Args:
        codes, matte: (height, width, 3) and (height, width) of the key; the matte of what may turn alone.
        place: where the wheel is.
    """
    there = _laid(np.dstack([codes.astype(np.float32), matte]), place[None])[0]
    weight = (there[..., 3] > TUNING.solid).astype(np.float32) * RINGS_AT
    if weight.mean() < TUNING.least:
        return None
    cv2.setRNGSeed(1)
    own = there[..., :3].reshape(-1, 3)
    colours = main_colours(own, np.flatnonzero(weight), TUNING.colours, len(own), np.random.default_rng(0))
    return RimLook(np.ascontiguousarray(there[..., :3]), weight, colours)


def might_be(look: RimLook, codes: Values) -> Values:
    """(height, width, 4) the codes of a frame, exposed as the key is, and where they are some of the rim's, 0 or 1."""
    off = np.min([np.square(codes - colour).mean(axis=2) for colour in look.colours], axis=0)
    return np.dstack([codes, (off < (2 * TUNING.same) ** 2).astype(np.float32)])


def look_misfits(look: RimLook, frame: Values, places: NDArray[np.float64]) -> Values:
    """(n, angles) by how much a frame differs from a rim at each of n places, turned by each angle; 1 is `scale`.

    What has none of its colours is something before it, and says little: that counts `hidden`.

    Args:
        frame: (height, width, 4) as by `might_be`.
    """
    now = _laid(frame, places)
    codes, may = now[..., :3], now[..., 3]
    squares = may * (np.square(codes).mean(axis=3) - np.float32(TUNING.hidden * TUNING.scale**2))
    key = look.weight[..., None] * look.codes
    own = look.weight * np.square(look.codes).mean(axis=2)
    spectra = (np.conj(fft.rfft(values, axis=0)) for values in (look.weight, own, key * np.float32(-2 / 3)))
    parts = (fft.rfft(values, axis=1) for values in (squares, may, codes * may[..., None]))
    sums = [part * of for part, of in zip(parts, spectra, strict=True)]
    off = fft.irfft((sums[0] + sums[1] + sums[2].sum(axis=3)).sum(axis=2), TUNING.angles, axis=1)
    return np.asarray(TUNING.hidden + off / (look.weight.sum() * TUNING.scale**2), np.float32)


def looks_so(look: RimLook, frame: Values, place: Place, angle: float) -> tuple[float, Values]:
    """How much more of a rim looks as at its key than by chance, up to 1; and (angles,) how much of it does in each
    direction from the hub, 0 to 1."""
    aside = np.repeat(place[None], 1 + len(TUNING.aside) ** 2, axis=0)
    aside[1:, :, 2] += np.stack(np.meshgrid(TUNING.aside, TUNING.aside), axis=-1).reshape(-1, 2)
    turn = round(angle / (2 * np.pi) * TUNING.angles)
    key, weight = np.roll(look.codes, turn, axis=0), np.roll(look.weight, turn, axis=0)
    off = np.sqrt(np.square(_laid(frame, aside)[..., :3] - key).mean(axis=3))
    same = (off < TUNING.same) * weight
    share = same.sum(axis=(1, 2)) / weight.sum()
    chance = float(share[1:].mean())
    around = np.pad(np.stack([same[0].sum(axis=1), weight.sum(axis=1)]), ((0, 0), (TUNING.angles,) * 2), mode="wrap")
    there, of = cv2.GaussianBlur(around, (0, 0), TUNING.near, sigmaY=1e-3)[:, TUNING.angles : -TUNING.angles]
    return float((share[0] - chance) / max(1 - chance, 0.2)), np.asarray(there / np.maximum(of, 1e-3), np.float32)


def _laid(values: Values, places: NDArray[np.float64]) -> Values:
    """(n, angles, rings, channels) of a picture around n hubs."""
    turn = np.linspace(0, 2 * np.pi, TUNING.angles, endpoint=False, dtype=np.float32)[:, None]
    way = np.stack([np.cos(turn) * RINGS_AT, np.sin(turn) * RINGS_AT]).reshape(2, -1)
    at = places[:, :, :2] @ way + places[:, :, 2:]
    x, y = (np.ascontiguousarray(at[:, i], np.float32) for i in (0, 1))
    there = cv2.remap(values, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(there.reshape(len(places), TUNING.angles, TUNING.ring_count, -1))
