"""What a key says for good: the colours of its subject and of all that lies around it.

The colours that were seen nearby a frame ago (`colours.py`) tell two parts apart that touch; but a part that was
dropped is gone from them. These stay as the key has them, so that it comes back.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.following.propagate.lab import EVERY, bins_of, main_colours, squares_to
from kalyptra.core.following.propagate.nearby import wider


class Tuning(NamedTuple):
    """What can be tuned. Chosen on the tune half of `truth/motion`; gaps on clips of its kinds, other seeds."""

    colours: int = 24
    """Of the subject, and as many of what lies around it."""
    sample: int = 6000
    """Pixels that they are found from."""
    surely: float = 0.25
    """From where on a colour is surely the subject's."""
    least: float = 0.25
    most: float = 1.8
    """How large something must be, beside the subject at the key, to be it again."""
    gap: int = 9
    gap_of_size: float = 0.15
    """Px, and share of the subject's size, of gaps that are closed where it is looked for."""
    same: float = 0.55
    """How much of its mixture of colours must be the subject's (histogram intersection: Swain and Ballard, 1991)."""
    around: int = 30
    """Px around the subject in which others may be mistaken for it."""
    missed: float = 4.0
    mistaken: float = 0.5
    """What a share of pixels that are told wrong takes from the colours' worth."""
    alike: float = 6.0
    """L*a*b* codes below which two colours are as good as one."""
    of_its: float = 8.0
    as_itself: float = 0.75
    apart: int = 2
    away: int = 24
    wider: int = 3
    """Somebody alike at the key has colours within so many L*a*b* codes of the subject's, and as much of its mixture.
    So many px around the subject are its edge and are not looked at, who comes within the next is not left out of what
    lies around it, and the last are left out around somebody as well."""


TUNING = Tuning()


@dataclass(frozen=True)
class KeyColours:
    """Whose colour is it, by a key.

    Attributes:
        table: by L*a*b* codes in steps of 8, as 15 bits: -1 for colours of what lies around the subject, 1 for its own.
        nearest: by the same, which of the known colours is nearest: the subject's, then the others.
        blend: (2 * colours, 2 * colours) how far each counts as each other: a little more light makes one of the next.
        mixture: how much of the subject each of them has, blended so.
        area: px that the subject has at the key.
        worth: 0 to 1, how well these colours tell the two apart at the key.
    """

    table: NDArray[np.float32]
    nearest: NDArray[np.uint8]
    blend: NDArray[np.float32]
    mixture: NDArray[np.float32]
    area: float
    worth: float

    @staticmethod
    def of(*keys: tuple[NDArray[np.uint8], NDArray[np.float32]]) -> KeyColours:
        """Learnt from keys: (height, width, 3) L*a*b* codes of 8 bits, and (height, width) the subject's matte, each.

        The subject's size is the first one's.
        """
        chance = np.random.default_rng(0)
        cv2.setRNGSeed(1)
        area = float(keys[0][1].sum())
        pixels = np.concatenate([lab.reshape(-1, 3) for lab, _ in keys]).astype(np.float32)
        share = np.concatenate([matte.reshape(-1) for _, matte in keys])
        inside = np.flatnonzero(share > 0.8)
        if len(inside) < TUNING.colours:
            return KeyColours._unknown(area)
        own = _Colours.of(main_colours(pixels, inside, TUNING.colours, TUNING.sample, chance))
        alike = [_alike_at(lab, matte, own) for lab, matte in keys]
        outside = np.flatnonzero((share < 0.1) & ~np.concatenate([mask.reshape(-1) for mask in alike]))
        if len(outside) < TUNING.colours:
            return KeyColours._unknown(area)
        around = _Colours.of(main_colours(pixels, outside, TUNING.colours, TUNING.sample, chance))
        table = np.asarray((around.away - own.away) / (own.away + around.away + TUNING.alike), np.float32)
        nearest = np.where(own.away <= around.away, own.names, around.names + TUNING.colours).astype(np.uint8)
        bins = [bins_of(lab) for lab, _ in keys]
        its = [of_key[matte > 0.8] for of_key, (_, matte) in zip(bins, keys, strict=True)]
        missed = (table[np.concatenate(its)] < 0).mean()
        others = np.concatenate(
            [of_key[_beside(matte) & ~mask] for of_key, (_, matte), mask in zip(bins, keys, alike, strict=True)]
        )
        mistaken = (table[others] > 0).mean() if len(others) else 0.0  # a wide feather may leave nothing there
        worth = float(np.clip(1 - TUNING.missed * missed - TUNING.mistaken * mistaken, 0, 1))
        blend = _blend(np.concatenate([own.known, around.known]))
        return KeyColours(table, nearest, blend, _counted(nearest[its[0]]) @ blend, area, worth)

    @staticmethod
    def _unknown(area: float) -> KeyColours:
        """Of a key with too little inside or outside to say anything."""
        none, blend = np.zeros(len(EVERY), np.float32), np.eye(2 * TUNING.colours, dtype=np.float32)
        return KeyColours(none, none.astype(np.uint8), blend, _counted(np.zeros(1, np.uint8)), area, 0.0)

    def says(self, lab: NDArray[np.uint8]) -> NDArray[np.float32]:
        """(height, width) -1 to 1 for L*a*b* codes; a little smoothed, since grain is no evidence."""
        return np.asarray(cv2.blur(self.table[bins_of(lab)], (3, 3)), np.float32)

    def are_its(self, lab: NDArray[np.uint8]) -> NDArray[np.bool_]:
        """(height, width) which of L*a*b* codes are surely the subject's."""
        return self.says(lab) > np.float32(TUNING.surely)

    def likeness(self, lab: NDArray[np.uint8], here: NDArray[np.bool_]) -> float:
        """How much of the subject's mixture of colours a part of a picture has, 0 to 1; less where it is smaller."""
        names = self.nearest[bins_of(lab)][here]
        if not len(names):
            return 0.0
        size = np.float32(len(names) / max(self.area, 1.0))
        mixture = _counted(names) @ self.blend
        return float(np.minimum(size * mixture, self.mixture).sum() * np.minimum(mixture, self.mixture).sum())

    def found_again(
        self, lab: NDArray[np.uint8], new: NDArray[np.bool_] | None = None, free: NDArray[np.bool_] | None = None
    ) -> NDArray[np.float32] | None:
        """(height, width) what of a whole picture is most like the subject by its colours, 0 or 1; see `alike`."""
        parts = self.alike(lab, new, free)
        return parts[0].astype(np.float32) if parts else None

    def alike(
        self, lab: NDArray[np.uint8], new: NDArray[np.bool_] | None = None, free: NDArray[np.bool_] | None = None
    ) -> list[NDArray[np.bool_]]:
        """(height, width) each, what in a whole picture is made of the subject's colours; first what is most like it.

        Args:
            new: (height, width) where the picture is not the background, where that is known.
            free: (height, width) where it may lie; None for everywhere.
        """
        own = self.are_its(lab)
        if free is not None:
            own, new = own & free, None if new is None else new & free
        if new is None:
            masks = [own]
        else:
            own &= wider(new, 4)
            masks = [own, new | own]  # what moves behind the subject is new as well, and may touch it
        names = self.nearest[bins_of(lab)]
        parts = [(self._same(names[here]), here) for mask in masks for here in _parts_of(mask, self.area)]
        parts.sort(key=lambda part: -part[0])
        return [here for same, here in parts if same > TUNING.same]

    def _same(self, names: NDArray[np.uint8]) -> float:
        return float(np.minimum(_counted(names) @ self.blend, self.mixture).sum())


class _Colours(NamedTuple):
    """A few colours that something has.

    Attributes:
        known: (n, 3) L*a*b* codes.
        away, names: by L*a*b* codes in steps of 8, as 15 bits: codes to the nearest of them, and which that is.
    """

    known: NDArray[np.float32]
    away: NDArray[np.float32]
    names: NDArray[np.intp]

    @staticmethod
    def of(known: NDArray[np.float32]) -> _Colours:
        squares = squares_to(known)
        return _Colours(known, np.sqrt(np.maximum(squares.min(axis=1), 0)), squares.argmin(axis=1))


def _alike_at(lab: NDArray[np.uint8], matte: NDArray[np.float32], own: _Colours) -> NDArray[np.bool_]:
    """(height, width) who else is made of the subject's colours at its key, and does not touch it: somebody alike.

    They are told from it by other things than colours; taken for what lies around it, they would leave it none of its
    own, and it would not be found again.
    """
    bins, blend = bins_of(lab), _blend(own.known)

    def mixture(here: NDArray[np.bool_]) -> NDArray[np.float32]:
        return _counted(own.names[bins[here]], len(own.known)) @ blend

    its, near = mixture(matte > 0.8), wider(matte > 0.1, TUNING.away)
    like = (cv2.blur(own.away[bins], (3, 3)) < TUNING.of_its) & ~wider(matte > 0.1, TUNING.apart)
    alike = np.zeros(matte.shape, bool)
    for here in _parts_of(like, float(matte.sum())):
        if not (here & near).any() and float(np.minimum(mixture(here), its).sum()) > TUNING.as_itself:
            alike |= here
    return wider(alike, TUNING.wider)


def _beside(matte: NDArray[np.float32]) -> NDArray[np.bool_]:
    """(height, width) what lies beside a subject, and may be mistaken for it."""
    return wider(matte > 0.5, TUNING.around) & (matte < 0.1)


def _parts_of(mask: NDArray[np.bool_], area: float) -> Iterator[NDArray[np.bool_]]:
    """The parts of a mask, with small gaps closed, that may be a subject of so many px by their size."""
    solid = cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    side = max(TUNING.gap, int(TUNING.gap_of_size * area**0.5)) | 1
    solid = cv2.morphologyEx(solid, cv2.MORPH_CLOSE, np.ones((side, side), np.uint8))
    count, parts, stats, _ = cv2.connectedComponentsWithStats(solid)
    for part in range(1, count):
        if TUNING.least < stats[part, cv2.CC_STAT_AREA] / max(area, 1.0) < TUNING.most:
            yield parts == part


def _counted(names: NDArray[np.integer[Any]], colours: int = 2 * TUNING.colours) -> NDArray[np.float32]:
    """(colours,) how much of some pixels each of the known colours has."""
    counted = np.bincount(names, minlength=colours).astype(np.float32)
    return np.asarray(counted / counted.sum(), np.float32)


def _blend(centres: NDArray[np.float32]) -> NDArray[np.float32]:
    """(n, n) how far each of n L*a*b* colours counts as each other, rows of sum 1."""
    away = np.linalg.norm(centres[:, None] - centres[None], axis=-1) / np.float32(TUNING.alike)
    near = np.exp(-np.square(away) / 2)
    return np.asarray(near / near.sum(axis=1, keepdims=True), np.float32)
