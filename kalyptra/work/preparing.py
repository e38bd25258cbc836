"""Preparing footage: its proxy and poster, made from the whole clip."""

from __future__ import annotations

import shutil

from django.db import connection
from procrastinate import JobContext

from kalyptra.core import damage_words, make_proxy
from kalyptra.library import room
from kalyptra.library.files import delete_file, local_path, put_file
from kalyptra.library.models import Media
from kalyptra.work.lifecycle import AWAY, Interrupted, Watch, Why, reason

ASIDE = "The file is kept. Prepare it again, or try a fresh copy of it."


def prepare(media_id: int, context: JobContext) -> None:
    """Make a clip's proxy and poster. Stopping it is setting its row to another state, or deleting it.

    Raises:
        Interrupted: it is to be done again.
    """
    rows = Media.objects.filter(pk=media_id, state=Media.State.PREPARING)
    try:
        if (media := rows.first()) is not None:
            _prepare(media, Watch(rows, context))
    except AWAY as error:
        connection.close()
        raise Interrupted from error


def _prepare(media: Media, watch: Watch) -> None:
    rows = Media.objects.filter(pk=media.pk, state=Media.State.PREPARING)
    pictures = media.emerging_in
    folder = pictures.parent
    pictures.mkdir(parents=True, exist_ok=True)
    made: list[str] = []
    try:
        room.need(room.Use.BULK, "Preparing was not begun")
        proxy, poster = folder / "proxy.mp4", folder / "poster.jpg"
        facts, damaged = make_proxy(
            local_path(media.file), media.facts, proxy, poster,
            lambda told: watch.note(done=told["done"] / told["of"]), watch.go_on,
            pictures=pictures,
        )  # fmt: skip
        for field, path in ((media.proxy, proxy), (media.poster, poster)):
            put_file(field, path.name, path)
            made.append(str(field.name))
        ready = rows.update(
            proxy=media.proxy.name, poster=media.poster.name, proxy_facts_json=facts.model_dump(mode="json"),
            state=Media.State.READY, done=1, message=damage_words(damaged),
        )  # fmt: skip
        if ready:
            made = []
    except AWAY:
        raise
    except Exception as error:
        if watch.why is Why.LEAVING:
            raise Interrupted from error
        if watch.why is None or watch.why is Why.FULL:
            words = "the disk is nearly full. Free some space" if watch.why is Why.FULL else reason(error)
            rows.update(state=Media.State.FAILED, message=f"The footage could not be prepared: {words}. {ASIDE}")
    finally:
        for name in made:  # for footage that was deleted or stopped meanwhile
            delete_file(media.file.storage, name)
        shutil.rmtree(folder, ignore_errors=True)
