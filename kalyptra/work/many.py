"""The same for several shots at once: people found, or rendered; and how far all of it is."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Iterable
from typing import Any

from kalyptra.core import AddSubject, FoundMatte, Refused, Setup
from kalyptra.library import revisions, room
from kalyptra.library.looks import CameOf
from kalyptra.library.models import Shot
from kalyptra.work import orders
from kalyptra.work.kinds import FindPeople, NotTaken
from kalyptra.work.models import Ordered

NAME = "People"


def find_people(shots: Iterable[Shot], author: Any) -> list[CameOf]:
    """Have people found in shots, each in the subject that is called so, or in a new one."""
    return [_asked(shot, lambda shot: _find_people(shot, author)) for shot in shots]


def render_all(shots: Iterable[Shot], author: Any) -> list[CameOf]:
    """Have shots rendered over their ranges."""

    def render(shot: Shot) -> str:
        footage = shot.setup.footage
        orders.order_render(shot, footage.first, footage.last, author)
        return "Waits to be rendered."

    return [_asked(shot, render) for shot in shots]


def newest_work(shots: Iterable[Shot]) -> dict[int, Ordered | None]:
    """The newest work of each shot."""
    newest: dict[int, Ordered | None] = {}
    for shot in shots:
        rows: list[Ordered] = [*shot.follows.all()[:1], *shot.renders.all()[:1]]
        newest[shot.pk] = max(rows, key=lambda row: row.created, default=None)
    return newest


def _find_people(shot: Shot, author: Any) -> str:
    setup = shot.setup
    subject = _people_in(setup)
    if subject is None:
        subject = secrets.token_hex(4)
        added = AddSubject(id=subject, name=NAME, frame=setup.footage.first)
        revisions.change(shot.pk, shot.head, [added], author)
        shot.refresh_from_db()
    order = FindPeople(subject=subject, start=setup.footage.first, end=setup.footage.last)
    orders.order_work(shot, order, author)
    return "People are being looked for."


def _people_in(setup: Setup) -> str | None:
    return next((s.id for s in setup.subjects if s.name == NAME and isinstance(s.matte, FoundMatte)), None)


def _asked(shot: Shot, ask: Callable[[Shot], str]) -> CameOf:
    try:
        return CameOf(shot.pk, shot.title, True, ask(shot))
    except (NotTaken, Refused, revisions.Stale, room.NoRoom) as refusal:
        return CameOf(shot.pk, shot.title, False, str(refusal))
