"""A shot's setup over its revisions: change, undo, redo."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from typing import Any

from django.db import transaction

from kalyptra.core import VERSION, ClipExtent, Command, Refused, Setup, apply, words_of
from kalyptra.library import room, store
from kalyptra.library.models import NamedRevision, Revision, Shot


class Stale(Exception):
    """The shot has moved on since the revision that a change started from."""

    def __init__(self, shot: Shot, reason: str = "") -> None:
        super().__init__(f"revision {shot.head} is in force")
        self.shot, self.reason = shot, reason


class NoRevision(Exception):
    """The shot has no such revision."""


class NothingThere(Exception):
    """There is nothing to undo or redo."""


def setup_at(shot: Shot, number: int) -> Setup:
    """The setup of a revision; read once, since it never changes.

    Raises:
        NoRevision: the shot has none of that number.
    """
    row = shot.revisions.filter(number=number).values_list("pk", "created").first()
    if row is None:
        raise NoRevision(f"This shot has no revision {number}.")
    return _read(*row)


@lru_cache(maxsize=32)
def _read(pk: int, created: datetime) -> Setup:
    return Revision.objects.get(pk=pk).setup


@transaction.atomic
def begin(shot: Shot, setup: Setup, author: Any) -> Revision:
    """Give a new shot its first revision."""
    shot.head = 1
    shot.save()
    return _new(shot, 1, None, store.document_of(setup), author, words="The shot was begun.")


@transaction.atomic
def change(
    shot_id: int, base: int, commands: Sequence[Command], author: Any, token: str = "", over: bool = False
) -> Shot:
    """Carry commands out on the setup that is in force, as a new revision.

    Args:
        base: number of the revision that the commands were given on; another one may be in force by now.
        token: names the change, so that one whose answer was lost may be sent again.
        over: carry them out on `base` itself, so that what came between gives way; it stays in the history.

    Raises:
        Refused: a command cannot be carried out.
        Stale: the same, and another revision is in force than the one they were given on.
        NoRevision: there is no revision `base`.
        room.NoRoom: the disk is full. Nothing was saved, in all these cases.
    """
    room.need(room.Use.SAVE, "The change was not saved")
    shot = Shot.objects.select_for_update().get(pk=shot_id)
    if token and shot.revisions.filter(token=token).exists():
        return shot
    try:
        setup = apply(setup_at(shot, base if over else shot.head), commands, clip_of(shot))
    except Refused as reason:
        if shot.head == base or over:
            raise
        raise Stale(shot, str(reason)) from reason
    notes = [command.noted() for command in commands]
    return _accept(shot, setup, author, words=words_of(commands)[:200], commands=notes, token=token)


@transaction.atomic
def save(shot_id: int, base: int, setup: Setup, author: Any) -> Shot:
    """Put a whole setup in force, as a file or another program brings it.

    Args:
        base: number of the revision that it was made from.

    Raises:
        Stale: another revision is in force; nothing was saved.
        room.NoRoom: the disk is full; nothing was saved.
    """
    room.need(room.Use.SAVE, "The setup was not saved")
    shot = Shot.objects.select_for_update().get(pk=shot_id)
    now = shot.revision
    if base == now.parent and now.document == store.document_of(setup):
        return shot  # its answer was lost on the way, and it is sent again
    if now.number != base:
        raise Stale(shot)
    return _accept(shot, setup, author, words="A whole setup was put in force.")


def _accept(shot: Shot, setup: Setup, author: Any, **told: Any) -> Shot:
    document, now = store.document_of(setup), shot.revision
    if now.document == document:
        return shot
    number = shot.revisions.order_by("-number").values_list("number", flat=True)[0] + 1
    _new(shot, number, now.number, document, author, **told)
    return _move(shot, number)


def _new(shot: Shot, number: int, parent: int | None, document: dict[str, Any], author: Any, **told: Any) -> Revision:
    names, records = store.names_in(document)
    return Revision.objects.create(
        shot=shot, number=number, parent=parent, document=document, names=names, records=records, author=author, **told
    )


@dataclass(frozen=True)
class Done:
    """A revision as the history tells it."""

    revision: int
    words: str
    when: datetime
    who: str
    name: str = ""
    """Under which somebody keeps it."""


def history(shot: Shot, most: int = 100) -> list[Done]:
    """The revisions that lead to the one in force, newest first; after them those that are kept under a name."""
    revisions = shot.revisions.select_related("author").only("number", "parent", "words", "created", "author__username")
    by_number = {revision.number: revision for revision in revisions}
    names = dict(shot.named.values_list("number", "name"))
    line: list[int] = []
    at: int | None = shot.head
    while at is not None and len(line) < most:
        line.append(at)
        at = by_number[at].parent
    line += [number for number in names if number in by_number and number not in line]
    return [_done(by_number[number], names.get(number, "")) for number in line]


def _done(revision: Revision, name: str) -> Done:
    who = revision.author.get_username() if revision.author else ""
    return Done(revision.number, revision.words, revision.created, who, name)


def keep_as(shot: Shot, number: int, name: str) -> None:
    """Keep a revision under a name; without one it is kept no longer than any other.

    Raises:
        NoRevision: the shot has none of that number.
    """
    if not shot.revisions.filter(number=number).exists():
        raise NoRevision(f"This shot has no revision {number}.")
    if name:
        NamedRevision.objects.update_or_create(shot=shot, number=number, defaults={"name": name})
    else:
        shot.named.filter(number=number).delete()


@transaction.atomic
def go_back_to(shot_id: int, base: int, number: int, author: Any) -> Shot:
    """Put an earlier revision in force again, as a new one: what came after stays in the history.

    Raises:
        Stale: another revision than `base` is in force; nothing was changed.
        NoRevision: the shot has none of that number.
        room.NoRoom: the disk is full; nothing was changed.
    """
    room.need(room.Use.SAVE, "The change was not saved")
    shot = _locked(shot_id, base)
    return _accept(shot, setup_at(shot, number), author, words=f"Back to revision {number}.")


def clip_of(shot: Shot) -> ClipExtent:
    """What commands need to know of a shot's footage."""
    facts = shot.media.facts
    return ClipExtent(facts.width, facts.height, facts.frames)


def document_of(revision: Revision) -> dict[str, Any]:
    """A revision's document, small: what an older version kept in it is put into records, which it names from then."""
    if revision.document.get("version") == VERSION:
        return dict(revision.document)
    document = store.document_of(revision.setup)
    _, records = store.names_in(document)
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
