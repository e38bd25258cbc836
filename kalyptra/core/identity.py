"""What a picture depends on, as one short name: equal names mean equal pictures."""

from __future__ import annotations

import hashlib

from pydantic import TypeAdapter

from kalyptra.core.proof.tint import Tint
from kalyptra.core.proof.views import View
from kalyptra.core.setup.resolve.look import Look

PICTURE_VERSION = 9
"""Raised whenever the same setup comes to give another picture."""

_look = TypeAdapter(Look)


def look_identity(look: Look, frame: int, view: View, subject: str | None, tint: Tint = Tint.APART) -> str:
    """A name for all that a frame's picture depends on, besides the clip and the size.

    Args:
        look: the setup at the frame. Only what holds there counts: a change elsewhere in the setup keeps the name.
    """
    parts: list[object] = [PICTURE_VERSION, frame, view.value]
    if view is not View.SOURCE:
        parts.append(_look.dump_json(look))
    if view in (View.MATTE, View.OVERLAY, View.CHANGE):
        parts.append(subject)
    if view is View.OVERLAY:
        parts.append(tint.value)
    return hashlib.sha256(repr(parts).encode()).hexdigest()
