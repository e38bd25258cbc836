"""Pictures of frames, at a revision or as drafts."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja import Router

from kalyptra.bench.api.shots import FrameNumber, Unsaved, open_shot
from kalyptra.bench.pictures import SIZES, frame_jpeg
from kalyptra.core import Setup, View
from kalyptra.library import revisions
from kalyptra.library.models import Shot

router = Router()


class Draft(Unsaved):
    """It is looked at while something is dragged."""

    frame: FrameNumber
    view: View = View.RESULT
    size: int = SIZES[0]
    subject: str | None = None


@router.get("shots/{shot_id}/frames/{revision}/{frame}.jpg")
def frame(
    request: HttpRequest, shot_id: int, revision: int, frame: int, view: View = View.RESULT,
    size: int = SIZES[-1], subject: str | None = None,
) -> HttpResponse:  # fmt: skip
    """A frame at a saved revision. It never changes, so the browser may keep it."""
    shot = open_shot(request, shot_id)
    setup = revisions.setup_at(shot, revision)
    response = picture(shot, setup, frame, view, size, subject)
    response["Cache-Control"] = "private, max-age=86400, immutable"
    return response


@router.post("shots/{shot_id}/draft.jpg")
def draft(request: HttpRequest, shot_id: int, draft: Draft) -> HttpResponse:
    """A frame as it would be with a setup that is not saved."""
    shot = open_shot(request, shot_id)
    return picture(shot, draft.setup(shot), draft.frame, draft.view, draft.size, draft.subject)


def picture(shot: Shot, setup: Setup, frame: int, view: View, size: int, subject: str | None) -> HttpResponse:
    if not shot.media.proxy:
        return JsonResponse({"error": "The footage is still being prepared."}, status=409)
    size = min(SIZES, key=lambda side: abs(side - size))
    return HttpResponse(frame_jpeg(shot.media, setup, frame, view, size, subject), content_type="image/jpeg")
