"""Work ends whatever is raised meanwhile, says why, and frees what it held; it is cancelled, deleted and interrupted well."""

from __future__ import annotations

import threading
from pathlib import Path
from typing import Any
from unittest import mock

import cv2
import numpy as np
from django.core.files.base import ContentFile
from django.core.management import CommandError, call_command
from django.db import OperationalError, connections
from django.test import TransactionTestCase, override_settings
from procrastinate.contrib.django.models import ProcrastinateJob
from procrastinate.job_context import AbortReason

from kalyptra.core import GuardedFailure, coverage_of, read_setup
from kalyptra.core import probe as probe_file
from kalyptra.core.tests import material
from kalyptra.library import footage, leftovers, revisions, store
from kalyptra.library.models import Media, Project, Shot
from kalyptra.library.tests.case import StoredFolder
from kalyptra.work import lifecycle, orders, rendering, rescue, tasks
from kalyptra.work.kinds import BringMap, FollowMattes, RecoverPlate
from kalyptra.work.management.commands import worker
from kalyptra.work.models import Follow, Render
from kalyptra.work.tests.case import JobCase

What = Follow.What


class Ends(JobCase):
    def setUp(self) -> None:
        super().setUp()
        self.matte = np.zeros((90, 160), np.uint8)
        self.matte[:40, :60] = 255

    def found(self) -> Shot:
        """A shot with a found matte at frame 2."""
        shot = self.ready()
        key = {"frame": 2, "matte": store.local().keep(self.matte)}
        subject = {"id": "cards", "name": "Cards", "matte": {"kind": "found", "keys": [key]},
                   "distance": {"keys": [{"frame": 0, "value": 2}]}}  # fmt: skip
        return revisions.save(shot.pk, shot.head, read_setup(_document(shot) | {"subjects": [subject]}), self.editor)

    def bring(self, shot: Shot, name: str) -> Follow:
        file = ContentFile(cv2.imencode(".png", self.matte)[1].tobytes(), "map.png")
        return orders.order_import(shot, BringMap(source=name, title="map.png"), file, self.editor)

    def follow(self, order: Follow) -> Follow:
        self.run_job(tasks.run_follow, follow_id=order.pk)
        order.refresh_from_db()
        return order

    def render(self, order: Render) -> Render:
        self.run_job(tasks.render_shot, render_id=order.pk)
        order.refresh_from_db()
        return order

    def files(self, name: str) -> list[Path]:
        return [path for path in (self.folder / "media" / name).rglob("*") if path.is_file()]

    def test_findings_that_the_setup_refuses_end_the_work_with_words_and_free_its_file(self) -> None:
        shot = self.ready()
        with self.assertRaisesRegex(orders.NotTaken, "it is no map"):
            self.bring(shot, "backdrop")
        order = self.bring(shot, "depth")
        document = _document(shot)
        document["distance"]["sources"] *= 32  # meanwhile somebody fills the list
        for i, source in enumerate(document["distance"]["sources"]):
            document["distance"]["sources"][i] = source | {"id": f"source{i}"}
        shot = revisions.save(shot.pk, shot.head, read_setup(document), self.editor)
        done = self.follow(order)
        self.assertEqual((done.state, bool(done.file), self.files("brought")), ("failed", False, []))
        self.assertIn("there are 32 sources of distance already", done.message)
        with self.assertRaisesRegex(orders.NotTaken, "no more are taken"):
            self.bring(shot, "another")

    def test_whatever_is_raised_a_job_ends_says_why_and_frees_its_subject(self) -> None:
        shot = self.found()
        for raised, words in ((RuntimeError("lamp"), "not foreseen (RuntimeError)"), (OSError(28, "full"), "disk is full"), (MemoryError(), "not foreseen")):  # fmt: skip
            order = orders.order_work(shot, FollowMattes(subject="cards", start=2, end=9), self.editor)
            with (
                mock.patch.object(FollowMattes, "run", side_effect=raised),
                self.assertLogs(level="ERROR") if "foreseen" in words else mock.MagicMock(),
            ):
                done = self.follow(order)
            self.assertEqual(done.state, "failed")
            self.assertIn(words, done.message)
        render = orders.order_render(shot, 2, 3, self.editor, gaps=True)
        with (
            mock.patch.object(rendering, "render_to_file", side_effect=ValueError("x")),
            self.assertLogs(level="ERROR"),
        ):
            self.assertEqual(self.render(render).state, "failed")
        Media.objects.update(state="preparing")
        with mock.patch("kalyptra.work.preparing.make_proxy", side_effect=ValueError("x")), self.assertLogs(level="ERROR"):  # fmt: skip
            self.run_job(tasks.prepare_media, media_id=shot.media_id)
        self.assertIn("could not be prepared", Media.objects.get().message)

    def test_a_database_that_goes_away_interrupts_and_fails_nothing(self) -> None:
        shot = self.found()
        order = orders.order_work(shot, FollowMattes(subject="cards", start=2, end=9), self.editor)
        with mock.patch.object(FollowMattes, "run", side_effect=OperationalError("gone")), mock.patch.object(lifecycle, "connection"), self.assertRaises(lifecycle.Interrupted):  # fmt: skip
            self.run_job(tasks.run_follow, follow_id=order.pk)
        self.assertEqual(self.follow(order).state, "done")

    def test_a_worker_that_leaves_stops_work_that_reports_nothing(self) -> None:
        shot = self.found()
        for order, task in (
            (orders.order_render(shot, 2, 2, self.editor), tasks.render_shot),
            (orders.order_work(shot, RecoverPlate(start=2, end=2), self.editor), tasks.run_follow),
        ):
            name = "render_id" if task is tasks.render_shot else "follow_id"
            with self.assertRaises(lifecycle.Interrupted):
                self.run_job(task, AbortReason.SHUTDOWN, **{name: order.pk})

    def test_a_killed_render_process_is_tried_again_with_the_parts_that_are_finished(self) -> None:
        shot = self.ready()
        order = orders.order_render(shot, 0, 9, self.editor)
        real, tries = rendering.render_to_file, []

        def killed_twice(job: Any, folder: Path, *more: Any) -> str:
            tries.append(sorted(path.name for path in folder.glob("part-*")))
            if len(tries) <= 2:
                (folder / f"part-000000{len(tries)}-0000009.mp4").touch()
                raise GuardedFailure("killed", "-9")
            for path in folder.glob("part-*"):
                path.unlink()
            return real(job, folder, *more)

        with mock.patch.object(rendering, "render_to_file", killed_twice):
            self.assertEqual(self.render(order).state, "done")
        self.assertEqual([len(attempt) for attempt in tries], [0, 1, 2])
        self.assertFalse(rendering.folder_of(order).exists())

    def test_a_render_that_failed_leaves_its_parts_to_the_next_one_of_the_same(self) -> None:
        shot = self.ready()
        first = orders.order_render(shot, 0, 9, self.editor)
        with mock.patch.object(rendering, "render_to_file", side_effect=GuardedFailure("killed", "-9")):
            failed = self.render(first)
        self.assertIn("the parts that are finished are used", failed.message)
        self.assertIn("memory is short", failed.message)
        second = orders.order_render(shot, 0, 9, self.editor)
        self.assertEqual(rendering.folder_of(second), rendering.folder_of(first))
        self.assertTrue(rendering.folder_of(first).exists())
        other = orders.order_render(shot, 0, 8, self.editor)
        self.assertNotEqual(rendering.folder_of(other), rendering.folder_of(first))

    def test_restarts_in_good_order_count_nothing_and_crashes_that_get_further_start_anew(self) -> None:
        shot = self.ready()
        order = orders.order_render(shot, 0, 9, self.editor)
        for _ in range(8):
            with self.assertRaises(lifecycle.Interrupted):
                self.run_job(tasks.render_shot, AbortReason.SHUTDOWN, render_id=order.pk)
        for reached in (0, 3, 6, 9):
            Render.objects.filter(pk=order.pk).update(frames_done=reached)
            self.assertTrue(rescue.crashed("render", {"render_id": order.pk}))
        self.assertEqual([rescue.crashed("render", {"render_id": order.pk}) for _ in range(3)], [True, True, False])
        order.refresh_from_db()
        self.assertEqual((order.state, order.message), ("failed", rescue.GIVEN_UP))

    def test_work_that_no_job_minds_is_ended(self) -> None:
        shot = self.ready()
        minded, lost = (orders.order_render(shot, 0, last, self.editor) for last in (8, 9))
        ProcrastinateJob.objects.filter(task_name="prepare_media").delete()
        with mock.patch.object(rescue, "SILENCE", rescue.SILENCE * 0), mock.patch.object(ProcrastinateJob, "objects") as jobs:  # fmt: skip
            jobs.filter.side_effect = lambda **which: _Ids([minded.pk] if which["task_name"] == "render" else [])
            rescue.settle_orphans()
        states = dict(Render.objects.values_list("pk", "state"))
        self.assertEqual((states[minded.pk], states[lost.pk]), ("queued", "failed"))

    def test_care_never_waits_for_other_work(self) -> None:
        queues = {task.queue for task in tasks.app.tasks.values() if task.name in ("prepare_media", "render", "follow", "rescue", "sweep_store")}  # fmt: skip
        self.assertEqual(queues, set(worker.SLOTS))
        self.assertGreaterEqual(worker.SLOTS["care"], 2)

    def test_a_shot_that_is_deleted_takes_all_its_files_along_whatever_is_under_way(self) -> None:
        shot = self.found()
        self.render(orders.order_render(shot, 2, 3, self.editor, gaps=True))
        self.bring(shot, "depth")
        self.assertTrue(self.files("renders") and self.files("brought"))
        footage.remove_shot(shot)
        self.assertEqual([*(self.folder / "media").glob("*/*/*")], [])
        self.assertEqual([path.name for path in (self.folder / "media").glob("*/*")], [])
        # Deleted while its proxy is made: the job ends, and nothing comes back.
        again = self.shot()
        real = footage.remove_shot

        def deleted_meanwhile(*arguments: Any, **more: Any) -> Any:
            real(Shot.objects.get())
            return make(*arguments, **more)

        from kalyptra.work import preparing

        make = preparing.make_proxy
        with mock.patch.object(preparing, "make_proxy", deleted_meanwhile):
            self.run_job(tasks.prepare_media, media_id=again.media_id)
        self.assertEqual((Media.objects.count(), [*(self.folder / "media").glob("*/*")]), (0, []))
        self.assertEqual([*(self.folder / "work").glob("*")], [])

    def test_preparing_is_stopped_and_taken_up_again(self) -> None:
        shot = self.shot()
        self.client.post(f"/shots/{shot.pk}/stop-preparing/")
        self.run_job(tasks.prepare_media, media_id=shot.media_id)
        self.assertEqual((Media.objects.get().state, bool(Media.objects.get().proxy)), ("stopped", False))
        self.client.post(f"/shots/{shot.pk}/prepare/")
        self.run_job(tasks.prepare_media, media_id=shot.media_id)
        self.assertEqual(Media.objects.get().state, "ready")

    def test_what_crashes_left_behind_goes_after_a_day_and_what_has_a_row_stays(self) -> None:
        shot = self.ready()
        for name in (
            "work/render-x/part.mp4",
            "uploads/half",
            "media/footage/stray/source",
            "media/renders/stray/r.mp4",
        ):
            path = self.folder / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(b"x")
        self.assertEqual(leftovers.sweep(set()), 0)  # young: it may be work under way
        import time

        self.assertEqual(leftovers.sweep(set(), time.time() + 2 * leftovers.OLD), 4)
        shot.media.refresh_from_db()
        self.assertTrue(shot.media.file.size and shot.media.proxy.size)

    def test_a_full_disk_refuses_what_can_wait_and_says_so(self) -> None:
        shot = self.ready()
        save = {"base": 1, "setup": _document(shot) | {"plate": _document(shot)["plate"] | {"growth": 3.0}}}
        ask = {
            "upload": lambda: self.upload(material.png(material.card(0)), "a.png"),
            "render": lambda: self.client.post(f"/api/shots/{shot.pk}/renders", {"first": 0, "last": 3}, "application/json"),
            "save": lambda: self.client.put(f"/api/shots/{shot.pk}/setup", save, "application/json"),
            "frame": lambda: self.client.get(f"/api/shots/{shot.pk}/frames/1/0.jpg"),
        }  # fmt: skip
        self.client.raise_request_exception = False
        from kalyptra.library import room

        for free, refused in ((90, {"upload", "render"}), (10, {"upload", "render", "save"}), (200, set())):
            with override_settings(RESERVE=100), mock.patch.object(room, "free", lambda free=free: free), mock.patch.object(room.need, "__defaults__", (0,)):  # fmt: skip
                answers = {name: send() for name, send in ask.items() if free < 100 or name != "upload"}
            self.assertEqual({name for name, item in answers.items() if item.status_code == 503}, refused)
            for name in refused:
                self.assertIn("disk is nearly full", answers[name].json()["error"], name)
            self.assertEqual(answers["frame"].status_code, 200)
        self.assertEqual(Shot.objects.count(), 1)

    def test_a_shot_with_found_mattes_is_rendered_from_the_shell(self) -> None:
        shot = self.found()
        setup = _document(shot) | {"footage": {"first": 2, "last": 3}}
        setup["subjects"][0]["matte"]["keys"].append(setup["subjects"][0]["matte"]["keys"][0] | {"frame": 3})
        revisions.save(shot.pk, shot.head, read_setup(setup), self.editor)
        out = self.folder / "e.mp4"
        call_command("render_shot", str(shot.pk), "-o", str(out), verbosity=0)
        self.assertEqual(probe_file(out, footage.DEFAULT_RATE).frames, 2)
        store.local().path(setup["subjects"][0]["matte"]["keys"][0]["matte"]).unlink()
        with self.assertRaisesRegex(CommandError, "not in the store"):
            call_command("render_shot", str(shot.pk), "-o", str(out), verbosity=0)

    def test_the_sweep_heeds_what_it_cannot_read_and_what_was_relied_on_again(self) -> None:
        import os
        import time

        shot = self.found()
        named = shot.setup.subjects[0].matte.keys[0].matte
        again = store.local().keep(self.matte[::-1].copy())
        loose = store.local().keep(self.matte[:, ::-1].copy())
        for name in (named, again, loose):
            os.utime(store.local().path(name), (1, 1))
        # A revision that no version of ours can read names its pictures all the same.
        revision = shot.revision
        revision.document = {"version": 99, "subjects": [{"matte": named}]}
        revision.save()
        store.local().keep(self.matte[::-1].copy())  # brought again: its revision is not there yet
        self.assertEqual(store.sweep(time.time()), 1)
        self.assertEqual([store.local().has(name) for name in (named, again, loose)], [True, True, False])
        np.testing.assert_array_equal(coverage_of(store.local().picture(named)) > 0.5, self.matte > 127)

    def test_a_record_that_is_damaged_stops_no_sweep_and_those_that_are_sound_keep_their_pictures(self) -> None:
        import os
        import time

        shot = self.found()
        inner = store.local().keep(self.matte[::-1].copy())
        for frames, broken in (([[3, inner, 1, "followed"]], False), ([[4, "b" * 32, 1, "followed"]], True)):
            document = _document(shot)
            document["subjects"][0]["matte"]["frames"] = frames
            shot = revisions.save(shot.pk, shot.head, read_setup(document), self.editor)
            self.assertEqual((len(shot.revision.records), inner in shot.revision.names), (1, False))
            if broken:
                store.local().path(shot.revision.records[0], ".json-z").write_bytes(b"spoilt")
        loose = store.local().keep(self.matte[:, ::-1].copy())
        for path in store.local().folder.glob("*/*"):
            os.utime(path, (1, 1))
        with self.assertLogs(level="ERROR"):
            self.assertEqual(store.sweep(time.time()), 1)
        self.assertEqual([store.local().has(name) for name in (inner, loose)], [True, False])

    def test_records_on_another_machine_keep_their_pictures_in_the_shared_storage(self) -> None:
        import io
        import time

        shot = self.found()
        inner = store.local().keep(self.matte[::-1].copy())
        document = _document(shot)
        document["subjects"][0]["matte"]["frames"] = [[3, inner, 1, "followed"]]
        shot = revisions.save(shot.pk, shot.head, read_setup(document), self.editor)
        path = store.local().path(shot.revision.records[0], ".json-z")
        data = path.read_bytes()
        path.unlink()  # it was made elsewhere
        remote = mock.Mock()
        remote.path.side_effect = NotImplementedError
        remote.exists.return_value = True
        remote.open.side_effect = lambda name: io.BytesIO(data)
        with mock.patch.object(store, "default_storage", remote):
            store.sweep(time.time() + 2 * store.YOUNG)
        self.assertTrue(store.local().has(inner))
        remote.delete.assert_not_called()

    def test_a_revision_of_an_older_version_is_handed_out_small_and_its_records_are_kept(self) -> None:
        import json
        import time
        from pathlib import Path as File

        shot = self.ready()
        old = json.loads((File(__file__).parents[3] / "demo" / "runner" / "setup.json").read_text())
        old |= {"version": 4, "footage": {"first": 0, "last": 9}}  # a file holds all of it, as every document did then
        revision = shot.revision
        revision.document = old
        revision.save()
        state = self.client.get(f"/api/shots/{shot.pk}").json()["setup"]
        self.assertLess(len(json.dumps(state)), 30_000)
        store.sweep(time.time() + 2 * store.YOUNG)
        state["plate"]["growth"] = 3.0
        answer = self.client.put(f"/api/shots/{shot.pk}/setup", {"base": 1, "setup": state}, "application/json")
        self.assertEqual(answer.status_code, 200, answer.content[:200])
        whole = self.client.get(f"/shots/{shot.pk}/setup.json").json()
        for before, after in zip(old["subjects"], whole["subjects"], strict=True):
            for was, other in zip(before["matte"]["outlines"], after["matte"]["outlines"], strict=True):
                self.assertEqual([step["frame"] for step in was["steps"]], [step["frame"] for step in other["steps"]])

    def test_what_a_run_that_was_cut_short_left_at_a_files_place_goes(self) -> None:
        shot = self.ready()
        order = orders.order_render(shot, 0, 3, self.editor)
        place = self.folder / "media" / "renders" / str(order.key) / "result.mp4"
        place.parent.mkdir(parents=True)
        place.write_bytes(b"half")
        self.assertEqual(self.render(order).state, "done")
        self.assertEqual([path.name for path in place.parent.iterdir()], ["result.mp4"])
        self.assertGreater(place.stat().st_size, 1000)


class _Ids:
    def __init__(self, ids: list[int]) -> None:
        self._ids = ids

    def values_list(self, *_: Any, **__: Any) -> list[int]:
        return self._ids


def _document(shot: Shot) -> dict[str, Any]:
    return shot.setup.model_dump(mode="json")


class AtOnce(StoredFolder, TransactionTestCase):
    def test_of_two_orders_for_one_subject_at_the_same_moment_one_is_refused(self) -> None:
        source = material.video(self.folder / "a.mp4", frames=10)
        project = Project.objects.create(title="Ferries", owner=self.editor)
        shot = footage.take_in(project, source, "a.mp4", self.editor)
        Media.objects.update(state="ready")
        subject = {"id": "cards", "name": "Cards", "distance": {"keys": [{"frame": 0, "value": 2}]},
                   "matte": {"kind": "found", "keys": [{"frame": 2, "matte": "a" * 32}]}}  # fmt: skip
        shot = revisions.save(shot.pk, 1, read_setup(_document(shot) | {"subjects": [subject]}), self.editor)
        said: list[str] = []
        together = threading.Barrier(4)

        def order() -> None:
            together.wait()
            try:
                orders.order_work(shot, FollowMattes(subject="cards", start=2, end=9), self.editor)
                said.append("begun")
            except orders.NotTaken:
                said.append("refused")
            finally:
                connections.close_all()

        threads = [threading.Thread(target=order) for _ in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(sorted(said), ["begun", "refused", "refused", "refused"])
        self.assertEqual(Follow.objects.count(), 1)
