"""What is answered when something is refused or fails: always words, as JSON."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from ninja import NinjaAPI, Schema
from ninja.errors import AuthenticationError, HttpError, ValidationError

from kalyptra.bench.mattes import BadMarks
from kalyptra.bench.outlines import BadDrawing
from kalyptra.bench.state import ShotNow, shot_now
from kalyptra.config.errors import answer
from kalyptra.core import FrameUnreadable, NotInStore, NotYet, Refused, SetupError
from kalyptra.library import revisions
from kalyptra.library.looks import NoLook
from kalyptra.library.models import Revision, Shot
from kalyptra.work.kinds import NotTaken
from kalyptra.work.orders import NotReady


class Problem(Schema):
    """What happened, what was kept, and what to do."""

    error: str


class Conflict(Problem):
    """Somebody else's change came first, and stands in the way; `now` is the shot as it is."""

    now: ShotNow


def answer_refusals(api: NinjaAPI) -> None:
    """Have an API answer all that its operations raise."""
    for kind, respond in ANSWERS.items():
        api.add_exception_handler(kind, respond)


def said(status: int, words: Callable[[Any], str]) -> Callable[[HttpRequest, Any], HttpResponse]:
    """A status, and words made of what was raised."""
    return lambda request, error: answer(request, status, words(error))


def not_understood(error: ValidationError) -> str:
    """Fields of a request that are missing or out of bounds."""
    lines = [
        f"{' > '.join(map(str, problem['loc'][2:]))}: {problem['msg']}".removeprefix(": ")
        for problem in error.errors[:3]
    ]
    return f"This request cannot be used: {'; '.join(lines)}. Nothing was changed."


def not_kept(error: NotInStore) -> str:
    return f"{str(error).capitalize()}. The setup is unchanged; follow the subject again, or recover the plate again."


def stale(request: HttpRequest, error: revisions.Stale) -> HttpResponse:
    text = (
        f"This shot was changed elsewhere, and your change does not go with that: {error.reason} "
        if error.reason
        else f"This shot was changed elsewhere: revision {error.shot.head} is in force. "
    )
    text += "Your change is still on this page; nothing was lost. Leave it out, or take back what came between."
    return JsonResponse({"error": text, "now": shot_now(error.shot).model_dump(mode="json")}, status=409)


ANSWERS: dict[type[Exception], Callable[[HttpRequest, Any], HttpResponse]] = {
    ValidationError: said(422, not_understood),
    Refused: said(422, lambda error: f"{error} Nothing was changed."),
    NoLook: said(422, str),
    SetupError: said(422, lambda error: f"This setup cannot be used: {error}. The saved one is unchanged."),
    NotTaken: said(422, str),
    NotReady: lambda request, error: JsonResponse({"error": str(error), "preparing": True}, status=409),
    BadDrawing: said(422, str),
    BadMarks: said(422, str),
    revisions.NothingThere: said(422, str),
    revisions.NoRevision: said(404, str),
    revisions.Stale: stale,
    NotInStore: said(404, not_kept),
    NotYet: lambda request, error: JsonResponse({"error": f"{error}.".capitalize(), "preparing": True}, status=409),
    FrameUnreadable: said(404, lambda error: f"{error}."),
    AuthenticationError: lambda request, error: answer(request, 401),
    Http404: lambda request, error: answer(request, 404),
    Shot.DoesNotExist: lambda request, error: answer(request, 404),  # deleted while it was worked on
    Revision.DoesNotExist: lambda request, error: answer(request, 404),
    HttpError: lambda request, error: answer(request, error.status_code),
}
