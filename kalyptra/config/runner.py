"""Django's test runner, minding the threads of workers and live servers that may still hold a connection at the end.

It names the tests that took longest, so that the whole stays short.
"""

from __future__ import annotations

import resource
import sys
from typing import Any
from unittest import TestCase, TextTestResult

from django.conf import settings as django_settings
from django.db import connection
from django.test.runner import DiscoverRunner

SLOWEST = 40
LONG = 5.0
"""Seconds from which on a test is worth naming."""


def processor_time() -> float:
    """Seconds of processor time of this process and of those it has waited for."""
    used = [resource.getrusage(who) for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)]
    return sum(each.ru_utime + each.ru_stime for each in used)


class Timed(TextTestResult):
    """What came of the tests, and the processor time of each."""

    def __init__(self, *arguments: Any, **named: Any) -> None:
        super().__init__(*arguments, **named)
        self.took: list[tuple[float, str]] = []
        self._started = 0.0

    def startTest(self, test: TestCase) -> None:  # noqa: N802  (unittest's name)
        self._started = processor_time()
        super().startTest(test)

    def stopTest(self, test: TestCase) -> None:  # noqa: N802
        super().stopTest(test)
        self.took.append((processor_time() - self._started, test.id()))


class Runner(DiscoverRunner):
    def setup_test_environment(self, **more: Any) -> None:
        from hypothesis import HealthCheck, settings

        # A busy machine must not turn a slow draw into a failure.
        settings.register_profile("calm", deadline=None, suppress_health_check=[HealthCheck.too_slow])
        settings.load_profile("calm")
        super().setup_test_environment(**more)
        # On a crowded machine the database may take its time to let somebody in; tests are not about that.
        connection.settings_dict["OPTIONS"]["connect_timeout"] = 60
        # Passwords of tests are no secrets: what makes guessing slow makes tests slow.
        django_settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]

    def get_resultclass(self) -> type[TextTestResult]:
        return Timed

    def suite_result(self, suite: Any, result: Any, **more: Any) -> Any:
        for seconds, name in sorted(result.took, reverse=True)[:SLOWEST]:
            if seconds >= LONG:
                print(f"{seconds:6.1f} s  {name}", file=sys.stderr)
        return super().suite_result(suite, result, **more)

    def teardown_databases(self, old_config: Any, **more: Any) -> None:
        others = (
            "select pg_terminate_backend(pid) from pg_stat_activity "
            "where datname = current_database() and pid <> pg_backend_pid()"
        )
        with connection.cursor() as cursor:
            cursor.execute(others)
        super().teardown_databases(old_config, **more)
