"""A shot's setup over its revisions: save, undo, redo."""

from __future__ import annotations

from datetime import datetime
from functools import lru_cache
from typing import Any

from django.db import transaction

from kalyptra.core import VERSION, Setup
from kalyptra.library import kept, room
from kalyptra.library.models import Revision, Shot


class Stale(Exception):
    """The shot has moved on since the revision that a change started from."""

    def __init__(self, shot: Shot) -> None:
        super().__init__(f"revision {shot.head} is in force")
        self.shot = shot


class NoRevision(Exception):
    """The shot has no such revision."""


class NothingThere(Exception):
    """There is nothing to undo or redo."""


def setup_at(shot: Shot, number: int) -> Setup:
    """The setup of a revision; read once, since it never changes.

    Raises:
        NoRevision: the shot has none of that number.
    """
    found = shot.revisions.filter(number=number).values_list("pk", "created").first()
    if found is None:
        raise NoRevision(f"This shot has no revision {number}.")
    return _read(*found)


@lru_cache(maxsize=32)
def _read(pk: int, created: datetime) -> Setup:
    return Revision.objects.get(pk=pk).setup


@transaction.atomic
def begin(shot: Shot, setup: Setup, author: Any) -> Revision:
    """Give a new shot its first revision."""
    shot.head = 1
    shot.save()
    return _new(shot, 1, None, kept.document_of(setup), author)


@transaction.atomic
def save(shot_id: int, base: int, setup: Setup, author: Any) -> Shot:
    """Accept a change as a new revision.

    Args:
        base: number of the revision that the change started from.

    Raises:
        Stale: another revision is in force; nothing was saved.
        room.NoRoom: the disk is full; nothing was saved.
    """
    room.need(room.Use.SAVE, "The change was not saved")
    document = kept.document_of(setup)
    shot = Shot.objects.select_for_update().get(pk=shot_id)
    now = shot.revision
    if now.document == document and base in (now.number, now.parent):
        return shot  # also where its answer was lost on the way and the save is tried again
    if now.number != base:
        raise Stale(shot)
    number = shot.revisions.order_by("-number").values_list("number", flat=True)[0] + 1
    _new(shot, number, base, document, author)
    return _move(shot, number)


def _new(shot: Shot, number: int, parent: int | None, document: dict[str, Any], author: Any) -> Revision:
    names, records = kept.names_in(document)
    return Revision.objects.create(
        shot=shot, number=number, parent=parent, document=document, names=names, records=records, author=author
    )


def document_of(revision: Revision) -> dict[str, Any]:
    """A revision's document, small: what an older version kept in it is put into records, which it names from then."""
    if revision.document.get("version") == VERSION:
        return dict(revision.document)
    document = kept.document_of(revision.setup)
    _, records = kept.names_in(document)
    if records != revision.records:
        Revision.objects.filter(pk=revision.pk).update(records=records)
    return document


@transaction.atomic
def undo(shot_id: int, base: int) -> Shot:
    """Go back to the revision that the one in force was made from."""
    shot = _locked(shot_id, base)
    parent = shot.revision.parent
    if parent is None:
        raise NothingThere("This is the first revision; there is nothing to undo.")
    return _move(shot, parent)


@transaction.atomic
def redo(shot_id: int, base: int) -> Shot:
    """Go on to the newest revision that was made from the one in force."""
    shot = _locked(shot_id, base)
    after = newest_after(shot)
    if after is None:
        raise NothingThere("There is nothing to redo.")
    return _move(shot, after)


def newest_after(shot: Shot) -> int | None:
    """Number of the newest revision that was made from the one in force."""
    return shot.revisions.filter(parent=shot.head).order_by("-number").values_list("number", flat=True).first()


def _locked(shot_id: int, base: int) -> Shot:
    shot = Shot.objects.select_for_update().get(pk=shot_id)
    if shot.head != base:
        raise Stale(shot)
    return shot


def _move(shot: Shot, number: int) -> Shot:
    shot.head = number
    shot.save(update_fields=["head"])
    return shot
