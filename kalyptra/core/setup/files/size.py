"""How large a setup may be. It is looked at before validation, which would cost far more than a look."""

from __future__ import annotations

from typing import Any

MOST_BYTES = 24 << 20
"""Of a setup as text."""
MOST_VALUES = 1_500_000
"""Numbers, texts and lists in it, all together."""
MOST_KEYS = 20_000
"""Keys of one value over time."""
MOST_POINTS = 30_000
"""Points of drawn lines in all keys together."""
SURELY_WITHIN = 2 * MOST_KEYS
"""Bytes of a setup as text below which no limit can be passed: each key, point or value takes two letters at least."""

CONTAINERS = {dict, list, tuple}


class SetupTooLarge(ValueError):
    """A setup beyond the limits. The text says which one."""


def check_size(document: dict[str, Any]) -> None:
    """Go through what JSON carries and stop at the first limit.

    Raises:
        TooLarge: a limit is passed.
    """
    values = points = 0
    waiting: list[Any] = [document]
    while waiting:
        part = waiting.pop()
        if type(part) is dict:  # asked this way, since isinstance of Mapping costs more than all the rest
            keys, corners, inside = part.get("keys"), part.get("points"), part.values()
            if isinstance(keys, list | tuple) and len(keys) > MOST_KEYS:
                raise SetupTooLarge(f"a value has {len(keys):,} keys; at most {MOST_KEYS:,} are taken")
            # Points of outlines are named fields; brush marks are plain pairs and have a limit of their own.
            if isinstance(corners, list | tuple) and corners and type(corners[0]) is dict:
                points += len(corners)
        else:
            inside = part
        values += len(inside)
        if values > MOST_VALUES or points > MOST_POINTS:
            what = f"{MOST_POINTS:,} points of drawn lines" if points > MOST_POINTS else f"{MOST_VALUES:,} values"
            raise SetupTooLarge(f"it has more than {what}; use fewer keys, or shorter shots")
        waiting += [part for part in inside if type(part) in CONTAINERS]
