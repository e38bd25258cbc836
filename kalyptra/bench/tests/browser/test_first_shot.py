"""The whole job in the browser: bring a clip, keep one thing sharp, blur the rest with a lens, look, render."""

from __future__ import annotations

import av
import numpy as np

from kalyptra.bench.tests.browser.case import BrowserCase
from kalyptra.core import Rate, outline_at, probe
from kalyptra.core.tests import material
from kalyptra.library import revisions
from kalyptra.library.demo import load_demo
from kalyptra.library.models import Media, Shot


class FirstShot(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        load_demo()
        self.enter_demo()

    def bring(self, name: str) -> Shot:
        """A project of one's own with a clip in it, on the bench."""
        page = self.page
        page.get_by_label("New project").fill("Night ferries")
        page.get_by_role("button", name="Make it").click()
        page.wait_for_selector("[x-data=project]")
        page.wait_for_load_state("networkidle")
        source = material.video(self.folder / name, frames=30, size=(270, 480))
        page.set_input_files("#footage", str(source))
        page.get_by_text("ready", exact=True).wait_for()
        page.get_by_role("link", name="kettle").click()
        self.revision_shown(1, "source")
        return Shot.objects.get(project__title="Night ferries")

    def test_a_subject_is_put_down_dragged_keyed_and_typed(self) -> None:
        shot = self.bring("kettle.mp4")
        page = self.page

        # A subject: put down, dragged, keyed at two frames; between them it moves.
        page.get_by_role("button", name="Subjects").click()
        page.get_by_role("button", name="Ellipse").click()
        self.revision_shown(2)
        self.drag(page.locator('[data-act="move"]'), -120, 0)
        self.revision_shown(3)
        page.keyboard.press("End")
        page.locator("canvas[data-shown$='|29']").wait_for()
        page.get_by_role("button", name="Key here").last.click()
        self.revision_shown(4)
        self.drag(page.locator('[data-act="move"]'), 150, 20)
        self.revision_shown(5)
        page.get_by_text("Made by hand at frames 0, 29.").wait_for()
        outline = Shot.objects.get(pk=shot.pk).setup.subjects[0].matte.outlines[0]
        middles = [np.array(outline_at(outline, frame).rows)[:, :2].mean(axis=0) for frame in (0, 15, 29)]
        self.assertGreater(middles[2][0], middles[0][0] + 60)
        self.assertTrue(middles[0][0] < middles[1][0] < middles[2][0])

        # By keyboard, and by typing.
        head = Shot.objects.get(pk=shot.pk).head
        page.locator('[data-act="move"]').focus()
        page.keyboard.press("Shift+ArrowDown")
        self.revision_shown(head + 1)
        page.get_by_label("Feather outwards").first.fill("20")
        page.get_by_label("Feather outwards").first.press("Enter")
        self.revision_shown(head + 2)

        # The matte alone is white in the shape and black far from it.
        page.get_by_role("button", name="Matte", exact=True).click()
        self.revision_shown(head + 2, "matte")
        outline = Shot.objects.get(pk=shot.pk).setup.subjects[0].matte.outlines[0]
        x, y = np.array(outline_at(outline, 29).rows)[:, :2].mean(axis=0)
        self.assertGreater(self.pixel(x / 480, y / 270)[0], 240)
        self.assertLess(self.pixel(0.02, 0.02)[0], 8)

    def test_the_lens_is_set_undone_and_played(self) -> None:
        self.bring("kettle.mp4")
        page = self.page

        # The lens: what the other way to say it would be is shown, and follows.
        page.get_by_role("button", name="Result").click()
        page.get_by_role("button", name="Lens").click()
        page.get_by_role("button", name="Softness").click()
        self.revision_shown(2)
        page.get_by_label("Backdrop softness").first.fill("12")
        page.get_by_label("Backdrop softness").first.press("Enter")
        self.revision_shown(3)
        page.get_by_text("That is f/").wait_for()
        page.get_by_role("cell", name="Hyperfocal distance").wait_for()

        # Undo and redo by the keyboard.
        page.keyboard.press("Escape")
        page.locator("body").click(position={"x": 5, "y": 700})
        page.keyboard.press("Control+z")
        self.revision_shown(2)
        page.keyboard.press("Control+Shift+z")
        self.revision_shown(3)

        # Playing goes through frames that are the ones they say, and source shows the clip as it came.
        page.keyboard.press("Home")
        page.keyboard.press("s")
        self.revision_shown(3, "source")
        page.keyboard.press(" ")
        page.locator("canvas[data-shown$='|12'], canvas[data-shown$='|13'], canvas[data-shown$='|14']").wait_for()
        for _ in range(8):
            frame, row = self.frame_and_row(0.8)
            self.assertGreater(row[frame * 7 % 470 + 5], 200, frame)
        page.keyboard.press(" ")

    def test_from_footage_to_a_rendered_file(self) -> None:
        self.bring("kettle.mp4")
        page = self.page
        page.get_by_role("button", name="Render").last.click()
        page.get_by_role("button", name="Render this shot").click()
        page.locator("[data-render]").wait_for()
        with page.expect_download(timeout=180_000) as download:
            page.get_by_role("link", name="Download").click(timeout=180_000)
        download.value.save_as(self.folder / "result.mp4")
        with av.open(str(self.folder / "result.mp4")) as file:
            self.assertEqual((file.streams.video[0].frames, file.streams.video[0].average_rate), (30, 25))
            self.assertEqual(file.streams.audio[0].codec_context.name, "aac")
        facts = probe(self.folder / "result.mp4", Rate(numerator=25, denominator=1))
        self.assertEqual((facts.width, facts.height, facts.frames), (480, 270, 30))

    def test_what_is_no_footage_is_told_and_leaves_nothing(self) -> None:
        page = self.page
        page.get_by_role("link", name="Lantern quay").click()
        page.wait_for_load_state("networkidle")
        before = Media.objects.count()
        page.set_input_files("#footage", {"name": "clip.mp4", "mimeType": "video/mp4", "buffer": b"a tide table"})
        page.get_by_text("This is no footage that Kalyptra reads").wait_for()
        self.assertEqual(Media.objects.count(), before)

    def test_changes_from_two_sides_that_do_not_meet_both_hold(self) -> None:
        page = self.page
        page.get_by_role("link", name="Parcel runner").click()
        self.revision_shown(1)
        shot = Shot.objects.get(title="Parcel runner")
        theirs = shot.setup.model_copy(update={"footage": shot.setup.footage.model_copy(update={"last": 20})})
        revisions.save(shot.pk, 1, theirs, shot.project.owner)
        page.get_by_role("button", name="Lens").click()
        page.get_by_label("f-number", exact=True).first.fill("4")
        page.get_by_label("f-number", exact=True).first.press("Enter")
        self.revision_shown(3)
        saved = Shot.objects.get(pk=shot.pk).setup
        self.assertEqual((saved.lens.f_number.keys[0].value, saved.footage.last), (4, 20))

    def test_what_is_typed_is_taken_as_it_is_or_refused_in_words_and_never_made_something_else(self) -> None:
        page = self.page
        page.get_by_role("link", name="Parcel runner").click()
        self.revision_shown(1)
        page.get_by_role("button", name="Subjects").click()
        self.choose_subject("Mooring post")
        field = page.get_by_label("Distance", exact=True).first
        field.fill("500")
        field.press("Enter")
        self.revision_shown(2)
        post = Shot.objects.get(title="Parcel runner").setup.subjects[-1]
        self.assertEqual((post.name, post.distance.keys[0].value, field.input_value()), ("Mooring post", 500, "500"))
        field.fill("200000")
        field.press("Enter")
        page.get_by_text("less than or equal to 100000. Nothing was changed.").wait_for()
        self.assertEqual((Shot.objects.get(title="Parcel runner").head, field.input_value()), (2, "500"))
        field.press("ArrowUp")  # the slider ends at 200 m, the setup does not
        self.revision_shown(3)
        self.assertEqual(field.input_value(), "500.05")

    def test_what_is_being_typed_stays_when_the_shot_is_changed_elsewhere_meanwhile(self) -> None:
        page = self.page
        page.get_by_role("link", name="Parcel runner").click()
        self.revision_shown(1)
        shot = Shot.objects.get(title="Parcel runner")
        page.get_by_role("button", name="Lens").click()
        field = page.get_by_label("Focal length", exact=True).first
        field.fill("8")
        lens = shot.setup.lens.model_copy(update={"focal_length_mm": 70.0})
        revisions.save(shot.pk, 1, shot.setup.model_copy(update={"lens": lens}), shot.project.owner)
        page.evaluate("Alpine.store('shot').refresh()")
        self.revision_shown(2)
        field.press_sequentially("5")
        self.assertEqual(field.input_value(), "85")
        field.press("Enter")
        self.revision_shown(3)
        self.assertEqual(Shot.objects.get(pk=shot.pk).setup.lens.focal_length_mm, 85)
