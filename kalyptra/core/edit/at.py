"""Places in a setup by their path: names of fields, ids of what has one, numbers of what has none.

`subjects.a1b2c3d4.refine.feather_in` is a place, and `distance.sources.ground.horizon`, and `lens.f_number`. Ids keep a
path right when somebody else puts the list in another order meanwhile.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any

from pydantic import BaseModel, Field

from kalyptra.core.edit.command import Refused, evolved
from kalyptra.core.setup.document.records import Recorded
from kalyptra.core.setup.document.setup import Setup

Path = Annotated[str, Field(pattern=r"^[a-z0-9_]+(\.[a-z0-9_]+){0,8}$", max_length=160)]

CLOSED = frozenset({"version", "id", "kind", "keys", "steps", "frames", "feet", "of", "patches", "picture", "title"})
"""What no path leads to or through: names that others go by, keys, and what was found over frames."""
GONE = "What this changes is not there any more. It may have been deleted meanwhile."


def value_at(setup: Setup, path: str) -> Any:
    """What lies at a place.

    Raises:
        Refused: there is no such place.
    """
    value: Any = setup
    for name in path.split("."):
        value = _inner(value, name)[1]
    return value


def with_value(setup: Setup, path: str, change: Callable[[Any], Any]) -> Setup:
    """The setup with what lies at a place changed; everything around it is validated again, and nothing else.

    Raises:
        Refused: there is no such place, or the new value is out of bounds there.
    """
    changed: Setup = _with(setup, path.split("."), change)
    return changed


def _with(whole: Any, names: list[str], change: Callable[[Any], Any]) -> Any:
    if not names:
        return change(whole)
    key, part = _inner(whole, names[0])
    other = _with(part, names[1:], change)
    if isinstance(whole, BaseModel):
        return evolved(whole, **{key: other})
    return (*whole[:key], other, *whole[key + 1 :])


def _inner(whole: Any, name: str) -> tuple[Any, Any]:
    """What a name leads to in a value, and under which field or number it lies there."""
    if isinstance(whole, BaseModel) and name in type(whole).model_fields and name not in CLOSED:
        return name, getattr(whole, name)
    if isinstance(whole, tuple) and not isinstance(whole, Recorded) and len(whole) <= 256:
        for i, element in enumerate(whole):
            if getattr(element, "id", None) == name or (name == str(i) and not hasattr(element, "id")):
                return i, element
    raise Refused(GONE)
