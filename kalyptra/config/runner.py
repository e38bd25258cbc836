"""Django's test runner, minding the threads of workers and live servers that may still hold a connection at the end."""

from __future__ import annotations

from typing import Any

from django.db import connection
from django.test.runner import DiscoverRunner


class Runner(DiscoverRunner):
    def setup_test_environment(self, **more: Any) -> None:
        from hypothesis import HealthCheck, settings

        # A busy machine must not turn a slow draw into a failure.
        settings.register_profile("calm", deadline=None, suppress_health_check=[HealthCheck.too_slow])
        settings.load_profile("calm")
        super().setup_test_environment(**more)

    def teardown_databases(self, old_config: Any, **more: Any) -> None:
        others = (
            "select pg_terminate_backend(pid) from pg_stat_activity "
            "where datname = current_database() and pid <> pg_backend_pid()"
        )
        with connection.cursor() as cursor:
            cursor.execute(others)
        super().teardown_databases(old_config, **more)
