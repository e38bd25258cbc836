"""Revisions lose nothing, strangers see nothing, and only footage is kept."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any
from unittest import mock

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase, override_settings
from django.urls import reverse

from kalyptra.core import Footage, Setup
from kalyptra.core.tests import material
from kalyptra.library import demo, revisions
from kalyptra.library.models import Media, Project, Revision, Shot


class Stored(TestCase):
    """Tests with a storage of their own."""

    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        storages = {"default": {"BACKEND": "django.core.files.storage.FileSystemStorage", "OPTIONS": {"location": f"{held.name}/media"}},
                    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"}}  # fmt: skip
        self.enterContext(
            override_settings(
                STORAGES=storages, DATA=self.folder, FRAME_CACHE=self.folder / "frames", KEPT=self.folder / "kept"
            )
        )
        self.enterContext(override_settings(MIDDLEWARE=_without_axes()))
        self.editor = get_user_model().objects.create_user("maren", password="a long pass phrase")
        self.project = Project.objects.create(title="Night ferries", owner=self.editor)
        self.client.force_login(self.editor, backend="django.contrib.auth.backends.ModelBackend")

    def upload(self, data: bytes, name: str) -> Any:
        return self.client.post(
            reverse("add-footage", args=[self.project.pk]), {"file": SimpleUploadedFile(name, data)}
        )

    def shot(self) -> Shot:
        source = material.video(self.folder / "a.mp4", frames=10)
        self.assertEqual(self.upload(source.read_bytes(), "kettle.mp4").status_code, 200)
        return Shot.objects.get()


def _without_axes() -> list[str]:
    return [name for name in settings.MIDDLEWARE if "axes" not in name]


def setup(last: int) -> Setup:
    return Setup(footage=Footage(last=last))


class Revisions(Stored):
    def test_undo_and_redo_walk_the_history_and_a_new_change_forks_it(self) -> None:
        shot = self.shot()
        for base, last in ((1, 8), (2, 7)):
            revisions.save(shot.pk, base, setup(last), self.editor)
        self.assertEqual(revisions.undo(shot.pk, 3).setup, setup(8))
        self.assertEqual(revisions.redo(shot.pk, 2).setup, setup(7))
        revisions.undo(shot.pk, 3)
        forked = revisions.save(shot.pk, 2, setup(5), self.editor)
        self.assertEqual((forked.head, forked.revision.parent), (4, 2))
        self.assertEqual(Revision.objects.get(number=3).setup, setup(7))  # still there
        with self.assertRaises(revisions.NothingThere):
            revisions.redo(shot.pk, 4)

    def test_a_stale_save_is_answered_409_and_loses_nothing(self) -> None:
        shot = self.shot()
        url = f"/api/shots/{shot.pk}/setup"

        def put(base: int, last: int) -> Any:
            body = {"base": base, "setup": setup(last).model_dump(mode="json")}
            return self.client.put(url, body, content_type="application/json")

        self.assertEqual(put(1, 8).status_code, 200)
        answer = put(1, 6)
        self.assertEqual(answer.status_code, 409)
        self.assertEqual(answer.json()["now"]["setup"]["footage"]["last"], 8)
        self.assertIn("nothing was lost", answer.json()["error"])
        self.assertEqual(Revision.objects.count(), 2)
        self.assertEqual(put(2, 6).status_code, 200)
        self.assertEqual(put(3, 99).status_code, 422)  # beyond the clip's end

    def test_saving_what_is_there_makes_no_revision(self) -> None:
        shot = self.shot()
        self.assertEqual(revisions.save(shot.pk, 1, shot.setup, self.editor).head, 1)


class Footages(Stored):
    def test_what_is_no_footage_leaves_nothing_behind(self) -> None:
        answer = self.upload(b"a shopping list", "clip.mp4")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("no footage", answer.json()["error"])
        self.assertIn("Nothing was kept", answer.json()["error"])
        self.assertEqual((Media.objects.count(), Shot.objects.count()), (0, 0))
        self.assertFalse(any(path.is_file() for path in (self.folder / "media").rglob("*")))

    def test_a_name_is_only_a_name(self) -> None:
        self.upload(material.png(material.card(0)), "..%2f..%2fescape<b>.png")
        media = Media.objects.get()
        self.assertRegex(media.file.name, r"^footage/[0-9a-f-]{36}/source$")

    def test_deleting_a_shot_deletes_its_files(self) -> None:
        shot = self.shot()
        self.client.post(reverse("delete-shot", args=[shot.pk]))
        self.assertEqual(Media.objects.count(), 0)
        self.assertFalse(any(path.is_file() for path in (self.folder / "media").rglob("*")))


class Permissions(Stored):
    def test_a_stranger_finds_nothing(self) -> None:
        shot = self.shot()
        stranger = get_user_model().objects.create_user("stranger", password="another pass phrase")
        self.client.force_login(stranger, backend="django.contrib.auth.backends.ModelBackend")
        for url in (f"/projects/{self.project.pk}/", f"/shots/{shot.pk}/", f"/api/shots/{shot.pk}", f"/media/{shot.media_id}/poster.jpg",
                    f"/api/shots/{shot.pk}/frames/1/0.jpg", f"/shots/{shot.pk}/setup.json", f"/projects/{self.project.pk}/preparing/"):  # fmt: skip
            self.assertEqual(self.client.get(url).status_code, 404, url)
        self.assertEqual(self.client.post(f"/shots/{shot.pk}/delete/").status_code, 404)
        self.project.editors.add(stranger)
        self.assertEqual(self.client.get(f"/api/shots/{shot.pk}").status_code, 200)

    def test_nobody_signed_in_is_asked_to(self) -> None:
        self.client.logout()
        self.assertRedirects(self.client.get("/"), "/sign-in/?next=/")
        self.assertEqual(self.client.get("/api/shots/1").status_code, 401)

    def test_signing_in_takes_the_right_name_and_password(self) -> None:
        self.client.logout()
        with override_settings(MIDDLEWARE=settings.MIDDLEWARE):  # with the lock against guessing
            wrong = self.client.post("/sign-in/", {"username": "maren", "password": "guess"})
            self.assertContains(wrong, "do not go together")
            right = self.client.post("/sign-in/", {"username": "maren", "password": "a long pass phrase"})
        self.assertRedirects(right, "/")

    def test_the_demo_is_entered_from_this_machine_only(self) -> None:
        get_user_model().objects.create_user("demo-editor")
        self.client.logout()
        for more in ({"REMOTE_ADDR": "10.0.0.7"}, {"HTTP_X_FORWARDED_FOR": "10.0.0.7"}):
            self.assertEqual(self.client.post("/enter-demo/", HTTP_HOST="127.0.0.1", **more).status_code, 403)
        self.assertEqual(self.client.post("/enter-demo/", HTTP_HOST="127.0.0.1").status_code, 302)

    def test_pages_forbid_scripts_and_styles_of_others(self) -> None:
        policy = self.client.get("/")["Content-Security-Policy"]
        self.assertIn("script-src 'self';", policy + ";")
        self.assertNotIn("unsafe", policy)


class Demo(Stored):
    def test_loading_the_demo_twice_makes_it_once(self) -> None:
        self.assertTrue(demo.load_demo())
        count = Shot.objects.count()
        self.assertGreater(count, 0)
        self.assertFalse(demo.load_demo())
        self.assertEqual(Shot.objects.count(), count)
        for shot in Shot.objects.all():
            self.assertLess(shot.setup.footage.last, shot.media.facts.frames, shot.title)
            self.assertTrue(shot.media.file.size and shot.media.proxy.size and shot.media.poster.size)

    def test_a_demo_that_cannot_be_loaded_leaves_no_half_of_it(self) -> None:
        with mock.patch.object(demo, "_load_shot", side_effect=OSError("disk full")), self.assertRaises(OSError):
            demo.load_demo()
        self.assertFalse(Project.objects.filter(demo_key=demo.KEY).exists())
