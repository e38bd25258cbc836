"""Every answer of the API is JSON with words, whatever is asked; nothing from outside is read in the web process."""

from __future__ import annotations

from typing import Any
from unittest import mock

from django.db import OperationalError
from django.http import HttpRequest

from kalyptra.bench.api import api
from kalyptra.config import errors
from kalyptra.core.clip.fork_server import Forked, ForkServer
from kalyptra.core.tests import material
from kalyptra.library.models import Project, Shot
from kalyptra.work.tests.case import JobCase


class Answers(JobCase):
    def setUp(self) -> None:
        super().setUp()
        self.client.raise_request_exception = False
        self.mine = self.shot()

    def send(self, method: str, path: str, body: Any = None, **more: Any) -> Any:
        return getattr(self.client, method)(f"/api/{path}", body, content_type="application/json", **more)

    def refused(self, answer: Any, *statuses: int) -> str:
        self.assertIn(answer.status_code, statuses)
        self.assertEqual(answer.headers["Content-Type"].split(";")[0], "application/json")
        error = answer.json()["error"]
        self.assertGreater(len(error), 20)
        return str(error)

    def test_whatever_is_refused_is_refused_in_words(self) -> None:
        shot = f"shots/{self.mine.pk}"
        svg = "<svg xmlns='http://www.w3.org/2000/svg'><rect width='9' height='9'/></svg>"
        cases: list[tuple[Any, tuple[int, ...]]] = [
            (self.send("get", "nothing/here"), (404,)),
            (self.send("get", "shots/99999999999999999999"), (404,)),
            (self.send("delete", shot), (405,)),
            (self.send("put", f"{shot}/setup", {"base": "x"}), (422,)),
            (self.client.put(f"/api/{shot}/setup", b"{", content_type="application/json"), (400,)),
            (self.send("post", f"{shot}/outlines/read", {"text": svg, "frame": -5}), (422,)),
            (self.send("post", f"{shot}/outlines/read", {"text": svg, "frame": 10**12}), (422,)),
            (self.send("get", f"{shot}/outlines/line%0Abreak.svg"), (404,)),
            (self.send("post", f"{shot}/follows", {"start": 0, "end": -1}), (422,)),
            (self.send("put", f"{shot}/setup", {"base": 1, "setup": self.mine.setup.model_dump(mode="json") | {"focus": {"marks": [{"id": "aa", "name": "a\u0000b", "value": 1}]}}}), (422,)),
            (self.client.post(f"/api/{shot}/imports", {"what": "map-file"}), (422,)),
        ]  # fmt: skip
        for answer, statuses in cases:
            with self.subTest(answer.request["PATH_INFO"]):
                self.refused(answer, *statuses)

    def test_a_very_long_name_is_refused_in_words_or_taken(self) -> None:
        answer = self.upload(material.png(material.card(0)), "n" * 3000 + ".png")
        if answer.status_code != 200:
            self.refused(answer, 400, 413, 422)

    def test_the_description_of_the_api_is_for_those_signed_in(self) -> None:
        self.assertEqual(self.client.get("/api/openapi.json").status_code, 200)
        self.client.logout()
        self.refused(self.client.get("/api/openapi.json"), 401)

    def test_strangers_find_nothing_at_any_address_and_by_any_method(self) -> None:
        from django.contrib.auth import get_user_model
        from django.urls import get_resolver

        stranger = get_user_model().objects.create_user("stranger", password="another pass phrase")
        self.client.force_login(stranger, backend="django.contrib.auth.backends.ModelBackend")
        ids = {
            "shot_id": self.mine.pk,
            "revision": 1,
            "frame": 0,
            "subject": "cards",
            "follow_id": 1,
            "render_id": 1,
            "project_id": self.mine.project_id,
            "key": "shipped-02-miniature",
        }
        walked = 0
        for path, item in api.get_openapi_schema()["paths"].items():
            for method in item:
                answer = self.send(
                    method, path.removeprefix("/api/").format(**ids), {} if method in ("post", "put") else None
                )
                self.refused(answer, 404, 422)
                walked += 1
        for pattern in get_resolver().url_patterns:
            for inner in getattr(pattern, "url_patterns", []):
                if "<int:pk>" not in str(inner.pattern):
                    continue
                about = (
                    self.project.pk
                    if str(inner.pattern).startswith("projects")
                    else self.mine.media_id
                    if str(inner.pattern).startswith("media")
                    else self.mine.pk
                )
                for method in ("get", "post"):
                    answer = getattr(self.client, method)("/" + str(inner.pattern).replace("<int:pk>", str(about)))
                    self.assertIn(answer.status_code, (404, 405), str(inner.pattern))
                    walked += 1
        self.assertGreater(walked, 45)
        self.assertEqual((Shot.objects.count(), Project.objects.count()), (1, 1))

    def test_a_shot_that_is_deleted_while_it_is_changed_is_gone_and_a_fault_of_ours_is_not_called_so(self) -> None:
        change = {"base": 1, "setup": self.mine.setup.model_dump(mode="json") | {"plate": {"growth": 3.5}}}
        for raised, status in ((Shot.DoesNotExist, 404), (Project.DoesNotExist, 500)):
            with mock.patch("kalyptra.library.revisions.save", side_effect=raised("gone")):
                self.refused(self.send("put", f"shots/{self.mine.pk}/setup", change), status)

    def test_a_database_that_is_away_is_said_and_may_be_asked_again(self) -> None:
        for path, accept in (("/api/shots/1", "application/json"), ("/", "text/html")):
            with mock.patch(
                "django.contrib.sessions.backends.db.SessionStore.load", side_effect=OperationalError("gone")
            ):
                answer = self.client.get(path, headers={"Accept": accept})
            self.assertEqual((answer.status_code, answer.headers["Retry-After"]), (503, errors.RETRY_AFTER))
            self.assertIn("started again", answer.content.decode())

    def test_outlines_and_tables_are_read_in_a_process_of_their_own(self) -> None:
        shot = f"shots/{self.mine.pk}"
        svg = "<svg xmlns='http://www.w3.org/2000/svg'><rect width='9' height='9'/></svg>"
        ran: list[str] = []
        fork = ForkServer.fork

        def noted(server: ForkServer, module: str, order: bytes) -> Forked:
            ran.append(module)
            return fork(server, module, order)

        with (
            mock.patch.object(ForkServer, "fork", noted),
            mock.patch("kalyptra.core.importing.read_svg", side_effect=AssertionError),
            mock.patch("kalyptra.core.importing.read_table", side_effect=AssertionError),
        ):
            self.assertEqual(len(self.send("post", f"{shot}/outlines/read", {"text": svg, "frame": 3}).json()), 1)
            table = "frame,distance_m\n0,2\n9,1\n"
            self.assertEqual(len(self.send("post", f"{shot}/focus/read", {"text": table}).json()), 2)
        self.assertEqual(ran, ["kalyptra.core.importing"] * 2)

    def test_a_save_whose_answer_was_lost_may_be_sent_again(self) -> None:
        path, setup = f"shots/{self.mine.pk}/setup", self.mine.setup.model_dump(mode="json")
        setup["plate"]["growth"] = 3.5
        first, again = (self.send("put", path, {"base": 1, "setup": setup}) for _ in range(2))
        self.assertEqual(
            [(answer.status_code, answer.json()["revision"]) for answer in (first, again)], [(200, 2), (200, 2)]
        )

    def test_a_clip_with_long_gaps_is_asked_about(self) -> None:
        stamps = [40 * i for i in range(39)] + [20_000_000]
        clip = material.video(self.folder / "gaps.mkv", 40, stamps=stamps, sound=None).read_bytes()
        asked = self.upload(clip, "gaps.mkv")
        self.assertEqual((asked.status_code, asked.json()["ask"]), (409, "gaps"))
        self.assertEqual(Shot.objects.count(), 1)
        self.assertEqual(self.upload(clip, "gaps.mkv", gaps="shorten").status_code, 200)
        self.assertLess(Shot.objects.latest("pk").media.facts.frames, 300)

    def test_files_of_a_size_that_is_not_taken_are_refused_before_they_are_sent(self) -> None:
        def asked(size: int) -> Any:
            return self.client.get(
                f"/projects/{self.project.pk}/chunks/{'ab' * 16}/{size}/", headers={"Accept": "application/json"}
            )

        self.assertEqual(asked(1000).json(), {"offset": 0})
        self.refused(asked(1 << 40), 413)

    def test_an_upload_that_was_cut_off_goes_on_where_it_was(self) -> None:
        clip = material.video(self.folder / "kettle.mp4", 12, sound=None).read_bytes()
        url = f"/projects/{self.project.pk}/chunks/{'ab' * 16}/{len(clip)}/"
        first, rest = clip[:3000], clip[3000:]
        self.assertEqual(
            self.client.put(f"{url}?offset=0", first, content_type="application/octet-stream").json(), {"offset": 3000}
        )
        again = self.client.put(f"{url}?offset=0", first, content_type="application/octet-stream")
        self.assertEqual((again.status_code, again.json()["offset"]), (409, 3000))  # its answer was lost
        self.assertEqual(self.client.get(url).json(), {"offset": 3000})
        done = {"key": "ab" * 16, "size": len(clip), "name": "kettle.mp4"}
        taking = f"/projects/{self.project.pk}/footage/"
        self.refused(self.client.post(taking, done), 409)  # half a file is none
        more = self.client.put(
            f"{url}?offset=3000", rest + b"more than was said", content_type="application/octet-stream"
        )
        self.assertEqual((more.status_code, self.client.get(url).json()), (409, {"offset": 3000}))
        self.client.put(f"{url}?offset=3000", rest, content_type="application/octet-stream")
        count = Shot.objects.count()
        self.assertEqual(self.client.post(taking, done).status_code, 200)
        self.assertEqual((Shot.objects.count(), Shot.objects.latest("pk").media.facts.frames), (count + 1, 12))
        self.assertEqual(self.client.get(url).json(), {"offset": 0})  # nothing of it is left over
        self.refused(self.client.put(f"{url}?offset=x", b"", content_type="application/octet-stream"), 400)


class Told(JobCase):
    def test_an_error_that_nobody_foresaw_says_nothing_of_itself(self) -> None:
        request = HttpRequest()
        request.path = "/api/x"
        try:
            raise KeyError("secret")
        except KeyError:
            answer = errors.failed(request)
        self.assertEqual(answer.status_code, 500)
        self.assertNotIn("secret", answer.content.decode())
