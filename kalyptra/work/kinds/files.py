"""Bringing mattes, plates and maps from files."""

from __future__ import annotations

import re
from typing import Annotated, Literal

from pydantic import Field

from kalyptra.core import (
    MOST_SOURCES,
    Channel,
    Command,
    FootageKind,
    MapFile,
    Rate,
    Setup,
    TakeCard,
    TakeMapFile,
    TakeMatteFile,
    TakePlateFile,
    TakeTable,
    card_to_store,
    import_to_store,
    map_to_store,
    probe,
    table_to_store,
)
from kalyptra.library import store
from kalyptra.library.files import local_path
from kalyptra.work.kinds.order import Gone, NotTaken, Order, SubjectId, Task, subject_in
from kalyptra.work.models import Follow

MOST_TABLE = 32 << 20
"""Bytes of a colour table's file."""


class BringFile(Order):
    """Put the pictures of a file into the store. A half of them is of no use: it is begun anew where it ended."""

    title: Annotated[str, Field(max_length=200)] = ""
    channel: Channel = Channel.LUMA

    def run(self, task: Task) -> str | None:
        task.findings.forget()
        path = local_path(task.row.file)
        facts = probe(path, Rate(numerator=25, denominator=1))
        _last(task, facts.frames)

        def on_picture(done: int, name: str) -> bool:
            store.share([name])
            task.findings.add(name)
            return task.note(done, None)

        return import_to_store(path, facts, self.channel, store.local().folder, on_picture, task.go_on)


class BringMatte(BringFile):
    """Bring a subject's matte."""

    what: Literal["matte-file"] = "matte-file"
    subject: SubjectId

    @property
    def about(self) -> str:
        return self.subject

    def check(self, setup: Setup) -> None:
        if subject_in(setup, self.subject) is None:
            raise NotTaken("That subject is not in the saved setup. Save it, then bring its matte.")

    def commands(self, task: Task) -> list[Command]:
        return [TakeMatteFile(subject=self.subject, title=self.title, frames=tuple(task.findings.of()))]


class BringPlate(BringFile):
    """Bring a plate."""

    what: Literal["plate-file"] = "plate-file"
    channel: Channel = Channel.COLOUR

    def commands(self, task: Task) -> list[Command]:
        return [TakePlateFile(title=self.title, frames=tuple(task.findings.of()))]


class BringTable(BringFile):
    """Bring a colour table."""

    what: Literal["table-file"] = "table-file"

    @property
    def about(self) -> str:
        return "table"

    def run(self, task: Task) -> str | None:
        task.findings.forget()
        path = local_path(task.row.file)
        if path.stat().st_size > MOST_TABLE:
            raise Gone(f"the file is larger than {MOST_TABLE >> 20} MB, and no colour table is")
        name = table_to_store(path, store.local().folder)
        store.share([name])
        task.findings.add(name)
        return ""

    def commands(self, task: Task) -> list[Command]:
        return [TakeTable(title=self.title, name=name) for name in task.findings.of()]


class BringCard(BringFile):
    """Bring a still for a card in space, with its alpha."""

    what: Literal["card-file"] = "card-file"
    card: Annotated[str, Field(pattern=r"^[a-z0-9]{2,16}$")]

    @property
    def about(self) -> str:
        return self.card

    def check(self, setup: Setup) -> None:
        if setup.space is None or not setup.space.enabled:
            raise NotTaken("The shot is not set in space. Set it there, then bring the picture.")

    def run(self, task: Task) -> str | None:
        task.findings.forget()
        path = local_path(task.row.file)
        facts = probe(path, Rate(numerator=25, denominator=1))
        if facts.kind is not FootageKind.STILL:
            raise Gone("a card takes a still picture, and this is none")
        _last(task, 1)
        name, size = card_to_store(path, facts, store.local().folder)
        store.share([name])
        task.note(1, None)
        task.findings.add([name, *size])
        return ""

    def commands(self, task: Task) -> list[Command]:
        return [
            TakeCard(card=self.card, title=self.title, picture=name, size=(width, height))
            for name, width, height in task.findings.of()
        ]


class BringMap(BringFile):
    """Bring a map of distances for a source, exactly as it is."""

    what: Literal["map-file"] = "map-file"
    source: str

    @property
    def about(self) -> str:
        return self.source

    def check(self, setup: Setup) -> None:
        if not re.fullmatch(r"[a-z0-9]{2,16}", self.source):
            raise NotTaken("The map needs a name of its own among the sources.")
        same = setup.distance.source(self.source)
        if same is not None and not isinstance(same, MapFile):
            raise NotTaken(
                f"There is a source named {self.source} already, and it is no map. Give the map another name."
            )
        count = len(setup.distance.sources)
        if same is None and count >= MOST_SOURCES:
            raise NotTaken(f"There are {count} sources of distance, and no more are taken. Remove one first.")

    def run(self, task: Task) -> str | None:
        task.findings.forget()

        def on_map(done: int, of: int, name: str) -> bool:
            if done == 1:
                _last(task, of)
            store.share([name])
            task.findings.add(name)
            return task.note(done, None)

        map_to_store(local_path(task.row.file), self.channel, store.local().folder, on_map, task.go_on)
        return ""

    def commands(self, task: Task) -> list[Command]:
        return [TakeMapFile(source=self.source, title=self.title, frames=tuple(task.findings.of()))]


def _last(task: Task, frames: int) -> None:
    """How many frames there are is known when the file is looked into."""
    task.row.end = task.row.start + frames - 1
    Follow.objects.filter(pk=task.row.pk).update(end=task.row.end)
