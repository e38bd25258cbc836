"""The design system's form controls, as template tags: each with a label, and a unit where it has a measure."""

from __future__ import annotations

from typing import Any

from django import template

register = template.Library()


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
