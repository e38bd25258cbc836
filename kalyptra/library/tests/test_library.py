"""Revisions lose nothing, strangers see nothing, and only footage is kept."""

from __future__ import annotations

from typing import Any
from unittest import mock

from django.conf import settings
from django.contrib.auth import get_user_model
from django.test import override_settings
from django.urls import reverse

from kalyptra.core import Footage, Setup
from kalyptra.core.tests import material
from kalyptra.launch import entry
from kalyptra.library import demo, revisions
from kalyptra.library.models import Media, Project, Revision, Shot
from kalyptra.library.tests.case import Stored


def setup(last: int) -> Setup:
    return Setup(footage=Footage(last=last))


AXES = ["axes.middleware.AxesMiddleware"]


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
        self.assertFalse(self.project.is_open_to(stranger))
        self.project.editors.add(stranger)
        self.assertEqual(self.client.get(f"/api/shots/{shot.pk}").status_code, 200)
        self.assertTrue(self.project.is_open_to(stranger) and self.project.is_open_to(self.project.owner))

    def test_nobody_signed_in_is_asked_to(self) -> None:
        self.client.logout()
        self.assertRedirects(self.client.get("/"), "/sign-in/?next=/")
        self.assertEqual(self.client.get("/api/shots/1").status_code, 401)

    def test_signing_in_takes_the_right_name_and_password(self) -> None:
        self.client.logout()
        with override_settings(MIDDLEWARE=settings.MIDDLEWARE + AXES):  # with the lock against guessing
            wrong = self.client.post("/sign-in/", {"username": "maren", "password": "guess"})
            self.assertContains(wrong, "do not go together")
            right = self.client.post("/sign-in/", {"username": "maren", "password": "a long pass phrase"})
        self.assertRedirects(right, "/")

    def test_the_demo_is_entered_once_with_a_printed_token_and_never_by_address(self) -> None:
        get_user_model().objects.create_user("demo-editor")
        self.client.logout()
        self.assertNotContains(self.client.get("/sign-in/"), "Enter the demo")
        for guess in ({}, {"enter": ""}, {"enter": "guess"}, {"enter": "../secret-key"}, {"enter": "x\x00"}):
            self.assertEqual(self.client.post("/enter-demo/", guess, HTTP_HOST="127.0.0.1").status_code, 403)
        token = entry.issue(settings.ENTRY)
        self.assertContains(self.client.get(f"/sign-in/?enter={token}"), "Enter the demo")
        self.assertEqual(self.client.post("/enter-demo/", {"enter": token}).status_code, 302)
        self.client.logout()
        self.assertContains(self.client.post("/enter-demo/", {"enter": token}), "used already", status_code=403)
        with override_settings(DEMO_ENTRY=False):
            again = {"enter": entry.issue(settings.ENTRY)}
            self.assertEqual(self.client.post("/enter-demo/", again).status_code, 403)

    def test_guessing_locks_a_name_at_its_address_alone(self) -> None:
        self.client.logout()
        right = {"username": "maren", "password": "a long pass phrase"}
        with override_settings(MIDDLEWARE=settings.MIDDLEWARE + AXES, PROXIES=1):
            for _ in range(9):
                answer = self.client.post(
                    "/sign-in/", right | {"password": "guess"}, HTTP_X_FORWARDED_FOR="198.51.100.7"
                )
            self.assertContains(answer, "failed too often", status_code=429)
            # Behind the same proxy, from another address; what a stranger wrote in front is not believed.
            answer = self.client.post("/sign-in/", right, HTTP_X_FORWARDED_FOR="198.51.100.7, 203.0.113.9")
            self.assertRedirects(answer, "/")

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
