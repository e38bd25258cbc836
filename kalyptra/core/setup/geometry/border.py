"""The border of a region as closed lines, packed small."""

from __future__ import annotations

import base64
import binascii
import zlib
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Ring = NDArray[np.float64]
"""(n, 2) px; closed. Around a hole it runs the other way."""
FINENESS = 4
"""Steps in a px."""
MOST_PLACES = 30_000
LONGEST = 200_000
"""Letters of a packed border at most."""
_FARTHEST = np.iinfo(np.int16).max / FINENESS


class NotABorder(ValueError):
    """Text that is no packed border."""


def packed(rings: Sequence[Ring]) -> str:
    """Closed lines as text, to a quarter of a px; what lies farther off than 8,191 px is drawn in."""
    corners = [np.round(np.clip(ring, -_FARTHEST, _FARTHEST) * FINENESS).astype(np.int16) for ring in rings]
    lengths = np.array([len(corners), *map(len, corners)], "<i2")
    # Neighbours lie near each other: their differences are small numbers, which pack well.
    ways = [np.diff(ring, axis=0, prepend=np.zeros((1, 2), np.int16)).astype("<i2") for ring in corners]
    return base64.b64encode(zlib.compress(b"".join(part.tobytes() for part in (lengths, *ways)), 9)).decode()


def rings_of(text: str) -> tuple[Ring, ...]:
    """The closed lines of a packed border.

    Raises:
        NotABorder: it is none, or has more than 30,000 places.
    """
    most = 4 * MOST_PLACES
    try:
        unpacker = zlib.decompressobj()
        data = unpacker.decompress(base64.b64decode(text, validate=True), most)
        numbers = np.frombuffer(data, "<i2")
        count = int(numbers[0])
        lengths, ways = numbers[1 : count + 1].astype(np.int64), numbers[count + 1 :].reshape(-1, 2)
    except (binascii.Error, zlib.error, ValueError, IndexError) as error:
        raise NotABorder("what was followed of an outline cannot be read") from error
    if not unpacker.eof or count < 0 or len(lengths) != count or lengths.sum() != len(ways) or (lengths < 3).any():
        raise NotABorder("what was followed of an outline does not hold together")
    rings = np.split(ways, np.cumsum(lengths)[:-1]) if count else []
    return tuple(np.cumsum(ring, axis=0, dtype=np.int16).astype(np.float64) / FINENESS for ring in rings)
