"""Bring the database up to date and load the demo project, before the servers start."""

from __future__ import annotations

from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand
from django.db import connection
from django.db.migrations.executor import MigrationExecutor

from kalyptra.library.demo import load_demo


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        executor = MigrationExecutor(connection)
        if executor.migration_plan(executor.loader.graph.leaf_nodes()):
            call_command("migrate", verbosity=0, interactive=False)
        if load_demo():
            self.stdout.write("Loaded the demo project Lantern quay.")
