"""A number of a setup as a control: how large it may be is the setup's own to say."""

from __future__ import annotations

import re
from typing import Any

from django import template

from kalyptra.core import limits_of

register = template.Library()


@register.inclusion_tag("components/number.html")
def number(
    label: str, path: str, unit: str = "", spans: str = "", step: float = 1, digits: int = 1, keyed: bool = False,
    slider: bool = False, scale: str = "even",
) -> dict[str, Any]:  # fmt: skip
    """A number with its unit: typed, dragged on its label, or stepped with the arrow keys.

    Args:
        path: where the value lies in the setup, with dots; "@" stands for the chosen subject, "#" for the chosen
            source of distance, "%" for the chosen card in space. What is typed, stepped and dragged has the limits that
            the setup has there.
        spans: "least most" of the slider, where all that is allowed would be too much for it.
        keyed: the value has keys over time.
        slider: show a slider below.
        scale: how dragging and the slider move: "even", "fine" (small values get room), "ratio" (equal ratios) or
            "dioptres".

    Raises:
        KeyError: the setup has no number there.
        ValueError: the slider would go beyond what is allowed.
    """
    limits = limits_of(path)
    ends = [float(end) for end in spans.split()] or list(limits)
    if not limits.low <= ends[0] < ends[1] <= limits.high:
        raise ValueError(f"{path}: {spans} is not within {limits}")
    name = re.sub(r"\W+", "-", path.replace("@", "subject").replace("%", "card"))
    return {"label": label, "path": path, "unit": unit, "low": limits.low, "high": limits.high, "from": ends[0],
            "to": ends[1], "step": step, "digits": digits, "keyed": keyed, "slider": slider, "scale": scale,
            "id": f"field-{name}"}  # fmt: skip
