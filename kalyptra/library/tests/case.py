"""What tests with a storage of their own have in common."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import SimpleTestCase, TestCase, override_settings
from django.urls import reverse

from kalyptra.core.tests import material
from kalyptra.library.models import Project, Shot
from kalyptra.library.tests.prepared import remembering


class StoredFolder(SimpleTestCase):
    """A storage, a data folder and an editor of its own."""

    databases = {"default"}

    def setUp(self) -> None:
        super().setUp()
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        storages = {
            "default": {
                "BACKEND": "django.core.files.storage.FileSystemStorage",
                "OPTIONS": {"location": f"{held.name}/media"},
            },
            "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
        }
        self.enterContext(
            override_settings(
                STORAGES=storages, DATA=self.folder, FRAME_CACHE=self.folder / "frames", KEPT=self.folder / "kept",
                ENTRY=self.folder / "entry", RESERVE=0, MIDDLEWARE=_without_axes(),
            )
        )  # fmt: skip
        self.editor = get_user_model().objects.create_user("maren", password="a long pass phrase")


class Stored(StoredFolder, TestCase):
    """Signed in, with a project."""

    def setUp(self) -> None:
        super().setUp()
        self.enterContext(remembering())
        self.project = Project.objects.create(title="Night ferries", owner=self.editor)
        self.client.force_login(self.editor, backend="django.contrib.auth.backends.ModelBackend")

    def upload(self, data: bytes, name: str, **more: str) -> Any:
        """Send a file as the project's page does."""
        url = reverse("add-footage", args=[self.project.pk])
        sent = {"file": SimpleUploadedFile(name, data), **more}
        return self.client.post(url, sent, headers={"Accept": "application/json"})

    def shot(self) -> Shot:
        source = material.video(self.folder / "a.mp4", frames=10)
        answer = self.upload(source.read_bytes(), "kettle.mp4")
        self.assertEqual(answer.status_code, 200)
        return Shot.objects.get(pk=answer.json()["shot"])


def _without_axes() -> list[str]:
    return [name for name in settings.MIDDLEWARE if "axes" not in name]
