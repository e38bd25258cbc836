"""Version 3 to 4: distance comes from sources; what was the one backdrop is the first of them."""

from __future__ import annotations

from typing import Any


def backdrop_to_source(document: dict[str, Any]) -> dict[str, Any]:
    before = document.get("distance", {})
    backdrop = {"kind": "backdrop", "id": "backdrop", "name": "Backdrop"}
    if "backdrop" in before:
        backdrop["distance"] = before["backdrop"]
    return {**document, "version": 4, "distance": {"sources": [backdrop]}}
