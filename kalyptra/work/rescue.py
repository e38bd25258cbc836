"""Work whose worker was killed is queued again, unless it kills each worker; work that no job minds is ended."""

from __future__ import annotations

import logging
from datetime import timedelta
from typing import Any

from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from kalyptra.library.models import Media
from kalyptra.work.lifecycle import begin
from kalyptra.work.models import Follow, Ordered, Render

log = logging.getLogger(__name__)

MOST_CRASHES = 4
"""A job that takes its worker down so often, each time without having got any further, is given up."""
SILENCE = timedelta(seconds=60)
"""How old work is that is looked at for having no job."""
ROWS: dict[str, tuple[Any, str]] = {
    "render": (Render, "render_id"),
    "follow": (Follow, "follow_id"),
    "prepare_media": (Media, "media_id"),
}
"""By task: the model that keeps its progress, and the argument that names the row."""
GIVEN_UP = "It ended its worker several times and was given up. What was there before is kept."


def crashed(task: str, arguments: dict[str, Any]) -> bool:
    """Note that a job's worker died; whether the job is to be tried again.

    A restart in good order is no crash and counts nothing.
    """
    begin()
    if task not in ROWS:
        return False  # care: the next one comes by itself
    model, argument = ROWS[task]
    row = model.objects.filter(pk=arguments[argument]).first()
    if row is None:
        return False
    reached = row.done if model is Media else row.frames_done
    row.crashes = row.crashes + 1 if reached <= row.crashed_at else 1
    row.crashed_at = reached
    row.save(update_fields=["crashes", "crashed_at"])
    if row.crashes < MOST_CRASHES:
        return True
    log.error("giving up on %s %s after %s crashes", task, row.pk, row.crashes)
    _fail(model, row.pk, GIVEN_UP)
    return False


def settle_orphans() -> None:
    """End work that says it is under way while no job is there to do it."""
    begin()
    for task, (model, argument) in ROWS.items():
        if model is Media:
            rows = Media.objects.filter(state=Media.State.PREPARING, added__lt=timezone.now() - SILENCE)
        else:
            rows = model.objects.filter(state__in=Ordered.ACTIVE, created__lt=timezone.now() - SILENCE)
        # The rows first: a job that begins or ends meanwhile leaves its row as it is.
        active = set(rows.values_list("pk", flat=True))
        jobs = ProcrastinateJob.objects.filter(task_name=task, status__in=("todo", "doing"))
        for pk in active - set(jobs.values_list(f"args__{argument}", flat=True)):
            _fail(model, pk, "It ended without a word. What was there before is kept; start it again.")


def _fail(model: Any, pk: int, message: str) -> None:
    if model is Media:
        words = f"The footage could not be prepared. {message}"
        Media.objects.filter(pk=pk, state=Media.State.PREPARING).update(state=Media.State.FAILED, message=words)
    else:
        model.objects.filter(pk=pk, state__in=Ordered.ACTIVE).update(state=Ordered.State.FAILED, message=message)
