"""Looks: those that ship, one's own, and those that are shared in a project."""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

from django.db import models

from kalyptra.core import ClipExtent, LookPart, NamedLook, PutLook, Refused, Setup, apply, replaces
from kalyptra.library import revisions
from kalyptra.library.models import Project, SavedLook, Shot, StartingLook

SHIPPED = Path(__file__).parent / "shipped_looks"
MOST = 200
"""Looks that somebody may keep."""
MOST_BYTES = 1 << 20
"""Of a look's file."""


class NoLook(Exception):
    """A look that is not there, or cannot be used. The text says which and why."""


@dataclass(frozen=True)
class ListedLook:
    """A look and where it comes from.

    Attributes:
        key: by which it is asked for.
        mine: whether it may be deleted by who asks.
        shared: whether all who edit the project have it.
    """

    key: str
    look: NamedLook
    mine: bool
    shared: bool

    @property
    def shipped(self) -> bool:
        return self.key.startswith("shipped-")


@lru_cache(maxsize=1)
def shipped() -> tuple[ListedLook, ...]:
    """The looks that ship, in the order of their files."""
    files = sorted(SHIPPED.glob("*.json"))
    return tuple(
        ListedLook(f"shipped-{path.stem}", NamedLook.model_validate_json(path.read_bytes()), False, False)
        for path in files
    )


def looks_in(project: Project, user: Any) -> list[ListedLook]:
    """All looks that somebody may put on shots of a project."""
    rows = SavedLook.objects.filter(models.Q(project=project) | models.Q(owner=user, project=None))
    listed = (
        ListedLook(f"kept-{row.pk}", row.look, row.owner_id == user.pk, row.project_id is not None) for row in rows
    )
    return [*shipped(), *listed]


def look_by(key: str, project: Project, user: Any) -> ListedLook:
    """
    Raises:
        NoLook: there is none of that key for this person and project.
    """
    listed = next((listed for listed in looks_in(project, user) if listed.key == key), None)
    if listed is None:
        raise NoLook("This look is not there any more. It may have been deleted meanwhile.")
    return listed


def keep(look: NamedLook, user: Any, project: Project | None) -> SavedLook:
    """Keep a look, for oneself or for a project.

    Raises:
        NoLook: there are too many already.
    """
    if SavedLook.objects.filter(owner=user).count() >= MOST:
        raise NoLook(f"You keep {MOST} looks already. Delete one first.")
    document = look.model_dump(mode="json")
    return SavedLook.objects.create(owner=user, project=project, name=look.name, document=document)


def read(data: bytes) -> NamedLook:
    """A look of a file.

    Raises:
        NoLook: it is none.
    """
    if len(data) > MOST_BYTES:
        raise NoLook("This file is larger than a look can be. Nothing was kept.")
    try:
        document = json.loads(data)
        if not isinstance(document, dict) or document.get("kind") != "kalyptra-look":
            raise ValueError("it does not say that it is a look")
        return NamedLook.model_validate(document)
    except (ValueError, RecursionError) as error:
        words = str(error).splitlines()[0][:200]
        raise NoLook(f"This is no look that Kalyptra reads: {words}. Nothing was kept.") from error


def forget(key: str, project: Project, user: Any) -> None:
    """
    Raises:
        NoLook: it is not theirs.
    """
    listed = look_by(key, project, user)
    if not listed.mine:
        raise NoLook("This look is not yours to delete. Whoever shared it can.")
    SavedLook.objects.filter(pk=int(key.removeprefix("kept-")), owner=user).delete()


@dataclass(frozen=True)
class CameOf:
    """What came of asking for something on a shot, in words; and whether it was done."""

    shot: int
    title: str
    done: bool
    words: str


def put_on(listed: ListedLook, parts: tuple[LookPart, ...], shots: list[Shot], user: Any) -> list[CameOf]:
    """Put parts of a look on shots, each as a change of its own."""
    command = PutLook(look=listed.look, parts=parts)
    told = []
    for shot in shots:
        try:
            before = shot.head
            after = revisions.change(shot.pk, shot.head, [command], user)
            words = "Put on." if after.head != before else "It has this look already."
            told.append(CameOf(shot.pk, shot.title, True, words))
        except (Refused, revisions.Stale) as refusal:
            told.append(CameOf(shot.pk, shot.title, False, f"{refusal} The shot is unchanged."))
    return told


def would_replace(listed: ListedLook, parts: tuple[LookPart, ...], shots: list[Shot]) -> list[CameOf]:
    """What parts of a look would replace in shots."""
    told = []
    for shot in shots:
        lines = replaces(shot.setup, listed.look, parts, revisions.clip_of(shot))
        told.append(CameOf(shot.pk, shot.title, True, " ".join(lines) or "It changes nothing here."))
    return told


def start_with(look: NamedLook | None, user: Any) -> None:
    """Have one's new shots begin with a look, or with nothing of the kind."""
    if look is None:
        StartingLook.objects.filter(owner=user).delete()
        return
    StartingLook.objects.update_or_create(owner=user, defaults={"document": look.model_dump(mode="json")})


def started(setup: Setup, clip: ClipExtent, user: Any) -> Setup:
    """A new shot's setup with what somebody's new shots begin with, as far as it can be put on."""
    row = StartingLook.objects.filter(owner=user).first() if getattr(user, "pk", None) else None
    if row is None:
        return setup
    look = NamedLook.model_validate(row.document)
    for part in look.parts:
        try:
            setup = apply(setup, [PutLook(look=look, parts=(part,))], clip)
        except Refused:
            continue  # an edge wants a subject, and there is none yet
    return setup
