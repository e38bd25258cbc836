"""A shot, its changes, undo and redo."""

from __future__ import annotations

from typing import Annotated, Any

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from kalyptra.bench.api.answers import Conflict, Problem
from kalyptra.bench.api.shots import MOST_COMMANDS, check_range, open_shot
from kalyptra.bench.state import ShotNow, ShotState, shot_now, shot_state
from kalyptra.core import ByHand
from kalyptra.library import revisions, store
from kalyptra.library.revisions import Done

router = Router()


class Whole(Schema):
    """A whole setup, as a file or another program has it."""

    base: int
    setup: dict[str, Any]


class HistoryStep(Schema):
    base: int


class Change(Schema):
    """Commands that were given on a revision.

    Attributes:
        token: names the change; sent twice, it is done once.
        over: carried out on that revision itself, whatever is in force by now.
    """

    base: int
    commands: Annotated[list[ByHand], Field(min_length=1, max_length=MOST_COMMANDS)]
    token: Annotated[str, Field(pattern=r"^[0-9a-z]{8,40}$")] | None = None
    over: bool = False


@router.get("shots/{shot_id}", response=ShotState)
def get_shot(request: HttpRequest, shot_id: int) -> ShotState:
    return shot_state(open_shot(request, shot_id))


@router.post("shots/{shot_id}/changes", response={200: ShotNow, 409: Conflict, 422: Problem})
def change(request: HttpRequest, shot_id: int, change: Change) -> ShotNow:
    """Carry commands out on what is in force now, as one change. On another revision than theirs that is no conflict by
    itself: only where a command is refused there, people are asked.
    """
    shot = open_shot(request, shot_id)
    done = revisions.change(shot.pk, change.base, change.commands, request.user, change.token or "", change.over)
    return shot_now(done)


@router.get("shots/{shot_id}/history", response=list[Done])
def history(request: HttpRequest, shot_id: int) -> list[Done]:
    """What was done, newest first: the revisions that lead to the one in force, at most a hundred."""
    return revisions.history(open_shot(request, shot_id))


class RevisionName(Schema):
    """A name for a revision; an empty one takes it away."""

    revision: int
    name: Annotated[str, Field(max_length=60)]


@router.post("shots/{shot_id}/names", response={200: list[Done], 404: Problem})
def keep_as(request: HttpRequest, shot_id: int, given: RevisionName) -> list[Done]:
    shot = open_shot(request, shot_id)
    revisions.keep_as(shot, given.revision, given.name.strip())
    return revisions.history(shot)


class GoingBack(HistoryStep):
    revision: int


@router.post("shots/{shot_id}/back", response={200: ShotNow, 404: Problem, 409: Conflict})
def go_back_to(request: HttpRequest, shot_id: int, back: GoingBack) -> ShotNow:
    """Put an earlier revision in force again."""
    shot = open_shot(request, shot_id)
    return shot_now(revisions.go_back_to(shot.pk, back.base, back.revision, request.user))


@router.put("shots/{shot_id}/setup", response={200: ShotNow, 409: Conflict, 422: Problem})
def save(request: HttpRequest, shot_id: int, whole: Whole) -> ShotNow:
    """Put a whole setup in force, as a file or another program has it."""
    shot = open_shot(request, shot_id)
    setup = store.read(whole.setup)
    check_range(setup, shot)
    return shot_now(revisions.save(shot.pk, whole.base, setup, request.user))


@router.post("shots/{shot_id}/undo", response={200: ShotNow, 409: Conflict, 422: Problem})
def undo(request: HttpRequest, shot_id: int, step: HistoryStep) -> ShotNow:
    return shot_now(revisions.undo(open_shot(request, shot_id).pk, step.base))


@router.post("shots/{shot_id}/redo", response={200: ShotNow, 409: Conflict, 422: Problem})
def redo(request: HttpRequest, shot_id: int, step: HistoryStep) -> ShotNow:
    return shot_now(revisions.redo(open_shot(request, shot_id).pk, step.base))
