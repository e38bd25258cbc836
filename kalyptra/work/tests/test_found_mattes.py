"""Jobs around found mattes: what is found goes into the setup, gaps are not rendered unnoticed, the store keeps in bounds."""

from __future__ import annotations

import io
import time
import zipfile
from typing import Any
from unittest import mock

import cv2
import numpy as np
from django.core.files.base import ContentFile
from django.test import override_settings

from kalyptra.core import coverage_of, read_setup
from kalyptra.core.tests.material import card
from kalyptra.library import revisions, store
from kalyptra.library.models import Shot
from kalyptra.work import orders, tasks
from kalyptra.work.kinds import (
    BringMap,
    BringMatte,
    BringPlate,
    FindFeet,
    FindPeople,
    FollowMattes,
    FollowOutlines,
    RecoverPlate,
)
from kalyptra.work.models import Follow
from kalyptra.work.tests.case import JobCase

What = Follow.What


def corner(by: int = 0) -> np.ndarray[Any, Any]:
    """The coloured corner of a card, as a matte."""
    out = np.zeros((90, 160), np.uint8)
    out[: 22 + by, : 40 + by] = 255
    return out


class FoundMattes(JobCase):
    """The clip is ten cards; the subject is their coloured corner."""

    def found(self) -> Shot:
        shot = self.ready()
        key = {"frame": 2, "matte": store.local().keep(corner())}
        subject = {"id": "cards", "name": "Cards", "matte": {"kind": "found", "keys": [key]},
                   "distance": {"keys": [{"frame": 0, "value": 2}]}}  # fmt: skip
        setup = read_setup(shot.setup.model_dump(mode="json") | {"subjects": [subject]})
        return revisions.save(shot.pk, shot.head, setup, self.editor)

    def now(self, shot: Shot) -> Any:
        return Shot.objects.get(pk=shot.pk).setup

    def do(self, order: Follow) -> Follow:
        self.run_job(tasks.run_follow, follow_id=order.pk)
        order.refresh_from_db()
        return order

    def test_following_back_and_ahead_fills_the_shot_and_a_new_key_mends_its_stretch_alone(self) -> None:
        shot = self.found()
        for end in (9, 0):
            done = self.do(orders.order_work(shot, FollowMattes(subject="cards", start=2, end=end), self.editor))
            self.assertEqual(done.state, "done", done.message)
        matte = self.now(shot).subjects[0].matte
        self.assertEqual([frame.frame for frame in matte.frames], [0, 1, 3, 4, 5, 6, 7, 8, 9])
        shown = coverage_of(store.local().picture(matte.at(9)))
        self.assertGreater(shown[: shown.shape[0] // 5, : shown.shape[1] // 5].mean(), 0.9)
        # A key at frame 6; following again from there leaves what lies before it.
        shot.refresh_from_db()
        document = self.now(shot).model_dump(mode="json")
        document["subjects"][0]["matte"]["keys"].append({"frame": 6, "matte": store.local().keep(corner(6))})
        revisions.save(shot.pk, shot.head, read_setup(document), self.editor)
        self.do(
            orders.order_work(Shot.objects.get(pk=shot.pk), FollowMattes(subject="cards", start=6, end=9), self.editor)
        )
        mended = self.now(shot).subjects[0].matte
        self.assertEqual([mended.at(t) == matte.at(t) for t in range(10)], [True] * 6 + [False] * 4)

    def test_a_render_does_not_start_with_frames_missing_unless_that_is_wanted(self) -> None:
        shot = self.found()
        with self.assertRaisesRegex(orders.Gaps, r"Cards: 0 to 1, 3 to 9"):
            orders.order_render(shot, 0, 9, self.editor)
        url = f"/api/shots/{shot.pk}/renders"
        answer = self.client.post(url, {"first": 0, "last": 9}, content_type="application/json")
        self.assertEqual((answer.status_code, answer.json()["gaps"]), (409, True))
        answer = self.client.post(url, {"first": 0, "last": 9, "gaps": True}, content_type="application/json")
        self.assertEqual(answer.status_code, 200)
        store.local().path(shot.setup.subjects[0].matte.keys[0].matte).unlink()
        with self.assertRaisesRegex(orders.NotTaken, "not in the store any more"):
            orders.order_render(shot, 2, 2, self.editor)

    def test_mattes_are_taken_away_as_numbered_pictures(self) -> None:
        shot = self.found()
        render = orders.order_render(shot, 2, 2, self.editor, made="png-8", subject="cards")
        self.run_job(tasks.render_shot, render_id=render.pk)
        answer = self.client.get(f"/renders/{render.pk}/result.mp4")
        self.assertIn("kettle 2-2.zip", answer["Content-Disposition"])
        with zipfile.ZipFile(io.BytesIO(b"".join(answer.streaming_content))) as archive:
            data = archive.read("00002.png")
        np.testing.assert_array_equal(cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED), corner())

    def test_nobody_in_the_picture_is_said(self) -> None:
        shot = self.found()
        done = self.do(orders.order_work(shot, FindPeople(subject="cards", start=0, end=9), self.editor))
        self.assertEqual((done.state, done.frames_done), ("done", 10))
        self.assertIn("Nobody is seen", done.message)
        self.assertEqual({frame.how.value for frame in self.now(shot).subjects[0].matte.frames}, {"nobody"})

    def test_a_plate_is_recovered_and_used(self) -> None:
        shot = self.found()
        shot = Shot.objects.get(
            pk=self.do(orders.order_work(shot, FollowMattes(subject="cards", start=2, end=9), self.editor)).shot_id
        )
        done = self.do(orders.order_work(shot, RecoverPlate(start=2, end=9), self.editor))
        self.assertEqual((done.state, done.frames_done), ("done", 8), done.message)
        plate = self.now(shot).plate
        self.assertEqual(
            (plate.source.value, [patch.frame for patch in plate.patches]), ("recovered", list(range(2, 10)))
        )
        patch = store.local().picture(plate.patches[0].picture)
        self.assertEqual(int(patch[5, 5, 3]), 0)  # no frame shows what is behind the corner

    def test_a_matte_and_a_plate_are_brought_and_their_files_let_go(self) -> None:
        shot = self.found()
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w") as archive:
            for i in range(3):
                archive.writestr(f"m{i}.png", cv2.imencode(".png", corner(i))[1].tobytes())
        file = ContentFile(packed.getvalue(), "runner mattes.zip")
        done = self.do(
            orders.order_import(shot, BringMatte(subject="cards", title="runner mattes.zip"), file, self.editor)
        )
        self.assertEqual((done.state, bool(done.file)), ("done", False), done.message)
        matte = self.now(shot).subjects[0].matte
        self.assertEqual((matte.kind, matte.title, len(matte.frames)), ("imported", "runner mattes.zip", 3))
        np.testing.assert_array_equal(store.local().picture(matte.at(1)), corner(1))
        still = ContentFile(cv2.imencode(".png", card(0)[..., ::-1])[1].tobytes(), "quay.png")
        self.do(orders.order_import(Shot.objects.get(pk=shot.pk), BringPlate(title="quay.png"), still, self.editor))
        plate = self.now(shot).plate
        self.assertEqual(plate.source.value, "imported")
        np.testing.assert_array_equal(store.local().picture(plate.imported.at(7))[..., :3], card(0))

    def test_a_file_that_is_no_matte_changes_nothing(self) -> None:
        shot = self.found()
        file = ContentFile(b"a tide table", "tides.zip")
        done = self.do(orders.order_import(shot, BringMatte(subject="cards", title="tides.zip"), file, self.editor))
        self.assertEqual(done.state, "failed")
        self.assertIn("The work stopped", done.message)
        self.assertEqual(Shot.objects.get(pk=shot.pk).head, shot.head)

    def test_marks_find_a_matte_through_the_api_and_bad_ones_are_refused_in_words(self) -> None:
        shot = self.found()
        url = f"/api/shots/{shot.pk}/mattes/marks"
        keep = {"keep": True, "width": 8, "points": [[10, 8], [30, 12]]}
        answer = self.client.post(url, {"frame": 2, "marks": [keep]}, content_type="application/json")
        matte = store.local().picture(answer.json()["matte"])
        self.assertEqual((matte[10, 20], matte[80, 150]), (255, 0))
        for marks, words in (([], "Nothing is kept"), ([keep | {"keep": False}], "Nothing is kept")):
            refused = self.client.post(url, {"frame": 2, "marks": marks}, content_type="application/json")
            self.assertEqual(refused.status_code, 422)
            self.assertIn(words, refused.json()["error"])
        gone = {"frame": 2, "marks": [keep], "under": "a" * 32}
        self.assertIn("not in the store", self.client.post(url, gone, content_type="application/json").json()["error"])
        self.client.logout()
        self.assertEqual(self.client.post(url, {}, content_type="application/json").status_code, 401)

    def test_the_store_lets_go_of_what_no_setup_names_and_refuses_when_full(self) -> None:
        shot = self.found()
        named = shot.setup.subjects[0].matte.keys[0].matte
        loose = store.local().keep(corner(3))
        self.assertEqual(store.sweep(), 0)  # young
        self.assertEqual(store.sweep(time.time() + 2 * store.YOUNG), 1)
        self.assertEqual((store.local().has(named), store.local().has(loose)), (True, False))
        store._measured.clear()
        with override_settings(KEPT_LIMIT=1):
            done = self.do(orders.order_work(shot, FollowMattes(subject="cards", start=2, end=9), self.editor))
        self.assertEqual(done.state, "failed")
        self.assertIn("store of mattes and plates is full", done.message)
        self.assertTrue(store.local().has(named))

    def test_what_cannot_be_done_is_refused_in_words(self) -> None:
        shot = self.found()
        cases = [
            ("no matte at this frame", FollowMattes(subject="cards", start=5, end=9)),
            ("not in the saved setup", FindPeople(subject="ferry", start=0, end=9)),
            ("That outline", FollowOutlines(subject="cards", outlines=("line1",), start=0, end=9)),
            ("no range", FollowMattes(subject="cards", start=2, end=99)),
        ]
        for words, order in cases:
            with self.subTest(words), self.assertRaisesRegex(orders.NotTaken, words):
                orders.order_work(shot, order, self.editor)

    def test_several_machines_share_the_store_through_the_storage(self) -> None:
        picture = store.local().keep(corner(1))
        held: dict[str, bytes] = {}
        remote = mock.Mock()
        remote.path.side_effect = NotImplementedError
        remote.exists.side_effect = held.__contains__
        remote.save.side_effect = lambda name, file: held.__setitem__(name, file.read())
        remote.open.side_effect = lambda name: io.BytesIO(held[name])
        with mock.patch.object(store, "default_storage", remote):
            store.share([picture])
            store.local().path(picture).unlink()
            self.assertEqual(store.fetch([picture, "b" * 32]), ["b" * 32])
        np.testing.assert_array_equal(store.local().picture(picture), corner(1))

    def test_a_map_file_becomes_a_source_and_bringing_it_again_keeps_how_it_is_read(self) -> None:
        shot = self.ready()
        for level in (40, 90):
            png = cv2.imencode(".png", np.full((9, 16), level, np.uint8))[1].tobytes()
            file = ContentFile(png, "depth.png")
            order = orders.order_import(shot, BringMap(source="depthmap", title="depth.png"), file, self.editor)
            self.assertEqual(self.do(order).state, "done")
            source = self.now(shot).distance.sources[-1]
            np.testing.assert_array_equal(store.local().picture(source.frames[0]), np.full((9, 16), level))
            document = self.now(shot).model_dump(mode="json")
            document["distance"]["sources"][-1]["white_is_near"] = False
            shot = revisions.save(shot.pk, Shot.objects.get(pk=shot.pk).head, read_setup(document), self.editor)
        self.assertEqual(len(self.now(shot).distance.sources), 2)
        self.assertFalse(self.now(shot).distance.sources[-1].white_is_near)

        file = ContentFile(b"tides", "depth.exr")
        order = orders.order_import(shot, BringMap(source="depthmap", title="depth.exr"), file, self.editor)
        done = self.do(order)
        self.assertEqual((done.state, len(self.now(shot).distance.sources)), ("failed", 2))
        self.assertIn("no footage", done.message)

    def test_feet_are_looked_for_over_the_range_and_hidden_ones_are_told(self) -> None:
        shot = self.found()
        with self.assertRaisesMessage(orders.NotTaken, "does not stand"):
            orders.order_work(shot, FindFeet(subject="cards", start=0, end=9), self.editor)
        document = self.now(shot).model_dump(mode="json")
        document["distance"]["sources"].append(
            {"kind": "ground", "id": "quay", "horizon": {"keys": [{"frame": 0, "value": 10}]}}
        )
        document["subjects"][0]["standing"] = {"on": "quay"}
        shot = revisions.save(shot.pk, shot.head, read_setup(document), self.editor)
        done = self.do(orders.order_work(shot, FindFeet(subject="cards", start=0, end=9), self.editor))
        self.assertEqual(done.state, "done", done.message)
        self.assertIn("No foot is seen in 9 of 10 frames", done.message)  # only one frame has a matte
        standing = self.now(shot).subjects[0].standing
        self.assertEqual([(frame, round(y)) for frame, _, y in standing.feet], [(2, 22)])
