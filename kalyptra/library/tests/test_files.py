"""Files of projects: what is deleted is deleted with all that belongs to it, and copies keep within their bounds."""

from __future__ import annotations

import io
import os
from pathlib import Path
from typing import Any
from unittest import mock

from django.contrib.auth import get_user_model
from django.core.files.base import ContentFile
from django.test import override_settings

from kalyptra.core.tests import material
from kalyptra.library import files, footage, revisions
from kalyptra.library.models import Media, Project, Revision, Shot
from kalyptra.library.tests.case import Stored
from kalyptra.work.models import Follow, Render


class Deleting(Stored):
    def stored(self) -> list[str]:
        root = self.folder / "media"
        return sorted(str(path.relative_to(root)) for path in root.rglob("*") if path.is_file())

    def test_a_project_goes_with_all_its_shots_files_and_nobody_elses(self) -> None:
        self.shot()
        other = Project.objects.create(title="Day ferries", owner=self.editor)
        still = material.png(material.card(0))
        self.client.post(f"/projects/{other.pk}/footage/", {"file": _named(still, "a.png")})
        kept = Shot.objects.get(project=other)
        answer = self.client.post(f"/projects/{self.project.pk}/delete/", follow=True)
        self.assertContains(answer, "Night ferries was deleted.")
        self.assertEqual(list(Shot.objects.all()), [kept])
        self.assertEqual(self.stored(), [kept.media.file.name])

    def test_footage_that_another_shot_uses_stays(self) -> None:
        shot = self.shot()
        again = Shot(project=self.project, media=shot.media, title="Again", position=1)
        revisions.begin(again, shot.setup, self.editor)
        footage.remove_shot(shot)
        self.assertEqual(self.stored(), [again.media.file.name])
        footage.remove_shot(again)
        self.assertEqual((self.stored(), Media.objects.count(), Revision.objects.count()), ([], 0, 0))

    def test_renders_and_files_that_were_brought_go_along(self) -> None:
        shot = self.shot()
        render = Render.objects.create(shot=shot, revision=1, document=shot.revision.document, first=0, last=3)
        render.file.save("result.mp4", ContentFile(b"film"))
        follow = Follow.objects.create(shot=shot, what=Follow.What.MAP_FILE)
        follow.file.save("file.png", ContentFile(b"map"))
        self.assertEqual(len(self.stored()), 3)
        self.client.post(f"/shots/{shot.pk}/delete/")
        self.assertEqual((self.stored(), Render.objects.count(), Follow.objects.count()), ([], 0, 0))
        self.assertEqual([path for path in (self.folder / "media").glob("*/*")], [])  # noqa: C416

    def test_only_the_owner_deletes_a_project(self) -> None:
        guest = get_user_model().objects.create_user("guest", password="another pass phrase")
        self.project.editors.add(guest)
        self.client.force_login(guest, backend="django.contrib.auth.backends.ModelBackend")
        self.assertEqual(self.client.post(f"/projects/{self.project.pk}/delete/").status_code, 404)
        self.assertTrue(Project.objects.filter(pk=self.project.pk).exists())

    def test_an_upload_that_cannot_be_kept_leaves_nothing(self) -> None:
        self.client.raise_request_exception = False
        for what in ("media.save", "begin"):
            target = Media if what == "media.save" else revisions
            name = "save" if what == "media.save" else "begin"
            with self.subTest(what), mock.patch.object(target, name, side_effect=OSError(28, "No space left")):
                answer = self.upload(material.png(material.card(0)), "a.png")
            self.assertEqual((answer.status_code, self.stored(), Media.objects.count()), (503, [], 0))
            self.assertIn("disk is full", answer.json()["error"])

    def test_a_shot_and_a_project_are_renamed_and_titles_that_are_none_change_nothing(self) -> None:
        shot = self.shot()
        self.client.post(f"/shots/{shot.pk}/rename/", {"title": "Kettle at dusk"})
        self.client.post(f"/projects/{self.project.pk}/", {"title": "Ferries at night"})
        for wrong in ("", " ", "t" * 121, "a\0b"):
            self.client.post(f"/shots/{shot.pk}/rename/", {"title": wrong})
            self.client.post(f"/projects/{self.project.pk}/", {"title": wrong})
        shot.refresh_from_db()
        self.project.refresh_from_db()
        self.assertEqual((shot.title, self.project.title), ("Kettle at dusk", "Ferries at night"))

    def test_the_theme_goes_back_to_a_page_of_ours_alone(self) -> None:
        for asked, led in (("/projects/1/", "/projects/1/"), ("https://elsewhere.example/", "/"), ("//elsewhere.example", "/")):  # fmt: skip
            answer = self.client.post("/theme/", {"theme": "dim", "next": asked})
            self.assertEqual((answer.status_code, answer.headers["Location"]), (302, led))
        self.assertEqual(self.client.cookies["theme"].value, "dim")
        self.client.post("/theme/", {"theme": "<script>"})
        self.assertEqual(self.client.cookies["theme"].value, "paper")


def _named(data: bytes, name: str) -> Any:
    file = io.BytesIO(data)
    file.name = name
    return file


class Copies(Stored):
    """A storage elsewhere, copied from where a path is needed."""

    def setUp(self) -> None:
        super().setUp()
        self.held = {f"footage/{i}/source": bytes([i]) * 1000 for i in range(6)}
        self.opened: list[str] = []
        self.remote = mock.Mock()
        self.remote.path.side_effect = NotImplementedError
        self.remote.size.side_effect = lambda name: len(self.held[name])
        self.remote.open.side_effect = self.open
        copies = self.folder / "copies"
        self.enterContext(override_settings(LOCAL_COPIES=copies, LOCAL_COPIES_LIMIT=3500))

    def open(self, name: str) -> io.BytesIO:
        self.opened.append(name)
        return io.BytesIO(self.held[name])

    def path(self, i: int) -> Path:
        field = mock.Mock(storage=self.remote)
        field.name = f"footage/{i}/source"
        return files.local_path(field)

    def test_a_file_is_copied_once_and_copies_that_were_not_used_go_first(self) -> None:
        for i in (0, 1, 2):
            self.assertEqual(self.path(i).read_bytes(), self.held[f"footage/{i}/source"])
            os.utime(self.path(i), (i + 1, i + 1))
        self.path(0)  # used again: 1 is the oldest now
        self.assertEqual(len(self.opened), 3)
        self.path(3)
        left = sorted(path.parent.name for path in self.folder.glob("copies/*/*/source"))
        self.assertEqual(left, ["0", "2", "3"])

    def test_a_copy_that_breaks_off_leaves_nothing_that_could_be_taken_for_one(self) -> None:
        self.remote.open.side_effect = OSError("connection lost")
        with self.assertRaises(OSError):
            self.path(4)
        self.assertEqual([path for path in self.folder.rglob("copies/**/*") if path.is_file()], [])
        self.remote.open.side_effect = self.open
        self.assertEqual(self.path(4).read_bytes(), self.held["footage/4/source"])
