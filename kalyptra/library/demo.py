"""The demo project Lantern quay: loaded once, whole or not at all; loading it again changes nothing."""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.db import transaction

from kalyptra.core import ClipFacts, Setup, read_setup
from kalyptra.library import revisions
from kalyptra.library.files import put_file
from kalyptra.library.models import Media, Project, Shot

FOLDER = settings.ROOT / "demo"
KEY = "lantern-quay"


@transaction.atomic
def load_demo() -> bool:
    """Load the demo project and its editor.

    Returns:
        True where this call loaded it, False where it was there.
    """
    editor, made = get_user_model().objects.get_or_create(
        username=settings.DEMO_USER, defaults={"first_name": "Demo", "last_name": "Editor"}
    )
    if made:
        editor.set_unusable_password()
        editor.save()
    project, made = Project.objects.get_or_create(demo_key=KEY, defaults={"title": "Lantern quay", "owner": editor})
    if not made:
        return False
    for position, shot in enumerate(json.loads((FOLDER / "project.json").read_text())["shots"]):
        _load_shot(project, position, shot, editor)
    return True


def _load_shot(project: Project, position: int, described: dict[str, Any], editor: Any) -> None:
    """The clip comes with its facts, proxy and poster made: nothing has to be worked out at start."""
    folder = FOLDER / described["folder"]
    prepared = json.loads((folder / "prepared.json").read_text())
    media = Media(
        name=described["file"], digest=prepared["digest"], state=Media.State.READY, done=1,
        facts_json=ClipFacts.model_validate(prepared["facts"]).model_dump(mode="json"),
        proxy_facts_json=prepared["proxy_facts"],
    )  # fmt: skip
    for field, name, path in (
        (media.file, "source", folder / described["file"]),
        (media.proxy, "proxy.mp4", folder / "proxy.mp4"),
        (media.poster, "poster.jpg", folder / "poster.jpg"),
    ):
        put_file(field, name, path)
    media.save()
    shot = Shot(project=project, media=media, title=described["title"], position=position)
    revisions.begin(shot, _setup_of(folder / described.get("setup", "setup.json")), editor)


@cache
def _setup_of(path: Path) -> Setup:
    """It is read once a process: tests load the demo again and again."""
    return read_setup(path.read_text())
