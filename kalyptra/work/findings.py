"""What work over frames found so far: kept in rows as it comes, so that work that is taken up again goes on."""

from __future__ import annotations

import time
from typing import Any

from django.db import InterfaceError, OperationalError, connection

from kalyptra.work.models import Finding, Follow

KEEP_EVERY = 0.4
"""Seconds between two writes."""
ALL = "all"
"""The name of findings that belong to no outline."""


class Findings:
    """Values by name, in the order in which they were found; each is written once, with those that came since."""

    def __init__(self, follow: Follow) -> None:
        self._follow = follow
        self._values: dict[str, list[Any]] = {}
        self._new: dict[str, list[Any]] = {}
        self._kept = -KEEP_EVERY
        for part in follow.findings.all():
            self._values.setdefault(part.name, []).extend(part.values)

    def of(self, name: str = ALL) -> list[Any]:
        return self._values.get(name, [])

    @property
    def names(self) -> list[str]:
        """Names under which something was found."""
        return [name for name, values in self._values.items() if values]

    def add(self, value: Any, name: str = ALL) -> None:
        """Take a finding, JSON, and now and then write what is new."""
        self._values.setdefault(name, []).append(value)
        self._new.setdefault(name, []).append(value)
        if time.monotonic() - self._kept >= KEEP_EVERY:
            self._kept = time.monotonic()
            try:
                self.keep()
            except (OperationalError, InterfaceError):
                connection.close()  # written with the next ones, when the database is back

    def keep(self) -> None:
        """Write what is new. Findings of work that was deleted meanwhile are for nobody."""
        if self._new and Follow.objects.filter(pk=self._follow.pk).exists():
            parts = [Finding(follow=self._follow, name=name, values=values) for name, values in self._new.items()]
            Finding.objects.bulk_create(parts)
        self._new = {}

    def forget(self) -> None:
        """Begin anew, or let go of what is in the setup."""
        self._values, self._new = {}, {}
        self._follow.findings.all().delete()
