"""Render a shot of the database to a file: `bin/kalyptra render NUMBER -o OUT.mp4`."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from kalyptra.core import GuardedFailure, RenderJob, pictures_needed, render_to_file
from kalyptra.library import store
from kalyptra.library.files import local_path
from kalyptra.library.models import Media, Shot


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
        if media.state != Media.State.READY:
            raise CommandError(f"The footage of shot {shot.pk} is {media.get_state_display()}. Nothing was written.")
        first, last = setup.footage.first, setup.footage.last
        lost = store.fetch(pictures_needed(setup, first, last))
        if lost:
            raise CommandError(f"{len(lost)} mattes, plates or maps that shot {shot.pk} names are not in the store.")
        job = RenderJob(setup, local_path(media.file), media.facts, first, last, store.local().folder)
        try:
            with tempfile.TemporaryDirectory(dir=out.parent, prefix=".kalyptra-") as folder:
                said = render_to_file(job, Path(folder), out, lambda done, rate: True)
        except (GuardedFailure, OSError) as failure:
            raise CommandError(str(failure)) from failure
        self.stdout.write(f"{out}: {job.frames} frames. {said}")
