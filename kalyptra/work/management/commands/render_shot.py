"""Render a shot of the database to a file: `bin/kalyptra render NUMBER -o OUT.mp4`."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from kalyptra.core import GuardedFailure, RenderJob, render_to_file
from kalyptra.library.files import local_path
from kalyptra.library.models import Shot


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("shot", type=int)
        parser.add_argument("-o", "--output", type=Path, required=True)

    def handle(self, *args: Any, **options: Any) -> None:
        shot = Shot.objects.select_related("media").filter(pk=options["shot"]).first()
        if shot is None:
            raise CommandError(f"There is no shot {options['shot']}.")
        setup, media, out = shot.setup, shot.media, options["output"].resolve()
        job = RenderJob(setup, local_path(media.file), media.facts, setup.footage.first, setup.footage.last)
        try:
            with tempfile.TemporaryDirectory(dir=out.parent, prefix=".kalyptra-") as folder:
                render_to_file(job, Path(folder), out, lambda done, rate: True)
        except GuardedFailure as failure:
            raise CommandError(str(failure)) from failure
        self.stdout.write(f"{out}: {job.frames} frames")
