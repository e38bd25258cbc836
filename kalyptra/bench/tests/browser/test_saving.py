"""A change is never lost: kept and sent again when saving fails, also over a reload; undo waits; marks go where they began."""

from __future__ import annotations

import re
import time
from collections.abc import Callable
from typing import Any
from unittest import mock

from kalyptra.bench import mattes
from kalyptra.bench.tests.browser.case import BrowserCase
from kalyptra.core.edit.subjects import RemoveSubject
from kalyptra.library import revisions
from kalyptra.library.demo import load_demo
from kalyptra.library.models import Shot

CHANGES = "**/api/shots/*/changes"


class Saving(BrowserCase):
    expected = ("status of 500", "status of 503", "ERR_", "Failed to load resource", "status of 401", "status of 403")

    def setUp(self) -> None:
        super().setUp()
        load_demo()
        self.be_editor()
        self.page.on("dialog", lambda dialog: dialog.accept())

    def open(self, title: str) -> None:
        self.shot_id = Shot.objects.get(title=title).pk
        self.page.goto(f"/shots/{self.shot_id}/")
        self.page.wait_for_selector("canvas[data-shown]")

    @property
    def shot(self) -> Shot:
        return Shot.objects.get(pk=self.shot_id)

    def wait_until(self, what: Callable[[], bool], seconds: float = 120) -> None:
        end = time.monotonic() + seconds
        while not what():
            self.assertLess(time.monotonic(), end)
            self.page.wait_for_timeout(50)

    def begin_at(self, frame: int) -> None:
        """Set the range to begin at a frame: one change, by keys. An outline that has the focus would be moved by them."""
        self.page.get_by_role("button", name="History").focus()
        self.page.keyboard.press("Home")
        for _ in range(frame):
            self.page.keyboard.press("ArrowRight")
        self.page.keyboard.press("i")

    def try_now(self) -> None:
        """Press the button at once: the page tries by itself, too, and may hide it before a pointer gets there."""
        self.page.get_by_role("button", name="Try now", include_hidden=True).dispatch_event("click")

    def would_warn(self) -> bool:
        return bool(
            self.page.evaluate("() => !window.dispatchEvent(new Event('beforeunload', { cancelable: true }))")
        )  # fmt: skip

    def test_a_save_that_fails_is_told_kept_over_a_reload_and_tried_until_it_succeeds(self) -> None:
        self.open("Tea glass")
        page, head = self.page, self.shot.head
        self.assertFalse(self.would_warn())
        page.route(CHANGES, lambda route: route.fulfill(status=500, body="<h1>Server Error</h1>"))
        self.begin_at(3)
        page.get_by_text("not saved, trying again").wait_for()
        self.assertIn("It is kept on this page, and tried again", page.locator(".toast").first.inner_text())
        self.assertTrue(self.would_warn())
        page.reload()
        page.get_by_text("had not been saved. It was put back.").wait_for()
        page.get_by_text("not saved, trying again").wait_for()
        self.assertEqual(self.shot.head, head)
        page.unroute(CHANGES)
        self.try_now()
        self.wait_until(lambda: self.shot.setup.footage.first == 3)
        page.get_by_text(re.compile(r"^saved \d\d:\d\d$")).wait_for()
        self.assertFalse(self.would_warn())
        page.reload()
        page.wait_for_selector(f'canvas[data-shown^="{head + 1}|"]')
        self.assertEqual(page.locator(".toast").count(), 0)

    def change_elsewhere(self, **footage: int) -> None:
        """Somebody else saves a change of the range."""
        shot = self.shot
        range_ = shot.setup.footage.model_copy(update=footage)
        revisions.save(shot.pk, shot.head, shot.setup.model_copy(update={"footage": range_}), None)

    def offline(self) -> None:
        self.page.route(CHANGES, lambda route: route.abort("internetdisconnected"))

    def test_what_was_changed_elsewhere_meanwhile_stays_beside_what_is_saved_now(self) -> None:
        self.open("Tea glass")
        page, head = self.page, self.shot.head
        self.offline()
        self.begin_at(4)
        page.get_by_text("not saved, trying again").wait_for()
        self.change_elsewhere(last=80)
        page.unroute(CHANGES)
        self.try_now()
        page.wait_for_selector(f'canvas[data-shown^="{head + 2}|"]')
        footage = self.shot.setup.footage
        self.assertEqual((footage.first, footage.last, self.would_warn(), self.kept()), (4, 80, False, []))

    def test_where_the_two_cannot_both_hold_people_are_asked_and_neither_is_lost(self) -> None:
        for mine in (False, True):
            self.open("Parcel runner")
            page, head, name = self.page, self.shot.head, self.shot.setup.subjects[0].name
            page.get_by_role("button", name="Subjects").click()
            self.choose_subject(name)
            self.offline()
            page.get_by_label("Name", exact=True).first.fill("Night runner")
            page.get_by_label("Name", exact=True).first.press("Enter")
            page.get_by_text("not saved, trying again").wait_for()
            revisions.change(self.shot_id, head, [RemoveSubject(id=self.shot.setup.subjects[0].id)], None)
            page.unroute(CHANGES)
            self.try_now()
            page.get_by_text("What this changes is not there any more").wait_for()
            self.assertTrue(self.would_warn())
            page.get_by_role("button", name="Take back what came between" if mine else "Leave my change out").click()
            self.wait_until(lambda: not self.would_warn())
            names = [subject.name for subject in self.shot.setup.subjects]
            self.assertEqual(("Night runner" in names, name in names), (mine, False))
            self.assertEqual(self.kept(), [])
            revisions.undo(self.shot_id, self.shot.head)
            if mine:
                revisions.undo(self.shot_id, self.shot.head)
            self.assertEqual(self.shot.head, head)

    def kept(self) -> list[str]:
        """What the browser keeps of changes that are not saved."""
        return list(self.page.evaluate("Object.keys(localStorage).filter((key) => key.startsWith('kalyptra-unsaved'))"))

    def test_what_a_closed_tab_left_is_saved_by_the_next_on_top_of_what_came_since(self) -> None:
        self.open("Tea glass")
        page, head = self.page, self.shot.head
        self.offline()
        self.begin_at(5)
        page.get_by_text("not saved, trying again").wait_for()
        self.assertEqual(len(self.kept()), 1)
        self.change_elsewhere(last=80)
        # The tab is gone for a while: what it kept is nobody's, and the next tab finds it.
        page.evaluate(
            "() => { for (const key of Object.keys(localStorage)) { const held = JSON.parse(localStorage.getItem(key) || 'null');"
            " if (held?.changes) localStorage.setItem(`${key}-gone`, JSON.stringify({ ...held, at: Date.now() - 200000 })); } }"
        )
        page.unroute(CHANGES)
        tab = page.context.new_page()
        tab.goto(f"/shots/{self.shot_id}/")
        tab.get_by_text("had not been saved. It was put back.").wait_for()
        self.wait_until(lambda: self.shot.head == head + 2)
        self.assertEqual((self.shot.setup.footage.first, self.shot.setup.footage.last), (5, 80))

    def test_a_tab_does_not_take_what_a_living_one_is_still_trying_to_save(self) -> None:
        self.open("Tea glass")
        self.offline()
        self.begin_at(6)
        self.page.get_by_text("not saved, trying again").wait_for()
        tab = self.page.context.new_page()
        tab.goto(f"/shots/{self.shot_id}/")
        tab.wait_for_selector("canvas[data-shown]")
        self.assertEqual(tab.get_by_text("had not been saved").count(), 0)
        self.assertEqual(len(self.kept()), 1)

    def test_changes_made_while_one_is_not_saved_are_saved_after_it_each_as_one_step(self) -> None:
        self.open("Tea glass")
        head = self.shot.head
        self.offline()
        self.begin_at(2)
        self.page.get_by_text("not saved, trying again").wait_for()
        self.begin_at(5)  # Home is where the range begins
        self.page.keyboard.press("Control+z")
        self.page.get_by_text("The last change is not saved yet.").wait_for()
        self.page.unroute(CHANGES)
        self.try_now()
        self.wait_until(lambda: self.shot.head == head + 2)
        self.assertEqual(self.shot.setup.footage.first, 7)
        self.wait_until(lambda: self.shot.head == head + 2)
        self.page.keyboard.press("Control+z")
        self.wait_until(lambda: self.shot.setup.footage.first == 2)

    def test_what_the_server_looked_at_and_refuses_is_taken_back_with_its_words(self) -> None:
        self.open("Tea glass")
        head = self.shot.head
        answer = '{"error": "This setup cannot be used: footage. The saved one is unchanged."}'
        self.page.route(CHANGES, lambda route: route.fulfill(status=422, content_type="application/json", body=answer))
        self.begin_at(2)
        self.page.get_by_text("This setup cannot be used: footage.").wait_for()
        self.assertEqual((self.shot.head, self.would_warn(), self.kept()), (head, False, []))
        self.assertEqual(self.page.evaluate("Alpine.store('shot').setup.footage.first"), self.shot.setup.footage.first)

    def test_signed_out_meanwhile_the_change_waits_for_the_sign_in(self) -> None:
        self.open("Tea glass")
        cookies = self.page.context.cookies()
        self.page.context.clear_cookies(name="sessionid")
        self.begin_at(2)
        self.page.get_by_text("sign in in another tab").first.wait_for()  # the picture says it, too
        self.assertTrue(self.would_warn())
        self.page.context.add_cookies([cookie for cookie in cookies if cookie["name"] == "sessionid"])
        self.try_now()
        self.wait_until(lambda: self.shot.setup.footage.first == 2)

    def test_an_undo_whose_answer_is_lost_shows_what_the_server_has(self) -> None:
        self.open("Tea glass")
        head = self.shot.head
        self.begin_at(2)
        self.wait_until(lambda: self.shot.head == head + 1)
        self.page.wait_for_selector(f'canvas[data-shown^="{head + 1}|"]')

        def lost(route: Any) -> None:
            route.fetch()  # it is done
            route.abort("connectionreset")  # and nobody hears of it

        self.page.route("**/undo", lost)
        self.page.keyboard.press("Control+z")
        self.page.wait_for_selector(f'canvas[data-shown^="{head}|"]')
        self.assertEqual(self.shot.head, head)
        self.assertFalse(self.page.get_by_text("changed elsewhere").first.is_visible())

    def test_the_history_tells_what_was_done_and_goes_with_undo(self) -> None:
        self.open("Parcel runner")
        page, head, runner = self.page, self.shot.head, self.shot.setup.subjects[0]
        page.get_by_role("button", name="Subjects").click()
        self.drag(page.locator(f'[data-act="move"][data-id="{runner.id}"]').first, 12, 4)
        self.wait_until(lambda: self.shot.head == head + 1)
        self.begin_at(2)
        self.wait_until(lambda: self.shot.head == head + 2)
        self.assertEqual(self.told()[:2], ["The shot's range was set.", "An outline was moved."])
        page.keyboard.press("Control+z")
        self.wait_until(lambda: self.shot.head == head + 1)
        page.wait_for_selector(f'canvas[data-shown^="{head + 1}|"]')
        self.assertEqual(self.told()[0], "An outline was moved.")
        self.assertEqual([command["do"] for command in self.shot.revision.commands], ["place-outlines"])

    def told(self) -> list[str]:
        """What the history says, newest first."""
        self.page.get_by_role("button", name="History").click()
        dialog = self.page.get_by_role("dialog", name="History")
        dialog.wait_for()
        rows = [row.inner_text().split("\n") for row in dialog.get_by_role("listitem").all()]
        self.assertTrue(all(row[2] == "demo-editor" for row in rows), rows)
        dialog.get_by_role("button", name="Close").click()
        return [row[1] for row in rows]

    def test_what_is_dragged_is_sent_as_commands_and_never_as_a_document(self) -> None:
        self.open("Parcel runner")
        sent: list[str] = []
        self.page.on(
            "request", lambda request: sent.append(request.post_data or "") if request.method == "POST" else None
        )
        self.page.get_by_role("button", name="Subjects").click()
        head = self.shot.head
        self.drag(self.page.locator('[data-act="move"]').first, 15, 6)
        self.wait_until(lambda: self.shot.head == head + 1)
        self.assertTrue(any('"place-outlines"' in body for body in sent))
        self.assertLess(max(map(len, sent)), 1000)

    def test_a_connection_that_was_closed_while_idle_is_no_trouble(self) -> None:
        self.open("Tea glass")
        failed: list[str] = []

        def once(route: Any) -> None:
            if failed:
                route.continue_()
            else:
                failed.append(route.request.url)
                route.abort("connectionreset")

        self.page.route(CHANGES, once)
        self.begin_at(2)
        self.wait_until(lambda: self.shot.setup.footage.first == 2)
        self.assertEqual((len(failed), self.page.locator(".toast").count()), (1, 0))

    def test_undo_waits_for_the_save_before_it(self) -> None:
        self.open("Tea glass")
        head, change = self.shot.head, revisions.change

        def slow(*arguments: Any) -> Shot:
            time.sleep(1)
            return change(*arguments)

        with mock.patch.object(revisions, "change", slow):
            self.begin_at(2)
            self.page.keyboard.press("Control+z")
            self.wait_until(lambda: self.shot.revisions.count() > head and self.shot.head == head)
            self.page.wait_for_selector(f'canvas[data-shown^="{head}|"]')
        self.assertFalse(self.page.get_by_text("changed elsewhere").first.is_visible())
        self.page.keyboard.press("Control+Shift+z")
        self.wait_until(lambda: self.shot.head == head + 1)

    def test_marks_stay_with_the_frame_and_the_subject_that_they_were_made_on(self) -> None:
        self.open("Parcel runner")
        page, made = self.page, mattes.matte_from_marks
        page.get_by_role("button", name="Subjects").click()
        head = self.shot.head
        page.get_by_role("button", name="Stroke", exact=True).click()
        page.wait_for_selector(f'canvas[data-shown^="{head + 1}|"]')
        first, last = self.shot.setup.subjects[0], self.shot.setup.subjects[-1]

        def slow(*arguments: Any) -> str:
            time.sleep(0.7)
            return made(*arguments)

        box = self.box_of(page.locator('svg[aria-label="Outlines on the picture"]'))
        x, y = box["x"] + box["width"] * 0.36, box["y"] + box["height"] * 0.5
        with mock.patch("kalyptra.bench.api.mattes.matte_from_marks", slow):
            for by in (0, 30):
                page.mouse.move(x + by, y)
                page.mouse.down()
                page.mouse.move(x + by, y + 40, steps=3)
                page.mouse.up()
                page.keyboard.press("ArrowRight")
            self.choose_subject(first.name)
            self.wait_until(lambda: len(self.found(last.id).keys) == 2)
        frames = [(key.frame, len(key.marks)) for key in self.found(last.id).keys]
        self.assertEqual(frames, [(0, 1), (1, 1)])
        lefts = [key.marks[0].points[0][0] for key in self.found(last.id).keys]
        self.assertGreater(lefts[1], lefts[0])
        self.assertEqual(self.shot.setup.subjects[0], first)

    def found(self, subject: str) -> Any:
        return next(candidate.matte for candidate in self.shot.setup.subjects if candidate.id == subject)
