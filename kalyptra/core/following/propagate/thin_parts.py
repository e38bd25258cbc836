"""Thin parts: spokes, bars and rims, thinner than what can be told apart by two motions.

They turn by more than their own width from frame to frame. But each pixel among them mixes a colour that they have at
the key with what lies behind, and that is known from the frames around or seen between them: so it says itself how much
of it is the subject's.
Sources: a known background, Smith and Blinn, Blue screen matting, SIGGRAPH 1996; which of several colours mixes with
it, Ruzon and Tomasi, Alpha estimation in natural images, CVPR 2000.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.background import BackgroundPicture
from kalyptra.core.following.propagate.lab import main_colours
from kalyptra.core.following.propagate.top_hat import THICK, thin_of
from kalyptra.core.following.propagate.wheels import Seen, Wheel
from kalyptra.core.window import Window

Codes = NDArray[np.uint8]
Values = NDArray[np.float32]


class Tuning(NamedTuple):
    """What can be tuned. Chosen on made-up carts with spoked wheels; how thin a subject must be, so that none of the
    tune half's kinds is."""

    thin: float = 0.2
    of_size: float = 0.15
    """The share of a key's matte that is thin, from which on its thin parts are looked for by themselves; and of the
    root of its area, below which a part is thin at all: the limbs of somebody far away are no spokes."""
    least: float = 0.4
    solid: float = 0.9
    """The share of a key's pixel from which on it tells a colour, and from which on it is the subject's alone."""
    colours_thin: int = 4
    colours: int = 8
    sample: int = 4000
    """Main colours of the thin parts, of the whole subject, and pixels that they are found from."""
    around: int = 8
    """Px around where the key's thin parts have come to, in which they may be."""
    spread: float = 14.0
    known: float = 0.3
    """Codes by which the background may be restless, and how well it must be known to be better than what is seen
    between the parts."""
    between: float = 2.5
    uneven: float = 20.0
    even: float = 40.0
    """Px around from which that is taken, codes by which one of them may be off, and by which they may be uneven."""
    beside: float = 0.15
    """The share of what lies around that must be background, to say what it is like."""
    shift: float = 0.5
    """How far within the range of its neighbours the background may be off: half a pixel's shift is nothing."""
    apart: float = 20.0
    fits: float = 30.0
    """Codes between a colour and the background from which on a mixture of them tells, and by which it may miss."""
    nothing: float = 0.15
    all: float = 0.85
    """Shares that are grain, and those that are whole: a part of a pixel's width must not fall below half."""


TUNING = Tuning()


@dataclass(frozen=True)
class ThinParts:
    """What a key says of the thin parts of its subject.

    Attributes:
        colours: (n, 3) RGB codes.
        place: (height, width) where they are in the key's frame, 0 or 1.
        motion: (3, 3) from there to this frame, as the whole subject moved.
        wheels: what turns of them.
        in_wheels: whether they are looked for in the wheels alone: the rest of the subject is not thin.
    """

    colours: Values
    place: Codes
    motion: NDArray[np.float64]
    wheels: tuple[Wheel, ...] = ()
    in_wheels: bool = False

    @staticmethod
    def of(codes: Codes, matte: Values, behind: BackgroundPicture, wheels: tuple[Wheel, ...] = ()) -> ThinParts | None:
        """None where none can be told.

        Args:
            codes, matte: (height, width, 3) and (height, width) of the key.
            behind: the background's picture there.
            wheels: those of the matte.
        """
        place = thin_of(matte)
        alone, share = codes.astype(np.float32), matte[..., None]
        picture = behind.exposed_as(codes, (slice(None), slice(None)))
        mixed = (alone - (1 - share) * picture) / np.maximum(share, np.float32(TUNING.least))
        alone = np.where(share > TUNING.solid, alone, np.clip(mixed, 0, 255)).reshape(-1, 3)
        tells = (matte > TUNING.solid) | (behind.known > 0.5)
        parts = ((TUNING.colours_thin, place & tells & (matte > TUNING.least)), (TUNING.colours, matte > TUNING.solid))
        cv2.setRNGSeed(1)
        chance = np.random.default_rng(0)
        colours = [
            main_colours(alone, np.flatnonzero(here), count, TUNING.sample, chance)
            for count, here in parts
            if here.sum() > 3 * count
        ]
        if not colours:
            return None
        return ThinParts(np.concatenate(colours), place.astype(np.uint8), np.eye(3), wheels, not is_thin(matte))

    def moved(self, affine: NDArray[np.float32], window: Window) -> ThinParts:
        """Moved on by the subject's motion, (2, 3) in px of a window."""
        corner = np.array([window[1].start, window[0].start], np.float64)
        step = np.vstack([affine, [0, 0, 1]]).astype(np.float64)
        step[:2, 2] += corner - step[:2, :2] @ corner
        wheels = tuple(wheel.carried(step[:2]) for wheel in self.wheels)
        return replace(self, motion=step @ self.motion, wheels=wheels)

    def in_the_wheels(self, size: tuple[int, int]) -> NDArray[np.bool_]:
        """(height, width) of the picture."""
        discs = [wheel.disc(size) for wheel in self.wheels]
        return np.asarray(np.max([np.zeros(size, np.float32), *discs], axis=0) > 0.5)

    def around(self, window: Window, key: Values) -> NDArray[np.bool_]:
        """(height, width) of a window, where they may be.

        Args:
            key: (height, width) the key's matte carried along: parts go their own ways in it, but wheels go wrong.
        """
        size = (self.place.shape[0], self.place.shape[1])
        if self.in_wheels:
            return self.in_the_wheels(size)[window]
        as_a_whole = cv2.warpAffine(self.place, self.motion[:2], self.place.shape[::-1])[window]
        side = 2 * TUNING.around + 1
        parts = as_a_whole | thin_of(key).astype(np.uint8)
        near = cv2.dilate(parts, np.ones((side, side), np.uint8)) > 0
        return np.asarray(near | self.in_the_wheels(size)[window])

    def mixed(
        self, share: Values, here: NDArray[np.bool_], codes: Codes, behind: BackgroundPicture, window: Window,
        exposure: float,
    ) -> tuple[Values, Seen]:  # fmt: skip
        """(height, width) the subject's share of the pixels of a window, and what they tell.

        Args:
            share: what was decided without this, 0 to 1.
            here: where thin parts may be; elsewhere the share stays.
            codes: (height, width, 3) of the whole frame.
            exposure: codes of this frame beside the key's.
        """
        now = codes[window].astype(np.float32)
        picture, known = _background(codes, share, behind, window)
        three, shift = np.ones((3, 3), np.uint8), np.float32(TUNING.shift)
        low, high = shift * (cv2.erode(picture, three) - picture), shift * (cv2.dilate(picture, three) - picture)
        closest = np.clip(now, picture + low, picture + high)[here]
        part, misses, apart = _mixture(now[here], closest, self.colours * np.float32(exposure))
        explained = np.exp(-np.square(misses / TUNING.fits))
        tells = known[here] * explained * (apart > TUNING.apart)
        part = np.clip((part - TUNING.nothing) / (TUNING.all - TUNING.nothing), 0, 1)
        out = share.copy()
        out[here] += tells * (part - share[here])
        return out, Seen(_at(here, part), _at(here, tells), _at(here, explained), now / np.float32(exposure))

    def turned(self, share: Values, mixed: Values, seen: Seen, own: Values, window: Window) -> tuple[Values, ThinParts]:
        """With the wheels where they have come to.

        Args:
            share: (height, width) of a window, what was decided without thin parts, 0 to 1.
            mixed: what was decided with them.
            own: where the key's matte has come to.

        Returns:
            The share with the wheels in it, and the thin parts with what was learnt of the wheels.
        """
        corner = np.array([[1, 0, window[1].start], [0, 1, window[0].start]], np.float64)
        into = np.array([[1, 0, -window[1].start], [0, 1, -window[0].start]], np.float64)
        wheels = []
        for wheel in self.wheels:
            there, mixed = wheel.carried(into).stepped(mixed, seen, own)
            if self.in_wheels:
                doubted = there.disc((share.shape[0], share.shape[1])) * np.float32(1 - there.believed)
                mixed = mixed + doubted * (share - mixed)
            wheels.append(there.carried(corner))
        return mixed, replace(self, wheels=tuple(wheels))


def _at(here: NDArray[np.bool_], values: Values) -> Values:
    """(height, width) values where they belong, 0 elsewhere."""
    out = np.zeros(here.shape, np.float32)
    out[here] = values
    return out


def is_thin(matte: Values) -> bool:
    """Whether much of a subject is thin, by a matte (height, width) of 0 to 1."""
    seen = matte > TUNING.least
    px = int(TUNING.of_size * float(seen.sum()) ** 0.5)
    thick = min(THICK, px - 1 + px % 2)
    return thick > 1 and bool((thin_of(matte, thick) & seen).sum() > TUNING.thin * seen.sum())


def _background(codes: Codes, share: Values, behind: BackgroundPicture, window: Window) -> tuple[Values, Values]:
    """What lies behind thin parts, codes, and how well that is known, 0 to 1.

    As the frames around show it; where they do not, as it is seen between the parts, those left out that are missing
    in the share.
    """
    known = np.minimum(behind.known[window], 1) * np.exp(-np.square(behind.spread[window] / TUNING.spread))
    now, clear = codes[window].astype(np.float32), (1 - share) ** 4
    weights = clear
    mean, off, total = _weighed(now, clear)
    for _ in range(2):
        weights = clear * np.exp(-off / np.float32(2 * TUNING.uneven**2))
        mean, off, total = _weighed(now, weights)
    even = np.exp(-_near(off * weights) / total / np.float32(TUNING.even**2))
    even *= np.minimum(total / np.float32(TUNING.beside), 1)
    shown = known > TUNING.known
    return np.where(shown[..., None], behind.exposed_as(codes, window), mean), np.where(shown, known, even)


def _weighed(codes: Values, weights: Values) -> tuple[Values, Values, Values]:
    """Of what lies near each pixel: the mean, by how much a pixel is off it, squared, and the sum of the weights."""
    total = _near(weights) + np.float32(1e-3)
    mean = _near(codes * weights[..., None]) / total[..., None]
    return mean, np.square(codes - mean).mean(axis=2), total


def _near(values: Values) -> Values:
    return np.asarray(cv2.GaussianBlur(values, (0, 0), TUNING.between), np.float32)


def _mixture(pixels: Values, behind: Values, colours: Values) -> tuple[Values, Values, Values]:
    """The mixture of what lies behind with one of several colours that comes nearest to a pixel.

    Args:
        pixels, behind: (n, 3) codes.
        colours: (m, 3) codes.

    Returns:
        (n,) the colour's share; by how many codes the mixture misses; and how many the two are apart.
    """
    away = pixels - behind
    part, misses, apart = (np.full(len(pixels), start, np.float32) for start in (0, np.inf, 0))
    for colour in colours:
        line = colour - behind
        square = (line * line).mean(axis=1)
        along = np.clip((away * line).mean(axis=1) / np.maximum(square, 1), 0, 1)
        off = np.square(away - along[:, None] * line).mean(axis=1)
        nearer = off < misses
        part, misses, apart = (np.where(nearer, a, b) for a, b in ((along, part), (off, misses), (square, apart)))
    return part, np.sqrt(misses), np.sqrt(apart)
