"""Changes are commands on what is in force: those of two people both hold, one sent twice is done once, and all are told."""

from __future__ import annotations

import threading
from typing import Any

from django.db import connection
from django.test import TransactionTestCase

from kalyptra.core import Put, Refused
from kalyptra.core.edit.shot import SetRange
from kalyptra.core.tests import material
from kalyptra.library import footage, revisions
from kalyptra.library.models import Project, Revision, Shot
from kalyptra.library.tests.case import Stored, StoredFolder

GROWTH = "plate.growth"


def begin_at(first: int) -> dict[str, Any]:
    return {"do": "set-range", "first": first}


class Changes(Stored):
    def change(self, shot: Shot, base: int, *commands: dict[str, Any], **more: Any) -> Any:
        body = {"base": base, "commands": commands, **more}
        return self.client.post(f"/api/shots/{shot.pk}/changes", body, content_type="application/json")

    def test_one_that_was_given_on_an_older_revision_is_made_on_the_newest(self) -> None:
        shot = self.shot()
        self.assertEqual(self.change(shot, 1, begin_at(2)).json()["revision"], 2)
        answer = self.change(shot, 1, {"do": "put", "path": GROWTH, "value": 7})
        self.assertEqual(answer.status_code, 200)
        setup = Shot.objects.get().setup
        self.assertEqual((setup.footage.first, setup.plate.growth), (2, 7))

    def test_sent_twice_it_is_done_once(self) -> None:
        shot, move = self.shot(), {"do": "move-keys", "path": "lens.f_number", "frames": [0], "by": 3}
        for _ in range(2):
            answer = self.change(shot, 1, move, token="0123456789ab")
            self.assertEqual((answer.status_code, answer.json()["revision"]), (200, 2))
        self.assertEqual(Shot.objects.get().setup.lens.f_number.keys[0].frame, 3)

    def test_refused_on_what_came_meanwhile_it_asks_and_can_be_made_on_what_it_was_given_on(self) -> None:
        shot = self.shot()
        self.change(shot, 1, {"do": "add-mark", "id": "aa", "name": "Stall", "distance": 3})
        self.change(shot, 2, {"do": "remove-mark", "id": "aa"})
        rename = {"do": "put", "path": "focus.marks.aa.name", "value": "Tea stall"}
        answer = self.change(shot, 2, rename)
        self.assertEqual((answer.status_code, answer.json()["now"]["revision"]), (409, 3))
        self.assertIn("not there any more", answer.json()["error"])
        self.assertEqual(self.change(shot, 3, rename).status_code, 422)  # nobody else is to be asked about
        self.assertEqual(self.change(shot, 2, rename, over=True).json()["revision"], 4)
        self.assertEqual([mark.name for mark in Shot.objects.get().setup.focus.marks], ["Tea stall"])
        revisions.undo(shot.pk, 4)
        self.assertEqual(Shot.objects.get().setup.focus.marks, ())  # what came between is still there

    def test_all_of_a_change_is_made_or_nothing(self) -> None:
        shot = self.shot()
        answer = self.change(shot, 1, begin_at(2), {"do": "set-range", "last": 99})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("The clip ends at frame 9. Nothing was changed.", answer.json()["error"])
        self.assertEqual((Shot.objects.get().head, Revision.objects.count()), (1, 1))

    def test_what_is_no_command_is_refused_and_named(self) -> None:
        shot = self.shot()
        for command in ({"do": "paint"}, {"do": "take-steps"}, {"do": "put", "path": "../lens", "value": 1}):
            answer = self.change(shot, 1, command)
            self.assertEqual(answer.status_code, 422)
            self.assertIn("commands > 0", answer.json()["error"])

    def test_the_history_tells_what_was_done_and_by_whom(self) -> None:
        shot = self.shot()
        self.change(shot, 1, begin_at(2))
        self.change(shot, 2, {"do": "pull-to", "frame": 8, "take": 4, "value": 3})
        self.change(shot, 3, {"do": "put", "path": GROWTH, "value": 7})
        revisions.undo(shot.pk, 4)
        told = self.client.get(f"/api/shots/{shot.pk}/history").json()
        self.assertEqual(
            [(entry["revision"], entry["words"], entry["who"]) for entry in told],
            [
                (3, "A pull was written that arrives at frame 8.", "maren"),
                (2, "The shot's range was set.", "maren"),
                (1, "The shot was begun.", "maren"),
            ],
        )
        kept = Revision.objects.get(number=3).commands
        self.assertEqual(kept, [{"do": "pull-to", "frame": 8, "take": 4, "value": 3.0}])


class AtOnce(StoredFolder, TransactionTestCase):
    def test_changes_at_the_same_moment_all_hold(self) -> None:
        project = Project.objects.create(title="Ferries", owner=self.editor)
        source = material.video(self.folder / "a.mp4", frames=10)
        shot = footage.take_in(project, source, "a.mp4", self.editor)
        paths = ["plate.growth", "lens.permissible_coc_mm", "distance.smooth", "focus.fastest", "output.height", "lens.iris.turn"]  # fmt: skip

        def change(path: str) -> None:
            try:
                revisions.change(shot.pk, 1, [Put(path=path, value=0.25 if path != "output.height" else 200)], None)
            finally:
                connection.close()

        threads = [threading.Thread(target=change, args=(path,)) for path in paths]
        for thread in threads:
            thread.start()
        for worker in threads:
            worker.join()
        setup = Shot.objects.get().setup
        found = (setup.plate.growth, setup.lens.permissible_coc_mm, setup.distance.smooth, setup.focus.fastest, setup.output.height, setup.lens.iris.turn)  # fmt: skip
        self.assertEqual(found, (0.25, 0.25, 0.25, 0.25, 200, 0.25))
        self.assertEqual(Shot.objects.get().head, 1 + len(paths))
        with self.assertRaises(Refused):
            revisions.change(shot.pk, Shot.objects.get().head, [SetRange(last=10)], None)
