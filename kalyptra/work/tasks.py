"""Queued jobs: preparing footage, rendering, and taking up again what a dead worker left behind.

A job keeps its progress in a model of ours. Each can be run again from the start at any time: what is done stays done.
"""

from __future__ import annotations

import logging
import shutil
import time
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.files import File
from django.utils import timezone
from procrastinate import JobContext, RetryStrategy
from procrastinate.contrib.django import app
from procrastinate.job_context import AbortReason
from procrastinate.jobs import Status

from kalyptra.core import (
    Format,
    FrameUnreadable,
    GuardedFailure,
    MatteJob,
    NotFootage,
    NotKept,
    RenderJob,
    SetupError,
    make_proxy,
    mattes_to_file,
    pictures_needed,
    read_setup,
    render_to_file,
)
from kalyptra.library import kept
from kalyptra.library.files import local_path
from kalyptra.library.models import Media
from kalyptra.work import following
from kalyptra.work.models import Follow, Render

log = logging.getLogger(__name__)

MOST_ATTEMPTS = 4
"""A job that takes its worker down with it this often is given up."""
SAVE_EVERY = 0.4
"""Seconds between notes of progress in the database."""


class ShuttingDown(Exception):
    """The worker is told to stop; the job goes on at the next one."""


GO_ON = RetryStrategy(wait=0, retry_exceptions=[ShuttingDown])


@app.task(name="prepare_media", queue="footage", pass_context=True, retry=GO_ON)
def prepare_media(context: JobContext, media_id: int) -> None:
    """Make a clip's proxy and poster."""
    media = Media.objects.filter(pk=media_id).first()
    if media is None or media.state == Media.State.READY:
        return
    folder = _scratch(f"footage-{media.key}")
    throttled = _Throttle()

    def on_progress(report: dict[str, Any]) -> bool:
        if throttled.due():
            Media.objects.filter(pk=media.pk).update(done=report["done"] / report["of"])
        return not _leaving(context)

    try:
        proxy, poster = folder / "proxy.mp4", folder / "poster.jpg"
        facts, bad = make_proxy(local_path(media.file), media.facts, proxy, poster, on_progress)
        for field, path in ((media.proxy, proxy), (media.poster, poster)):
            with path.open("rb") as file:
                field.save(path.name, File(file), save=False)
        media.proxy_facts_json = facts.model_dump(mode="json")
        media.message = _about_damage(bad)
        media.state, media.done = Media.State.READY, 1
    except GuardedFailure as failure:
        if failure.kind == "cancelled":
            raise ShuttingDown from failure
        media.state = Media.State.FAILED
        media.message = f"The footage could not be prepared: {failure}. The file is kept; try a fresh copy of it."
    media.save()
    _clear(folder)


def _about_damage(bad: tuple[int, ...]) -> str:
    if not bad:
        return ""
    listed = ", ".join(map(str, bad[:12])) + (" and more" if len(bad) > 12 else "")
    return f"Damaged frames, shown as the frame before them: {listed}."


@app.task(name="render", queue="render", pass_context=True, retry=GO_ON)
def render_shot(context: JobContext, render_id: int) -> None:
    """Render a shot to its file, going on from the parts that are there."""
    render = Render.objects.select_related("shot__media").filter(pk=render_id).first()
    if render is None or render.state not in (Render.State.QUEUED, Render.State.RUNNING):
        return
    render.state = Render.State.RUNNING
    render.save(update_fields=["state"])
    folder, rows = _scratch(f"render-{render.key}"), Render.objects.filter(pk=render.pk)
    throttled = _Throttle()

    def on_progress(done: int, rate: float) -> bool:
        if throttled.due():
            rows.update(frames_done=done, frames_a_second=rate)
        return not (_leaving(context) or rows.filter(cancel_asked=True).exists())

    media = render.shot.media
    try:
        setup = read_setup(render.document)
        if kept.fetch(pictures_needed(setup, render.first, render.last)):
            raise GuardedFailure("gone", "mattes that it needs are not in the store any more")
        source, store = local_path(media.file), kept.store().folder
        if render.made == "result":
            job = RenderJob(setup, source, media.facts, render.first, render.last, store)
            result = folder / "result.mp4"
            render.message = _about_sound(render_to_file(job, folder, result, on_progress))
        else:
            made = Format(render.made)
            result = folder / f"mattes{made.suffix}"
            mattes = MatteJob(
                setup, source, media.facts, store, render.first, render.last, made, render.subject or None
            )
            mattes_to_file(mattes, result, on_progress)
        with result.open("rb") as file:
            render.file.save(result.name, File(file), save=False)
        render.state, render.frames_done = Render.State.DONE, render.frames
    except GuardedFailure as failure:
        if failure.kind != "cancelled":
            render.state = Render.State.FAILED
            render.message = (
                f"Rendering stopped: {failure}. The setup is safe; finished parts are used if you try again."
            )
        elif rows.filter(cancel_asked=True).exists():
            render.state, render.message = Render.State.CANCELLED, "Cancelled. Nothing was written."
        else:
            raise ShuttingDown from failure
    except FileNotFoundError:
        render.state, render.message = Render.State.FAILED, "The footage's file is gone from the storage."
    render.ended = timezone.now()
    render.save(update_fields=["state", "message", "file", "frames_done", "ended"])
    if render.state != Render.State.FAILED:
        _clear(folder)


@app.task(name="follow", queue="follow", pass_context=True, retry=GO_ON)
def run_follow(context: JobContext, follow_id: int) -> None:
    """Do work over frames, and put what was found into the setup in force by then."""
    order = Follow.objects.select_related("shot__media", "author").filter(pk=follow_id).first()
    if order is None or order.state not in (Follow.State.QUEUED, Follow.State.RUNNING):
        return
    rows = Follow.objects.filter(pk=order.pk)
    rows.update(state=Follow.State.RUNNING)
    throttled = _Throttle()

    def on_frame(done: int, steps: dict[str, list[Any]]) -> bool:
        if throttled.due():
            rows.update(frames_done=done, steps=steps)
            return not (_leaving(context) or rows.filter(cancel_asked=True).exists())
        return True

    try:
        complete = following.run(order, on_frame)
        if not complete and not rows.filter(cancel_asked=True).exists() and _leaving(context):
            raise ShuttingDown
        order.state = Follow.State.DONE if complete else Follow.State.CANCELLED
    except GuardedFailure as failure:
        if failure.kind != "cancelled":
            order.state, order.message = Follow.State.FAILED, _stopped(failure)
        elif rows.filter(cancel_asked=True).exists():
            order.state = Follow.State.CANCELLED
        else:
            raise ShuttingDown from failure
    except (FrameUnreadable, FileNotFoundError, SetupError, NotFootage, NotKept, following.Gone, kept.Full) as error:
        order.state, order.message = Follow.State.FAILED, _stopped(error)
    if order.what not in BROUGHT or order.state == Follow.State.DONE:
        following.keep(order)
    if order.file:
        order.file.delete(save=False)
    order.save(update_fields=["state", "message", "frames_done", "steps", "file"])


BROUGHT = (Follow.What.MATTE_FILE, Follow.What.PLATE_FILE, Follow.What.MAP_FILE)
"""Half a file is of no use: it is put into the setup whole, or not at all."""


def _stopped(error: Exception) -> str:
    return f"The work stopped: {str(error).rstrip('.')}. What was found before is kept."


def _about_sound(state: str) -> str:
    return {"copied": "The sound was copied unchanged.", "none": "The source has no sound."}.get(
        state, f"The sound was {state}."
    )


@app.periodic(cron="17 * * * *")
@app.task(name="sweep_store", queue="care", queueing_lock="sweep_store")
def sweep_store(timestamp: int) -> None:
    """Delete mattes and plates that no setup names any more."""
    kept.sweep()


@app.periodic(cron="* * * * * */10")  # every ten seconds: the sixth field counts them
@app.task(name="rescue", queue="care", pass_context=True, queueing_lock="rescue")
async def rescue(context: JobContext, timestamp: int) -> None:
    """Queue jobs again whose worker has died; give up on one that keeps killing its worker."""
    for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=settings.WORKER_STALLED_AFTER):
        if job.task_name == "rescue" or job.attempts >= MOST_ATTEMPTS:
            log.error("giving up on %s after %s attempts", job, job.attempts)
            await app.job_manager.finish_job(job, status=Status.FAILED, delete_job=False)
            if job.task_name == "render":
                gone = Render.objects.filter(pk=job.task_kwargs["render_id"])
                await gone.aupdate(state=Render.State.FAILED, message="Rendering ended the worker several times.")
            if job.task_name == "follow":
                lost = Follow.objects.filter(pk=job.task_kwargs["follow_id"])
                await lost.aupdate(state=Follow.State.FAILED, message="Following ended the worker several times.")
        else:
            await app.job_manager.retry_job(job)


class _Throttle:
    """True at most once every SAVE_EVERY seconds."""

    def __init__(self) -> None:
        self._last = 0.0

    def due(self) -> bool:
        now = time.monotonic()
        if now - self._last < SAVE_EVERY:
            return False
        self._last = now
        return True


def _leaving(context: JobContext) -> bool:
    return context.abort_reason() == AbortReason.SHUTDOWN


def _scratch(name: str) -> Path:
    folder: Path = settings.DATA / "work" / name
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def _clear(folder: Path) -> None:
    shutil.rmtree(folder, ignore_errors=True)
