"""How large a number of a setup may be, by where it lies; read from the setup's own types."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import lru_cache
from typing import Any, NamedTuple

from kalyptra.core.setup.document.setup import Setup

STANDS_FOR = {"@": "subjects.*", "#": "distance.sources.*", "%": "space.cards.*"}
"""The chosen subject, the chosen source of distance, and the chosen card in space."""


class Limits(NamedTuple):
    """The least and the most that a number may be, in its own unit; infinite where nothing says so."""

    low: float
    high: float


@lru_cache(maxsize=512)
def limits_of(path: str) -> Limits:
    """The limits of the number at a path.

    Args:
        path: names with dots, as "lens.focal_length_mm" or "@.refine.grow". What has keys over time has the limits of
            its values; what only some kinds of source have, those of all of these together.

    Raises:
        KeyError: no number lies there.
    """
    names = [name for part in path.split(".") for name in STANDS_FOR.get(part, part).split(".")]
    whole = _schema()
    places = [whole]
    for name in names:
        places = [inner for place in places for inner in _inside(place, name)]
    numbers = [plain for place in places for plain in _plain(place) if plain.get("type") in ("number", "integer")]
    if not numbers:
        raise KeyError(path)
    low = min(n.get("minimum", n.get("exclusiveMinimum", -math.inf)) for n in numbers)
    high = max(n.get("maximum", n.get("exclusiveMaximum", math.inf)) for n in numbers)
    return Limits(float(low), float(high))


@lru_cache(maxsize=1)
def _schema() -> dict[str, Any]:
    return Setup.model_json_schema()


def _variants(place: dict[str, Any]) -> Iterator[dict[str, Any]]:
    """What a place may be, with its references followed."""
    if "$ref" in place:
        yield from _variants(_schema()["$defs"][place["$ref"].rpartition("/")[2]])
    elif choices := place.get("anyOf") or place.get("oneOf"):
        for choice in choices:
            yield from _variants(choice)
    else:
        yield place


def _inside(place: dict[str, Any], name: str) -> Iterator[dict[str, Any]]:
    for variant in _variants(place):
        if variant.get("type") == "array" and (name == "*" or name.isdigit()):
            items = [variant["items"]] if "items" in variant else variant.get("prefixItems", [])
            yield from items if name == "*" else [items[min(int(name), len(items) - 1)]]
        elif name in variant.get("properties", {}):
            yield variant["properties"][name]


def _plain(place: dict[str, Any]) -> Iterator[dict[str, Any]]:
    """The value itself, also of what has keys over time."""
    for variant in _variants(place):
        if "keys" in variant.get("properties", {}):
            for key in _inside(variant, "keys"):
                for item in _inside(key, "*"):
                    yield from (plain for value in _inside(item, "value") for plain in _plain(value))
        else:
            yield variant
