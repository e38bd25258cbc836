"""The bench's API, a router for each matter."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.security import django_auth

from kalyptra.bench.api import focus, follows, frames, looks, many, mattes, numbers, outlines, renders, setups
from kalyptra.bench.api.answers import answer_refusals
from kalyptra.config.errors import answer


def signed_in(view: Callable[..., HttpResponse]) -> Callable[..., HttpResponse]:
    """What describes the API is for those who may use it."""

    def only_signed_in(request: HttpRequest, *arguments: Any, **named: Any) -> HttpResponse:
        if not request.user.is_authenticated:
            return answer(request, 401)
        return view(request, *arguments, **named)

    return only_signed_in


api = NinjaAPI(title="Kalyptra bench", version="1", auth=django_auth, docs_url=None, docs_decorator=signed_in)
answer_refusals(api)
for part in (setups, frames, numbers, focus, outlines, mattes, follows, renders, looks, many):
    api.add_router("", part.router)
