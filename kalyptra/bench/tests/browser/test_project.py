"""A project's page: footage that is asked about, preparing that is stopped and taken up again, and what goes wrong, in words."""

from __future__ import annotations

import threading
import time
from typing import Any
from unittest import mock

import numpy as np
from django.conf import settings
from django.contrib.auth import get_user_model

from kalyptra.bench.tests.browser.case import BrowserCase
from kalyptra.core import GuardedFailure
from kalyptra.core.clip.emerging import put_picture
from kalyptra.core.tests import material
from kalyptra.library import room
from kalyptra.library.demo import load_demo
from kalyptra.library.models import Media, Project
from kalyptra.work import preparing
from kalyptra.work.models import Render


def until_stopped(*arguments: Any, **more: Any) -> Any:
    """Stands for a long clip: goes on until it is told to stop."""
    while arguments[-1]():
        time.sleep(0.05)
    raise GuardedFailure("cancelled", "stopped")


class ProjectPage(BrowserCase):
    expected = ("status of 503", "status of 404", "status of 403", "ERR_CONNECTION_RESET")

    def setUp(self) -> None:
        super().setUp()
        load_demo()
        self.be_editor()
        editor = get_user_model().objects.get(username=settings.DEMO_USER)
        project = Project.objects.create(title="Evening tides", owner=editor)
        self.page.goto(f"/projects/{project.pk}/")
        self.page.wait_for_load_state("networkidle")

    def bring(self, name: str, **more: Any) -> None:
        self.page.set_input_files("#footage", str(material.video(self.folder / name, sound=None, **more)))

    def test_pictures_far_apart_in_time_are_asked_about_and_taken_with_their_gaps_shortened(self) -> None:
        self.bring("ferry.mkv", frames=40, stamps=[40 * i for i in range(39)] + [20_000_000])
        self.page.get_by_text("holds 40 pictures over 5 h 33 min").wait_for()
        self.page.get_by_role("button", name="Take it with its gaps shortened").click()
        self.page.get_by_role("link", name="ferry").click()
        self.page.wait_for_selector("canvas[data-shown]")
        self.page.get_by_role("button", name="Footage").click()
        self.page.get_by_text("shortened to that; the sound was left out").wait_for()

    def test_preparing_is_stopped_and_taken_up_again(self) -> None:
        with mock.patch.object(preparing, "make_proxy", until_stopped):
            self.bring("kettle.mp4", frames=12)
            self.page.get_by_role("button", name="Stop preparing").click()
            self.page.get_by_text("not prepared: stopped").wait_for()
            self.page.get_by_text("The file is kept.").wait_for()
            end = time.monotonic() + 120
            while any((self.folder / "work").glob("footage-*")) and time.monotonic() < end:
                self.page.wait_for_timeout(100)
        self.assertFalse(Media.objects.latest("pk").proxy)
        self.page.get_by_role("button", name="Prepare it").click()
        self.page.get_by_text("ready", exact=True).wait_for()

    def test_a_clip_is_opened_while_it_is_prepared_and_its_frames_come_as_they_are_made(self) -> None:
        frames = [material.card(i) for i in range(12)]
        with mock.patch.object(preparing, "make_proxy", until_stopped):
            self.bring("kettle.mp4", frames=12)
            self.page.get_by_role("link", name="kettle").click()
            self.page.get_by_text("frame 0 is being prepared").wait_for()
            folder = Media.objects.latest("pk").emerging_in
            put_picture(folder, 0, frames[0])
            self.page.wait_for_selector("canvas[data-shown]")
            shown = self.pixel(0.06, 0.1)
            np.testing.assert_allclose(
                shown, frames[0][int(0.1 * frames[0].shape[0]), int(0.06 * frames[0].shape[1])], atol=12
            )
            self.page.keyboard.press("ArrowRight")
            self.page.get_by_text("frame 1 is being prepared").wait_for()
            put_picture(folder, 1, frames[1])
            self.page.wait_for_selector("canvas[data-shown$='|1']")
            self.page.goto("/")
            self.page.get_by_role("link", name="Evening tides").click()
            self.page.get_by_role("button", name="Stop preparing").click()
            self.page.get_by_text("not prepared: stopped").wait_for()

    def test_work_that_is_asked_for_while_a_clip_is_prepared_begins_by_itself(self) -> None:
        go_on, make_proxy = threading.Event(), preparing.make_proxy

        def held(*arguments: Any, **more: Any) -> Any:
            go_on.wait(120)
            return make_proxy(*arguments, **more)

        with mock.patch.object(preparing, "make_proxy", held):
            self.bring("kettle.mp4", frames=14)
            self.page.get_by_role("link", name="kettle").click()
            self.page.get_by_text("frame 0 is being prepared").wait_for()
            put_picture(Media.objects.latest("pk").emerging_in, 0, material.card(0))
            self.page.wait_for_selector("canvas[data-shown]")
            self.page.locator(".bench-head").get_by_role("button", name="Render").click()
            self.page.get_by_role("button", name="Render this shot").click()
            self.page.get_by_text("This begins by itself when that is done.").wait_for()
            self.assertFalse(Render.objects.exists())
            go_on.set()
            self.page.get_by_role("link", name="Download").wait_for()

    def test_an_upload_goes_on_by_itself_when_the_connection_was_lost(self) -> None:
        lost: list[Any] = []

        def once(route: Any) -> None:
            if route.request.method == "PUT" and not lost:
                lost.append(route.request.url)
                route.abort("connectionreset")
            else:
                route.continue_()

        self.page.route("**/chunks/**", once)
        self.bring("kettle.mp4", frames=12)
        self.page.get_by_text("the connection is lost, trying again").wait_for()
        self.page.get_by_role("link", name="kettle").wait_for()
        self.assertEqual(len(lost), 1)

    def test_a_full_disk_is_told_before_anything_is_sent(self) -> None:
        with self.settings(RESERVE=1 << 60), mock.patch.object(room, "_looked", (0.0, 0)):
            self.bring("kettle.mp4", frames=12)
            self.page.get_by_text("The disk is nearly full").wait_for()
        self.assertEqual(self.page.locator("[data-shot]").count(), 0)

    def test_pages_of_nothing_and_of_an_address_that_was_used_say_so_in_words(self) -> None:
        page = self.page
        page.goto("/shots/999999/")
        page.get_by_role("heading", name="Not done").wait_for()
        page.get_by_role("link", name="To the projects").click()
        page.get_by_role("button", name="Sign out").click()
        page.get_by_text("open the address that").wait_for()
        self.assertEqual(page.get_by_role("button", name="Enter the demo").count(), 0)
