"""Answers to what goes wrong: what happened, what was kept, what to do; as JSON to scripts and as a page to people."""

from __future__ import annotations

import errno
import json
import sys
from collections.abc import Callable

from django.core.exceptions import RequestDataTooBig
from django.db import DataError, InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.template.loader import render_to_string

from kalyptra.core import SetupError
from kalyptra.library import room, store, uploads

DISK_FULL = "53100"
"""PostgreSQL's error code, appendix A of its manual."""
RETRY_AFTER = "2"
"""Seconds; the database is back within ten."""
WORDS = {
    400: "The server could not read this request. Nothing was changed.",
    401: "You are not signed in any more. Nothing was changed; sign in in another tab and try again.",
    403: "This was refused. Nothing was changed; load the page again.",
    404: "There is nothing at this address, or it is not yours to open.",
    405: "This cannot be done at this address. Nothing was changed.",
    413: "This is too large to be taken. Nothing was changed.",
    415: "This kind of file is not taken here. Nothing was changed.",
    500: "Something went wrong on the server. What was saved before is safe; try again. The server's log tells more.",
    503: "The server cannot do this for the moment. What was saved before is safe; try again soon.",
}
AWAY = (
    "The database does not answer for the moment; it is being started again. What was saved before is safe. "
    "Try again in a few seconds."
)
FULL = "The disk is full. What was saved before is safe. Free some space and try again."


def told(error: BaseException | None) -> tuple[int, str]:
    """Status and words for an error that nobody has answered yet."""
    if isinstance(error, room.NoRoom | store.Full):
        return 503, str(error)
    if isinstance(error, uploads.TooLarge):
        return 413, str(error)
    if isinstance(error, SetupError):
        return 422, f"This setup cannot be used: {error}. The saved one is unchanged."
    if isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT):
        return 503, FULL
    if isinstance(error, DataError | UnicodeEncodeError):
        return 422, "A text in it holds a character that cannot be kept. Nothing was changed."
    if isinstance(error, OperationalError | InterfaceError):
        state = getattr(error.__cause__, "sqlstate", None) or ""
        return 503, FULL if state == DISK_FULL else AWAY
    return 500, WORDS[500]


def failed(request: HttpRequest) -> HttpResponse:
    """Django's handler of whatever was raised."""
    status, words = told(sys.exc_info()[1])
    return answer(request, status, words)


def bad_request(request: HttpRequest, exception: Exception) -> HttpResponse:
    return answer(request, 413 if isinstance(exception, RequestDataTooBig) else 400)


def forbidden(request: HttpRequest, exception: Exception) -> HttpResponse:
    return answer(request, 403)


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    return answer(request, 404)


def csrf_failure(request: HttpRequest, reason: str = "") -> HttpResponse:
    return answer(request, 403, "This page is too old to be trusted. Nothing was changed; load it again and try again.")


def answer(request: HttpRequest, status: int, words: str = "") -> HttpResponse:
    """An error as JSON or as a page, by who asks."""
    words = words or WORDS.get(status, WORDS[400])
    if _is_script(request):
        response: HttpResponse = JsonResponse({"error": words}, status=status)
    else:  # no request goes along: a page that asks who is signed in would need the database
        response = HttpResponse(render_to_string("design/error.html", {"words": words}), status=status)
    if status == 503:
        response["Retry-After"] = RETRY_AFTER
    return response


def api_answers(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Middleware: whatever refuses a request of the API, the answer is JSON with words."""

    def respond(request: HttpRequest) -> HttpResponse:
        response = get_response(request)
        if request.path.startswith("/api/") and response.status_code >= 400 and not _has_words(response):
            return answer(request, response.status_code)
        return response

    return respond


def _has_words(response: HttpResponse) -> bool:
    if not response.headers.get("Content-Type", "").startswith("application/json"):
        return False
    try:
        body = json.loads(response.content)
    except ValueError:
        return False
    return isinstance(body, dict) and "error" in body


def _is_script(request: HttpRequest) -> bool:
    accepted = request.headers.get("Accept", "")
    return request.path.startswith("/api/") or "application/json" in accepted or "X-CSRFToken" in request.headers
