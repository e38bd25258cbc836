"""Queued jobs: preparing footage, rendering, following, and the care for all.

A job keeps its progress in a row of ours. Each can be run again at any time: what is done stays done.
"""

from __future__ import annotations

import logging

from asgiref.sync import sync_to_async
from django.conf import settings
from procrastinate import JobContext
from procrastinate.contrib.django import app
from procrastinate.jobs import Status

from kalyptra.library import leftovers, store
from kalyptra.work import following, preparing, rendering, rescue
from kalyptra.work.lifecycle import GO_ON, begin, carry_out
from kalyptra.work.models import Follow, Render

log = logging.getLogger(__name__)


@app.task(name="prepare_media", queue="footage", pass_context=True, retry=GO_ON)
def prepare_media(context: JobContext, media_id: int) -> None:
    """Make a clip's proxy and poster."""
    begin()
    preparing.prepare(media_id, context)


@app.task(name="render", queue="render", pass_context=True, retry=GO_ON)
def render_shot(context: JobContext, render_id: int) -> None:
    """Render a shot to its file, going on from the parts that are there."""
    begin()
    if render := Render.objects.select_related("shot__media").filter(pk=render_id).first():
        carry_out(render, context, rendering.work, rendering.settle, rendering.ASIDE)


@app.task(name="follow", queue="follow", pass_context=True, retry=GO_ON)
def run_follow(context: JobContext, follow_id: int) -> None:
    """Do work over frames, and put what was found into the setup in force by then."""
    begin()
    if order := Follow.objects.select_related("shot__media", "author").filter(pk=follow_id).first():
        carry_out(order, context, following.work, following.settle, following.aside(order))


@app.periodic(cron="17 * * * *")
@app.task(name="sweep_store", queue="care", queueing_lock="sweep_store")
def sweep_store(timestamp: int) -> None:
    """Delete mattes and plates that no setup names any more, and what crashes left behind."""
    begin()
    store.sweep()
    named = {str(name) for model in (Render, Follow) for name in model.objects.values_list("file", flat=True)}
    leftovers.sweep(named)


@app.periodic(cron="* * * * * */10")  # every ten seconds: the sixth field counts them
@app.task(name="rescue", queue="care", queueing_lock="rescue")
async def rescue_jobs(timestamp: int) -> None:
    """Queue jobs again whose worker has died; give up on one that keeps killing its worker."""
    for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=settings.WORKER_STALLED_AFTER):
        if await sync_to_async(rescue.crashed)(job.task_name, job.task_kwargs):
            await app.job_manager.retry_job(job)
        else:
            await app.job_manager.finish_job(job, status=Status.FAILED, delete_job=False)
    await sync_to_async(rescue.settle_orphans)()
