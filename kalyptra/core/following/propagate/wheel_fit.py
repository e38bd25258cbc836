"""Where a wheel has come to in a frame, and how far it has turned.

Its rim looks the same however far it turned: so that tells the place. At that place the frame and the wheel are laid
out by angle and distance from the hub, where to turn is to shift, and every angle is tried at once.
Source for the angle: circular cross-correlation by Fourier transforms, of polar pictures: Reddy and Chatterji,
An FFT-based technique for translation, rotation, and scale-invariant image registration, IEEE TIP 5(8), 1996.
"""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.round_rims import Place
from kalyptra.core.following.propagate.wheel_look import RimLook, look_misfits, looks_so, might_be

Values = NDArray[np.float32]


class Tuning(NamedTuple):
    """What can be tuned. Chosen on made-up carts."""

    beyond: float = 1.12
    """Radii that are looked at."""
    hub: float = 0.12
    outer: float = 0.75
    """Radii from where the angle is told, and from where the rim is."""
    angles: int = 240
    rays: int = 48
    rings: int = 28
    """Angles that are told apart, fewer where only the place is asked for, and distances from the hub."""
    reach: int = 8
    far: float = 0.0003
    """Px around where it is expected, and what a square px away from there must fit better by."""
    well: float = 0.7
    alike: float = 0.3
    """How well what the pixels tell must agree with it to do without its rim's look, and how much more of that must be
    as at the key than by chance to count."""
    rounds: int = 2
    nudge: float = 0.5
    near: float = 0.001
    """How often the angle is told and the place brought on by it, by so many px; and what a square px must fit better
    by."""
    grows: float = 0.015
    still: float = 0.0005
    """By how much it may grow or shrink in a frame, and what the square of a hundredth must fit better by."""


TUNING = Tuning()


class WheelFit(NamedTuple):
    """Where a wheel is, its angle in radians, and how well the frame agrees: a correlation, -1 to 1, and how much more
    of its rim looks as at the key than by chance, up to 1."""

    place: Place
    angle: float
    agrees: float
    looks: float
    around: Values | None
    """(angles,) how much of the rim looks so in each direction from the hub; None where its look was not needed."""


class Layout(NamedTuple):
    """What is laid out around a hub, (angles, rings) each: what turns of the wheel, and what stays, 0 to 1."""

    turns: Values
    stays: Values


class RimNow(NamedTuple):
    """The look of a rim, and a frame in which it is looked for, (height, width, 4) as by `might_be`."""

    look: RimLook
    frame: Values

    def misfits(self, places: NDArray[np.float64]) -> Values:
        return look_misfits(self.look, self.frame, places)

    def alike(self, place: Place, angle: float) -> tuple[float, Values]:
        return looks_so(self.look, self.frame, place, angle)


def wheel_fit(wheel: Layout, expected: Place, seen: Values, look: RimLook | None, codes: Values) -> WheelFit:
    """Fit a wheel to a frame: by what each pixel tells; where that is not enough, by the look of its rim as well.

    Args:
        wheel: laid out by `laid_out`.
        expected: where it would be.
        seen: (height, width, 2) the share of the subject as each pixel tells it, and how well it tells, 0 to 1.
        look: its rim's; None where that is not known.
        codes: (height, width, 3) of the frame, exposed as the key is.
    """
    plain = _fitted(wheel, expected, seen, None)
    if look is None or plain.agrees > TUNING.well:
        return plain
    by_look = _fitted(wheel, expected, seen, RimNow(look, might_be(look, codes)))
    return by_look if by_look.looks > TUNING.alike else plain


def _fitted(wheel: Layout, expected: Place, seen: Values, now: RimNow | None) -> WheelFit:
    every = TUNING.angles // TUNING.rays
    outer = np.float32(TUNING.outer) < _RINGS_AT
    rim = np.median(wheel.turns[:, outer], axis=0)[None].repeat(TUNING.rays, axis=0)
    place = expected
    for step, steps in ((2, TUNING.reach // 2), (1, 1)):
        places = _shifted(place, np.linspace(-step * steps, step * steps, 2 * steps + 1))
        away = np.square(places[:, :, 2] - expected[:, 2]).sum(axis=1)
        misfits = _misfits(seen, places, rim, _RINGS_AT[outer]) + _unlike(now, places)
        place = places[int((misfits + TUNING.far * away).argmin())]
    for _ in range(TUNING.rounds):
        share, weight = _around(seen, place[None], TUNING.angles, _RINGS_AT)
        model = _turned(wheel, _angle(wheel, share, weight, _turned_unlike(now, place)))
        place = _nudged(seen, place, model[::every], now)
    share, weight = _around(seen, place[None], TUNING.angles, _RINGS_AT)
    angle = _angle(wheel, share, weight, _turned_unlike(now, place))
    looks, around = (0.0, None) if now is None else now.alike(place, angle)
    return WheelFit(place, angle, _correlation(share[0], _turned(wheel, angle), weight[0]), looks, around)


def _unlike(now: RimNow | None, places: NDArray[np.float64]) -> NDArray[np.float64]:
    """(n,) by how much its look misses at each place, turned as it fits best."""
    return np.zeros(len(places)) if now is None else np.asarray(now.misfits(places).min(axis=1), np.float64)


def _turned_unlike(now: RimNow | None, place: Place) -> NDArray[np.float64]:
    """(angles,) by how much its look misses at each angle."""
    if now is None:
        return np.zeros(TUNING.angles)
    misfits = now.misfits(place[None])[0]
    at = np.arange(TUNING.angles) * len(misfits) / TUNING.angles
    return np.asarray(np.interp(at, np.arange(len(misfits)), misfits, period=len(misfits)))


def _nudged(seen: Values, place: Place, model: Values, now: RimNow | None) -> Place:
    """A place brought to less than a px, then to the size, where a model (rays, rings) fits best."""
    places = _shifted(place, np.linspace(-TUNING.nudge, TUNING.nudge, 5))
    away = np.square(places[:, :, 2] - place[:, 2]).sum(axis=1)
    misfits = _misfits(seen, places, model, _RINGS_AT) + _unlike(now, places)
    place = places[int((misfits + TUNING.near * away).argmin())]
    growth = np.linspace(-TUNING.grows, TUNING.grows, 5)
    places = np.repeat(place[None], len(growth), axis=0)
    places[:, :, :2] *= (1 + growth)[:, None, None]
    unlike = TUNING.still * np.square(100 * growth)
    misfits = _misfits(seen, places, model, _RINGS_AT) + _unlike(now, places)
    return np.asarray(places[int((misfits + unlike).argmin())])


def laid_out(canvas: Values) -> Values:
    """(angles, rings) of a square canvas that holds a wheel, its hub in the middle, `beyond` radii wide."""
    half = canvas.shape[0] / 2 - 0.5
    x, y = (half + half / TUNING.beyond * way for way in _rays(TUNING.angles, _RINGS_AT))
    return np.asarray(cv2.remap(canvas, x.astype(np.float32), y.astype(np.float32), cv2.INTER_LINEAR), np.float32)


_RINGS_AT = np.linspace(TUNING.hub, TUNING.beyond, TUNING.rings).astype(np.float32)


def _rays(count: int, far: Values) -> tuple[Values, Values]:
    """(count, rings) across and down, in radii."""
    turn = np.linspace(0, 2 * np.pi, count, endpoint=False, dtype=np.float32)[:, None]
    return np.asarray(np.cos(turn) * far), np.asarray(np.sin(turn) * far)


def _around(seen: Values, places: NDArray[np.float64], count: int, far: Values) -> tuple[Values, Values]:
    """(n, count, rings) shares around the hubs of n places, and their weights: rings are the larger the farther out."""
    across, down = (way.ravel() for way in _rays(count, far))
    at = places[:, :, :2] @ np.stack([across, down]) + places[:, :, 2:]
    x, y = (np.ascontiguousarray(at[:, i], np.float32) for i in (0, 1))
    there = cv2.remap(seen, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
    there = there.reshape(len(places), count, len(far), 2)
    return there[..., 0], there[..., 1] * far


def _misfits(seen: Values, places: NDArray[np.float64], model: Values, far: Values) -> NDArray[np.float64]:
    """(n,) mean squares by which places miss a model (rays, rings), whose rings lie so far out."""
    share, weight = _around(seen, places, len(model), far)
    off = (weight * np.square(share - model)).sum(axis=(1, 2))
    return np.asarray(off / (weight.sum(axis=(1, 2)) + 1e-3), np.float64)


def _shifted(place: Place, by: NDArray[np.float64]) -> NDArray[np.float64]:
    """(n, 2, 3) a place shifted both ways by each of some px."""
    right, down = (way.ravel() for way in np.meshgrid(by, by))
    places = np.repeat(place[None], len(right), axis=0)
    places[:, 0, 2] += right
    places[:, 1, 2] += down
    return places


def _angle(wheel: Layout, share: Values, weight: Values, unlike: NDArray[np.float64]) -> float:
    """Radians by which what turns fits best, to less than a step; what stays is left out.

    Args:
        unlike: (angles,) a misfit that is added, the mean of a pixel.
    """
    free = weight[0] * (1 - wheel.stays)
    misfit = _correlated(free, np.square(wheel.turns)) - 2 * _correlated(free * share[0], wheel.turns)
    misfit += unlike * _RINGS_AT.sum() * len(misfit)
    best = int(misfit.argmin())
    before, here, after = (misfit[(best + step) % len(misfit)] for step in (-1, 0, 1))
    between = 0.5 * (before - after) / max(before - 2 * here + after, 1e-6)
    return float(2 * np.pi * (best + np.clip(between, -0.5, 0.5)) / TUNING.angles)


def _turned(wheel: Layout, angle: float) -> Values:
    """(angles, rings) a wheel turned by an angle."""
    return np.maximum(np.roll(wheel.turns, round(angle / (2 * np.pi) * TUNING.angles), axis=0), wheel.stays)


def _correlated(a: Values, b: Values) -> NDArray[np.float64]:
    """(angles,) the sum of a, times b turned by each angle."""
    there = np.fft.rfft(a, axis=0) * np.conj(np.fft.rfft(b, axis=0))
    return np.asarray(np.fft.irfft(there.sum(axis=1), len(a)))


def _correlation(a: Values, b: Values, weight: Values) -> float:
    total = weight.sum() + 1e-6
    a, b = (values - (values * weight).sum() / total for values in (a, b))
    spread = (weight * a * a).sum() * (weight * b * b).sum()
    return float((weight * a * b).sum() / (spread + 1e-9) ** 0.5)
