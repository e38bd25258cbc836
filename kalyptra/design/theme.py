"""Paper for daylight, dim for dark rooms: the reader's choice, kept in a cookie."""

from __future__ import annotations

from django.http import HttpRequest

THEMES = ("paper", "dim")


def theme(request: HttpRequest) -> dict[str, str]:
    chosen = request.COOKIES.get("theme", THEMES[0])
    return {"theme": chosen if chosen in THEMES else THEMES[0]}
