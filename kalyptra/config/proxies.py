"""Where a request comes from, behind as many proxies of our own as the settings say."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest


def client_address(request: HttpRequest) -> str:
    """The address that the outermost proxy of our own was asked from; without proxies the one that asked us.

    What stands further left in X-Forwarded-For was written by strangers and is not believed.
    """
    direct = str(request.META.get("REMOTE_ADDR", ""))
    if settings.PROXIES == 0:
        return direct
    forwarded = [part.strip() for part in request.META.get("HTTP_X_FORWARDED_FOR", "").split(",") if part.strip()]
    return forwarded[-settings.PROXIES] if len(forwarded) >= settings.PROXIES else direct
