"""Jobs: what a dead worker left is taken up again, renders can be cancelled, outlines are followed."""

from __future__ import annotations

from procrastinate.job_context import AbortReason

from kalyptra.core import Curve, Footage, Motion, OnLoss, Outline, Setup, drawn_outline, read_setup
from kalyptra.library import revisions
from kalyptra.library.models import Media, Shot
from kalyptra.work import following, lifecycle, orders, tasks
from kalyptra.work.findings import Findings
from kalyptra.work.kinds import FollowOutlines, Task, order_of
from kalyptra.work.models import Finding, Follow, Render
from kalyptra.work.tests.case import JobCase


class Jobs(JobCase):
    def test_footage_is_prepared_with_proxy_and_poster(self) -> None:
        media = self.ready().media
        self.assertEqual((media.state, media.done, media.proxy_facts.frames), (Media.State.READY, 1, 10))
        self.assertGreater(media.poster.size, 500)
        self.run_job(tasks.prepare_media, media_id=media.pk)  # again: nothing to do, nothing broken
        self.assertEqual(Media.objects.get().proxy.name, media.proxy.name)

    def test_a_render_appears_only_when_it_is_complete(self) -> None:
        shot = self.ready()
        render = orders.order_render(shot, 2, 8, self.editor)
        self.run_job(tasks.render_shot, render_id=render.pk)
        render.refresh_from_db()
        self.assertEqual(
            (render.state, render.frames_done, render.message), ("done", 7, "The sound was copied unchanged.")
        )
        answer = self.client.get(f"/renders/{render.pk}/result.mp4")
        self.assertEqual(answer["Content-Type"], "video/mp4")
        self.assertIn("kettle 2-8.mp4", answer["Content-Disposition"])
        self.assertGreater(len(b"".join(answer.streaming_content)), 1000)

    def test_a_render_is_of_the_setup_that_was_in_force(self) -> None:
        shot = self.ready()
        before = shot.setup
        render = orders.order_render(shot, 0, 9, self.editor)
        revisions.save(shot.pk, shot.head, Setup(footage=Footage(last=5)), self.editor)
        render.refresh_from_db()
        self.assertEqual(render.document, before.model_dump(mode="json"))

    def test_what_cannot_be_rendered_is_refused_in_words(self) -> None:
        shot = self.shot()
        answer = self.client.post(
            f"/api/shots/{shot.pk}/renders", {"first": 0, "last": 5}, content_type="application/json"
        )
        self.assertEqual((answer.status_code, answer.json()["preparing"]), (409, True))  # the page asks again
        self.assertIn("still being prepared", answer.json()["error"])
        Media.objects.update(state=Media.State.STOPPED)
        answer = self.client.post(
            f"/api/shots/{shot.pk}/renders", {"first": 0, "last": 5}, content_type="application/json"
        )
        self.assertEqual(answer.status_code, 422)
        self.assertIn("Prepare it", answer.json()["error"])
        Media.objects.update(state=Media.State.READY)
        answer = self.client.post(
            f"/api/shots/{shot.pk}/renders", {"first": 5, "last": 99}, content_type="application/json"
        )
        self.assertIn("frames 0 to 9", answer.json()["error"])

    def test_cancelling_stops_a_running_render_and_one_that_waits(self) -> None:
        shot = self.ready()
        waiting = orders.cancel(orders.order_render(shot, 0, 9, self.editor))
        self.assertEqual(waiting.state, "cancelled")
        running = orders.order_render(shot, 0, 9, self.editor)
        Render.objects.filter(pk=running.pk).update(state="running")
        orders.cancel(running)
        self.run_job(tasks.render_shot, render_id=running.pk)
        running.refresh_from_db()
        self.assertEqual((running.state, bool(running.file)), ("cancelled", False))

    def test_a_worker_that_shuts_down_hands_its_render_on(self) -> None:
        shot = self.ready()
        render = orders.order_render(shot, 0, 9, self.editor)
        with self.assertRaises(lifecycle.Interrupted):
            self.run_job(tasks.render_shot, AbortReason.SHUTDOWN, render_id=render.pk)
        render.refresh_from_db()
        self.assertEqual(render.state, "running")
        self.run_job(tasks.render_shot, render_id=render.pk)
        render.refresh_from_db()
        self.assertEqual(render.state, "done")


class Following(JobCase):
    """Outlines are followed on the proxy, and what was found goes into the setup that is in force by then."""

    def outlined(self) -> Shot:
        shot = self.ready()
        curve = {
            "points": [{"id": i, "x": x, "y": y} for i, (x, y) in enumerate(((12, 10), (60, 10), (60, 60), (12, 60)))]
        }
        outline = drawn_outline("line1", 0, Curve.model_validate(curve), motion=Motion.POSITION)
        subject = {"id": "cards", "name": "Cards", "matte": {"kind": "outline", "outlines": [outline.model_dump(mode="json")]},
                   "distance": {"keys": [{"frame": 0, "value": 2}]}}  # fmt: skip
        setup = read_setup(shot.setup.model_dump(mode="json") | {"subjects": [subject]})
        return revisions.save(shot.pk, shot.head, setup, self.editor)

    def order(self, shot: Shot, start: int = 0, end: int = 9) -> Follow:
        return orders.order_work(
            shot, FollowOutlines(subject="cards", outlines=("line1",), start=start, end=end), self.editor
        )

    def outline(self, shot: Shot) -> Outline:
        return Shot.objects.get(pk=shot.pk).setup.subjects[0].matte.outlines[0]

    def test_what_was_found_becomes_one_revision(self) -> None:
        shot = self.outlined()
        follow = self.order(shot)
        self.run_job(tasks.run_follow, follow_id=follow.pk)
        follow.refresh_from_db()
        self.assertEqual((follow.state, follow.frames_done, follow.frame), ("done", 9, 9))
        self.assertEqual([step.frame for step in self.outline(shot).steps], list(range(1, 10)))
        self.assertEqual(Shot.objects.get(pk=shot.pk).head, shot.head + 1)

    def test_a_change_made_meanwhile_stays(self) -> None:
        shot = self.outlined()
        follow = self.order(shot)
        later = shot.setup.model_dump(mode="json")
        later["subjects"][0]["name"] = "Bright cards"
        revisions.save(shot.pk, shot.head, read_setup(later), self.editor)
        self.run_job(tasks.run_follow, follow_id=follow.pk)
        subject = Shot.objects.get(pk=shot.pk).setup.subjects[0]
        self.assertEqual((subject.name, len(subject.matte.outlines[0].steps)), ("Bright cards", 9))

    def test_cancelled_it_keeps_what_it_found(self) -> None:
        shot = self.outlined()
        row = self.order(shot)
        found = Findings(row)
        order_of(row).run(Task(row, found, lambda done, newest: done < 4, lambda: True))
        found.keep()
        row.state = Follow.State.CANCELLED
        following.settle(row)
        self.assertEqual([step.frame for step in self.outline(shot).steps], [1, 2, 3, 4])
        self.assertEqual(Finding.objects.count(), 0)
        self.assertEqual(orders.cancel(row).state, "cancelled")  # in the database it still waited

    def test_what_cannot_be_followed_is_refused_in_words(self) -> None:
        shot = self.outlined()
        self.order(shot)
        cases = {
            "being worked on": ("cards", ["line1"], 0, 9),
            "not in the saved setup": ("ferry", ["line1"], 0, 9),
            "no frame": ("cards", ["line1"], 4, 4),
        }
        for words, (subject, outlines, start, end) in cases.items():
            with self.subTest(words), self.assertRaisesRegex(orders.NotTaken, words):
                order = FollowOutlines(subject=subject, outlines=outlines, start=start, end=end, on_loss=OnLoss.STOP)
                orders.order_work(shot, order, self.editor)

    def test_the_api_hands_out_outlines_and_reads_drawings(self) -> None:
        shot = self.outlined()
        over = self.client.get(f"/api/shots/{shot.pk}/outlines/{shot.head}/3.json").json()
        self.assertEqual(over["outlines"]["cards"]["line1"]["points"][0][:3], [0, 12, 10])
        self.assertEqual(over["doubts"], {})
        svg = self.client.get(f"/api/shots/{shot.pk}/outlines/cards.svg").content.decode()
        answer = self.client.post(
            f"/api/shots/{shot.pk}/outlines/read", {"text": svg, "frame": 0}, content_type="application/json"
        )
        self.assertEqual(len(answer.json()[0]["shape"]["keys"]), 10)
        bad = self.client.post(
            f"/api/shots/{shot.pk}/outlines/read", {"text": "a tide table", "frame": 0}, content_type="application/json"
        )
        self.assertEqual(bad.status_code, 422)
        self.assertIn("Nothing was changed", bad.json()["error"])
        short = self.client.post(
            f"/api/shots/{shot.pk}/outlines/fit", {"points": [[1, 1], [1, 1.1]]}, content_type="application/json"
        )
        self.assertIn("too short", short.json()["error"])
        self.client.logout()
        self.assertEqual(self.client.get(f"/api/shots/{shot.pk}/outlines/cards.svg").status_code, 401)
