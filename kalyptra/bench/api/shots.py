"""What all routers have in common: which shot, and a setup that is not saved."""

from __future__ import annotations

from typing import Annotated

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Schema
from pydantic import Field

from kalyptra.core import ByHand, Setup, SetupError, apply
from kalyptra.library import revisions
from kalyptra.library.models import Project, Shot

FrameNumber = Annotated[int, Field(ge=0, le=10_000_000)]
"""A frame of any clip; whether this clip has it is looked at later."""


MOST_COMMANDS = 500
"""In one change, or not saved yet."""


Commands = Annotated[list[ByHand], Field(max_length=MOST_COMMANDS)]


class Unsaved(Schema):
    """A setup that is not saved: a revision, and commands on it."""

    base: int
    commands: Commands = []

    def setup(self, shot: Shot) -> Setup:
        setup = revisions.setup_at(shot, self.base)
        return apply(setup, self.commands, revisions.clip_of(shot)) if self.commands else setup


def open_shot(request: HttpRequest, shot_id: int) -> Shot:
    """The shot, where the user may edit it; else 404, as if it were not there."""
    shots = Shot.objects.select_related("media")
    return get_object_or_404(shots, pk=shot_id, project__in=Project.objects.open_to(request.user))


def check_range(setup: Setup, shot: Shot) -> None:
    frames = shot.media.facts.frames
    if setup.footage.last >= frames:
        raise SetupError(f"footage > last: the clip ends at frame {frames - 1}")
