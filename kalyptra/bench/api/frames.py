"""Pictures of frames, at a revision or as drafts."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja import Router

from kalyptra.bench.api.shots import FrameNumber, Unsaved, open_shot
from kalyptra.bench.pictures import SIZES, frame_jpeg
from kalyptra.core import Setup, Tint, View
from kalyptra.library import revisions
from kalyptra.library.models import Media, Shot

router = Router()


class Draft(Unsaved):
    """It is looked at while something is dragged."""

    frame: FrameNumber
    view: View = View.RESULT
    size: int = SIZES[0]
    subject: str | None = None
    tint: Tint = Tint.APART


@router.get("shots/{shot_id}/frames/{revision}/{frame}.jpg")
def frame(
    request: HttpRequest, shot_id: int, revision: int, frame: int, view: View = View.RESULT,
    size: int = SIZES[-1], subject: str | None = None, like: int | None = None,
    tint: Tint = Tint.APART,
) -> HttpResponse:  # fmt: skip
    """A frame at a saved revision. It never changes, so the browser may keep it.

    Args:
        like: another shot, whose revision it is: this shot's footage as that one's setup would have it.
    """
    shot = open_shot(request, shot_id)
    setup = revisions.setup_at(shot if like is None else open_shot(request, like), revision)
    response = picture(shot, setup, frame, view, size, subject, tint)
    emerging = shot.media.state == Media.State.PREPARING  # the proxy's own picture takes its place
    response["Cache-Control"] = "no-store" if emerging else "private, max-age=86400, immutable"
    return response


@router.post("shots/{shot_id}/draft.jpg")
def draft(request: HttpRequest, shot_id: int, draft: Draft) -> HttpResponse:
    """A frame as it would be with a setup that is not saved."""
    shot = open_shot(request, shot_id)
    return picture(shot, draft.setup(shot), draft.frame, draft.view, draft.size, draft.subject, draft.tint)


def picture(
    shot: Shot, setup: Setup, frame: int, view: View, size: int, subject: str | None, tint: Tint
) -> HttpResponse:
    if not shot.media.can_be_opened:
        return JsonResponse({"error": "The footage is not prepared. Prepare it in the project."}, status=409)
    size = min(SIZES, key=lambda side: abs(side - size))
    return HttpResponse(frame_jpeg(shot.media, setup, frame, view, size, subject, tint), content_type="image/jpeg")
