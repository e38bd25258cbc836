"""Looks over the API: kept, shared, as files in and out, for new shots, and on many shots at once."""

from __future__ import annotations

import json
from typing import Any

from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile

from kalyptra.core import ClipExtent, NamedLook, PutLook, apply
from kalyptra.core.tests.test_looks import plain
from kalyptra.library import looks
from kalyptra.library.models import Media, SavedLook, Shot
from kalyptra.library.tests.case import Stored
from kalyptra.work.models import Follow, Render


class WithLooks(Stored):
    def send(self, method: str, path: str, body: Any = None) -> Any:
        return getattr(self.client, method)(f"/api/{path}", body, content_type="application/json")

    def taken(self, shot: Shot, name: str, **more: Any) -> str:
        """The key of a look that was taken of a shot."""
        rows = self.send("post", f"shots/{shot.pk}/looks", {"name": name, "parts": ["iris", "finish"], **more}).json()
        return next(str(row["key"]) for row in rows if row["name"] == name)

    def change(self, shot: Shot, *commands: dict[str, Any]) -> None:
        shot.refresh_from_db()
        answer = self.send("post", f"shots/{shot.pk}/changes", {"base": shot.head, "commands": commands})
        self.assertEqual(answer.status_code, 200, answer.content)


class Looks(WithLooks):
    def test_one_is_taken_says_what_it_replaces_is_put_on_another_shot_and_undone(self) -> None:
        glass, other = self.shot(), self.shot()
        self.change(glass, {"do": "put", "path": "lens.iris.blades", "value": 7})
        key = self.taken(glass, "Tea")
        asked = {"parts": ["iris", "finish"], "base": other.head}
        lines = self.send("post", f"shots/{other.pk}/looks/{key}/replaces", asked).json()["lines"]
        self.assertEqual(lines, ["Iris and character: a disc, lens blur becomes 7 blades, lens blur."])
        answer = self.send("post", f"shots/{other.pk}/looks/{key}/put", asked)
        self.assertEqual(answer.json()["revision"], 2)
        other.refresh_from_db()
        self.assertEqual(other.setup.lens.iris.blades, 7)
        self.assertEqual(other.revision.words, "The look Tea was put on.")
        self.send("post", f"shots/{other.pk}/undo", {"base": 2})
        other.refresh_from_db()
        self.assertEqual(other.setup.lens.iris.blades, 0)

    def test_as_a_file_it_goes_out_and_comes_in_and_what_is_none_is_told(self) -> None:
        shot = self.shot()
        data = self.client.get(f"/api/shots/{shot.pk}/looks/{self.taken(shot, 'Tea')}.json").content
        self.assertEqual(NamedLook.model_validate_json(data).name, "Tea")

        def brought(content: bytes) -> Any:
            return self.client.post(
                f"/api/shots/{shot.pk}/looks/file", {"file": SimpleUploadedFile("look.json", content)}
            )

        self.assertEqual([row["name"] for row in brought(data).json() if row["mine"]], ["Tea", "Tea"])
        broken = json.loads(data)
        for content in (b"", b"{}", b"[" * 100_000, b"x" * (looks.MOST_BYTES + 5), json.dumps(broken | {"width": -1}).encode(),
                        json.dumps(broken | {"iris": {"iris": {"blades": 1}}}).encode()):  # fmt: skip
            answer = brought(content)
            self.assertEqual(answer.status_code, 422)
            self.assertIn("Nothing was kept", answer.json()["error"])
        self.assertEqual(SavedLook.objects.count(), 2)

    def test_what_is_shared_is_seen_by_who_edits_the_project_and_deleted_by_who_shared_it(self) -> None:
        shot = self.shot()
        own, shared = self.taken(shot, "Mine"), self.taken(shot, "Ours", shared=True)
        friend = get_user_model().objects.create_user("jory", password="another long phrase")
        self.project.editors.add(friend)
        self.client.force_login(friend, backend="django.contrib.auth.backends.ModelBackend")
        rows = {row["key"]: row for row in self.send("get", f"shots/{shot.pk}/looks").json()}
        self.assertNotIn(own, rows)
        self.assertEqual((rows[shared]["shared"], rows[shared]["mine"]), (True, False))
        for key in (own, shared, "shipped-02-miniature"):
            self.assertEqual(self.send("delete", f"shots/{shot.pk}/looks/{key}").status_code, 422)
        stranger = get_user_model().objects.create_user("ines", password="yet another phrase")
        self.client.force_login(stranger, backend="django.contrib.auth.backends.ModelBackend")
        self.assertEqual(self.send("get", f"shots/{shot.pk}/looks").status_code, 404)
        self.client.force_login(self.editor, backend="django.contrib.auth.backends.ModelBackend")
        self.assertEqual(self.send("delete", f"shots/{shot.pk}/looks/{shared}").status_code, 200)
        self.assertEqual(SavedLook.objects.count(), 1)

    def test_new_shots_begin_with_the_look_that_was_chosen_for_them(self) -> None:
        shot = self.shot()
        start = f"shots/{shot.pk}/looks/shipped-07-anamorphic-night/start"
        rows = self.send("post", f"{start}?on=true").json()
        self.assertEqual([row["name"] for row in rows if row["starts"]], ["Anamorphic night"])
        self.assertEqual(self.shot().setup.lens.iris.squeeze, 1.8)
        self.send("post", f"{start}?on=false")
        self.assertEqual(self.shot().setup.lens.iris.squeeze, 1.0)

    def test_every_look_that_ships_goes_on_every_size(self) -> None:
        self.assertEqual(len(looks.shipped()), 10)
        for listed in looks.shipped():
            for clip in (ClipExtent(1280, 720, 100), ClipExtent(3840, 2160, 200), ClipExtent(720, 1280, 30)):
                with self.subTest(listed.look.name, clip=clip):
                    put = apply(plain(), [PutLook(look=listed.look, parts=listed.look.parts)], clip)
                    self.assertNotEqual(put, plain())


class Many(WithLooks):
    def test_a_look_goes_on_many_shots_and_what_cannot_be_is_told(self) -> None:
        one, two, three = self.shot(), self.shot(), self.shot()
        order = {"shots": [one.pk, two.pk], "key": "shipped-09-interview", "parts": ["lens", "edge"]}
        said = self.send("post", f"projects/{self.project.pk}/looks/replaces", order).json()
        self.assertIn("65 mm", said[0]["words"])
        self.assertEqual(Shot.objects.get(pk=one.pk).head, 1)
        told = self.send("post", f"projects/{self.project.pk}/looks", order).json()
        self.assertEqual([row["done"] for row in told], [False, False])  # an edge wants a subject
        self.assertIn("The shot is unchanged", told[0]["words"])
        told = self.send("post", f"projects/{self.project.pk}/looks", order | {"parts": ["lens"]}).json()
        self.assertEqual([row["done"] for row in told], [True, True])
        lengths = [Shot.objects.get(pk=shot.pk).setup.lens.focal_length_mm for shot in (one, two, three)]
        self.assertEqual(lengths, [65, 65, 50])

    def test_people_are_looked_for_and_renders_ordered_and_their_state_is_told(self) -> None:
        one, two = self.shot(), self.shot()
        Media.objects.update(state=Media.State.READY)
        chosen = {"shots": [one.pk, two.pk]}
        told = self.send("post", f"projects/{self.project.pk}/people", chosen).json()
        self.assertEqual(([row["done"] for row in told], Follow.objects.count()), ([True, True], 2))
        again = self.send("post", f"projects/{self.project.pk}/people", chosen).json()
        self.assertEqual([row["done"] for row in again], [False, False])
        self.assertEqual(len(Shot.objects.get(pk=one.pk).setup.subjects), 1)
        rows = self.send("post", f"projects/{self.project.pk}/work", chosen).json()
        self.assertEqual([row["state"] for row in rows], ["queued", "queued"])
        told = self.send("post", f"projects/{self.project.pk}/renders", chosen).json()
        self.assertEqual([row["done"] for row in told], [False, False])  # nobody was found yet: frames have no matte
        self.assertIn("no matte", told[0]["words"])
        self.assertEqual(Render.objects.count(), 0)
