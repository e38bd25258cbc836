"""The design system's form controls, as template tags: each with a label, and a unit where it has a measure."""

from __future__ import annotations

import re
from typing import Any

from django import template

register = template.Library()


@register.inclusion_tag("components/number.html")
def number(
    label: str, path: str, unit: str = "", low: float = 0, high: float = 1000, step: float = 1, digits: int = 1,
    keyed: bool = False, slider: bool = False, scale: str = "even",
) -> dict[str, Any]:  # fmt: skip
    """A number with its unit: typed, dragged on its label, or stepped with the arrow keys.

    Args:
        path: where the value lies in the setup, with dots; "@" stands for the selected subject.
        keyed: the value has keys over time.
        slider: show a slider below.
        scale: how dragging and the slider move: "even", "ratio" (equal ratios) or "dioptres".
    """
    name = re.sub(r"\W+", "-", path.replace("@", "subject"))
    return {"label": label, "path": path, "unit": unit, "low": low, "high": high, "step": step, "digits": digits,
            "keyed": keyed, "slider": slider, "scale": scale, "id": f"field-{name}"}  # fmt: skip


@register.inclusion_tag("components/choice.html")
def choice(label: str, path: str, options: str) -> dict[str, Any]:
    """A few options side by side, one of them chosen. Options: "value: Words, value: Words"."""
    return {"label": label, "path": path, "options": pairs(options)}


@register.filter
def pairs(options: str) -> list[tuple[str, ...]]:
    """ "value: Words, value: Words" as pairs."""
    return [tuple(part.strip() for part in option.split(":")) for option in options.split(",")]


@register.inclusion_tag("components/switch.html")
def switch(label: str, path: str, hint: str = "") -> dict[str, Any]:
    """On or off."""
    return {"label": label, "path": path, "hint": hint}
