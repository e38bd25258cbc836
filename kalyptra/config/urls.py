"""All addresses: pages of the library, the bench and its API."""

from django.http import HttpRequest, HttpResponse
from django.urls import include, path

from kalyptra.bench.api import api


def health(request: HttpRequest) -> HttpResponse:
    return HttpResponse("ok")


urlpatterns = [
    path("health", health),
    path("api/", api.urls),
    path("", include("kalyptra.library.urls")),
    path("", include("kalyptra.bench.urls")),
]

handler400 = "kalyptra.config.errors.bad_request"
handler403 = "kalyptra.config.errors.forbidden"
handler404 = "kalyptra.config.errors.not_found"
handler500 = "kalyptra.config.errors.failed"
