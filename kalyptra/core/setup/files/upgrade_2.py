"""Version 2 to 3: mattes may be found and imported, too, so that each says of which kind it is."""

from __future__ import annotations

from typing import Any


def mattes_say_their_kind(document: dict[str, Any]) -> dict[str, Any]:
    subjects = [
        {**subject, "matte": {"kind": "outline", **subject["matte"]}} for subject in document.get("subjects", ())
    ]
    return {**document, "version": 3, "subjects": subjects}
