"""What the bench page knows of a shot, in one value that the page and the API share."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from ninja import Schema

from kalyptra.core import ClipFacts, rate_text, timecode
from kalyptra.library.models import Shot
from kalyptra.library.revisions import document_of, newest_after


class ClipState(Schema):
    """The clip, as far as the viewer needs it."""

    kind: str
    width: int
    height: int
    frames: int
    rate: float
    rate_text: str
    seconds: float
    codec: str
    bits: int
    sound: str | None
    notes: list[str]
    timecodes: list[str]


class ShotNow(Schema):
    """A shot as it is now: its setup, the revision in force, and what undo and redo would do."""

    revision: int
    saved: datetime
    can_undo: bool
    can_redo: bool
    setup: dict[str, Any]


class OtherShot(Schema):
    """Another shot of the project, to be looked at beside this one."""

    id: int
    title: str
    revision: int


class ShotState(ShotNow):
    """The same with what does not change."""

    id: int
    title: str
    clip: ClipState
    others: list[OtherShot]


def shot_now(shot: Shot) -> ShotNow:
    revision = shot.revision
    return ShotNow(
        revision=shot.head,
        saved=revision.created,
        can_undo=revision.parent is not None,
        can_redo=newest_after(shot) is not None,
        setup=document_of(revision),
    )


def shot_state(shot: Shot) -> ShotState:
    clip = clip_state(shot.media.facts)
    others = [
        OtherShot(id=pk, title=title, revision=head)
        for pk, title, head in shot.project.shots.exclude(pk=shot.pk).values_list("pk", "title", "head")
    ]
    return ShotState(id=shot.pk, title=shot.title, clip=clip, others=others, **dict(shot_now(shot)))


def clip_state(facts: ClipFacts) -> ClipState:
    return ClipState(
        kind=facts.kind.value,
        width=facts.width,
        height=facts.height,
        frames=facts.frames,
        rate=float(facts.rate.fraction),
        rate_text=rate_text(facts.rate.fraction),
        seconds=facts.seconds,
        codec=facts.codec,
        bits=facts.bits,
        sound=facts.audio,
        notes=list(facts.notes),
        timecodes=[timecode(frame, facts.rate) for frame in range(facts.frames)],
    )
