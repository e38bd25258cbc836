"""What goes wrong is answered by its kind: what passes by itself with 503, what cannot be kept with 422, all in words."""

from __future__ import annotations

import errno
import json
from unittest import mock

import psycopg
from django.core.exceptions import RequestDataTooBig
from django.db import DataError, InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.test import RequestFactory, SimpleTestCase, override_settings

from kalyptra.config import errors
from kalyptra.config.proxies import client_address
from kalyptra.core import SetupError
from kalyptra.library import room, store, uploads


def caused(error: Exception, cause: Exception) -> Exception:
    error.__cause__ = cause
    return error


class Told(SimpleTestCase):
    def test_each_kind_of_trouble_has_its_status_and_its_words(self) -> None:
        cases: list[tuple[Exception, int, str]] = [
            (OperationalError("server closed the connection"), 503, "being started again"),
            (InterfaceError("connection already closed"), 503, "being started again"),
            (caused(OperationalError(), psycopg.errors.DiskFull()), 503, "disk is full"),
            (OSError(errno.ENOSPC, "no space"), 503, "disk is full"),
            (OSError(errno.EDQUOT, "quota"), 503, "disk is full"),
            (room.NoRoom("The disk is nearly full: 3 MB"), 503, "nearly full"),
            (store.Full("The store of mattes is full"), 503, "store of mattes"),
            (uploads.TooLarge("at most 20 GiB are taken"), 413, "20 GiB"),
            (SetupError("lens > f number: too small"), 422, "The saved one is unchanged"),
            (DataError("unsupported Unicode escape"), 422, "cannot be kept"),
            (UnicodeEncodeError("utf-8", "\ud800", 0, 1, "surrogates"), 422, "cannot be kept"),
            (OSError(errno.EACCES, "denied"), 500, "What was saved before is safe"),
            (ValueError("a secret"), 500, "What was saved before is safe"),
        ]  # fmt: skip
        for error, status, words in cases:
            with self.subTest(repr(error)):
                found, said = errors.told(error)
                self.assertEqual(found, status)
                self.assertIn(words, said)
                self.assertNotIn("secret", said)

    def test_connections_that_are_short_are_no_full_disk(self) -> None:
        for cause in (
            psycopg.errors.TooManyConnections(),
            psycopg.errors.OutOfMemory(),
            psycopg.errors.AdminShutdown(),
        ):
            self.assertIn("started again", errors.told(caused(OperationalError(), cause))[1])

    def test_scripts_get_json_and_people_a_page(self) -> None:
        make = RequestFactory()
        for request, kind in (
            (make.get("/api/shots/1"), "application/json"),
            (make.get("/x", headers={"Accept": "application/json"}), "application/json"),
            (make.post("/x", headers={"X-CSRFToken": "t"}), "application/json"),
            (make.get("/x", headers={"Accept": "text/html"}), "text/html"),
        ):
            answer = errors.answer(request, 404)
            self.assertTrue(answer.headers["Content-Type"].startswith(kind))
            self.assertIn("There is nothing at this address", answer.content.decode())
            self.assertNotIn("Retry-After", answer.headers)
        self.assertEqual(errors.answer(make.get("/"), 503).headers["Retry-After"], errors.RETRY_AFTER)
        self.assertEqual(errors.bad_request(make.get("/api/x"), RequestDataTooBig()).status_code, 413)

    def test_every_refusal_of_the_api_gets_words_and_what_has_some_keeps_them(self) -> None:
        answers = {
            "bare": HttpResponse("Method not allowed", status=405),
            "list": JsonResponse([1], safe=False, status=400),
            "detail": JsonResponse({"detail": "no"}, status=422),
            "own": JsonResponse({"error": "The clip ends at frame 9."}, status=422),
            "fine": HttpResponse("ok"),
        }
        for name, given in answers.items():
            with self.subTest(name):
                request = RequestFactory().get("/api/x")
                answer = errors.api_answers(lambda _, given=given: given)(request)  # type: ignore[misc]
                self.assertEqual(answer.status_code, given.status_code)
                if name in ("own", "fine"):
                    self.assertIs(answer, given)
                else:
                    self.assertGreater(len(json.loads(answer.content)["error"]), 20)
        page = HttpResponse("gone", status=404)
        self.assertIs(errors.api_answers(lambda _: page)(RequestFactory().get("/shots/9/")), page)


class Proxies(SimpleTestCase):
    def address(self, proxies: int, forwarded: str | None) -> str:
        request = HttpRequest()
        request.META = {"REMOTE_ADDR": "127.0.0.1"} | ({"HTTP_X_FORWARDED_FOR": forwarded} if forwarded is not None else {})  # fmt: skip
        with override_settings(PROXIES=proxies):
            return client_address(request)

    def test_only_what_our_own_proxies_wrote_is_believed(self) -> None:
        self.assertEqual(self.address(0, "198.51.100.7"), "127.0.0.1")
        self.assertEqual(self.address(1, "203.0.113.9, 198.51.100.7"), "198.51.100.7")
        self.assertEqual(self.address(2, "203.0.113.9, 198.51.100.7, 192.0.2.4"), "198.51.100.7")
        self.assertEqual(self.address(2, "198.51.100.7"), "127.0.0.1")  # it came past one of them
        self.assertEqual(self.address(1, " , "), "127.0.0.1")
        self.assertEqual(self.address(1, None), "127.0.0.1")


class Uploads(SimpleTestCase):
    def test_a_file_is_refused_by_its_announced_size_and_while_it_comes(self) -> None:
        handler = uploads.BoundedUploadHandler()
        with override_settings(UPLOAD_LIMIT=1000, RESERVE=0):
            with self.assertRaisesRegex(uploads.TooLarge, "Nothing was kept"):
                handler.handle_raw_input(None, {}, 1001, b"")
            handler.handle_raw_input(None, {}, 1000, b"")
            handler.new_file("file", "a.mp4", "video/mp4", None, None, None)
            self.addCleanup(handler.file.close)
            handler.receive_data_chunk(b"x" * 100, 0)
            with self.assertRaises(uploads.TooLarge):  # more than was announced
                handler.receive_data_chunk(b"x", uploads.LOOK_EVERY - 1)
        with override_settings(UPLOAD_LIMIT=1 << 40, RESERVE=100), mock.patch.object(room, "free", lambda: 150):
            uploads.check_size(25)  # it lies twice while it is taken in
            with self.assertRaises(room.NoRoom):
                uploads.check_size(26)

    def test_what_can_wait_is_refused_first(self) -> None:
        refused = {}
        for free in (120, 90, 40, 20, 10):
            with override_settings(RESERVE=100), mock.patch.object(room, "free", lambda free=free: free):
                refused[free] = [use.name for use in room.Use if not room.enough(use)]
        self.assertEqual(refused[120], [])
        self.assertEqual(refused[90], ["BULK"])
        self.assertEqual(refused[40], ["BULK", "UNDER_WAY"])
        self.assertEqual(refused[20], ["BULK", "UNDER_WAY", "MATTE"])
        self.assertEqual(refused[10], ["BULK", "UNDER_WAY", "MATTE", "SAVE"])
