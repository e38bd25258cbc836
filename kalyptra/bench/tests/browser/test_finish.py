"""Finish in the browser: a look from one shot on others, strength over a stretch, grain, what is out of focus, rendered."""

from __future__ import annotations

from io import BytesIO
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from kalyptra.bench.tests.browser.case import BrowserCase
from kalyptra.core import Setup, open_clip
from kalyptra.library.demo import load_demo
from kalyptra.library.files import local_path
from kalyptra.library.models import Shot
from kalyptra.work.models import Follow, Render


class Finishes(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        load_demo()
        self.be_editor()

    def open(self, title: str, stage: str = "finish") -> Shot:
        shot = Shot.objects.get(title=title)
        self.page.goto(f"/shots/{shot.pk}/")
        self.page.locator("canvas[data-shown]").wait_for()
        self.page.locator(f'.stage[data-stage="{stage}"]').click()
        self.sheet = self.page.locator(f'section[data-stage="{stage}"]')
        return shot

    def now(self, shot: Shot) -> Setup:
        self.page.evaluate("Alpine.store('shot').settled()")
        return Shot.objects.get(pk=shot.pk).setup

    def put(self, words: str, value: str) -> None:
        field = self.sheet.get_by_label(words, exact=True).locator("visible=true").first
        field.fill(value)
        field.press("Enter")

    def test_a_look_goes_from_the_glass_to_two_shots_and_a_stretch_is_rendered(self) -> None:
        page = self.page
        glass = self.open("Tea glass")
        take = self.sheet.get_by_role("form", name="Take a look from this shot")
        take.get_by_label("Take a look").fill("Tea at dusk")
        take.get_by_label("For all who edit the project").check()
        take.get_by_role("button", name="Take it").click()
        page.get_by_text("Tea at dusk was taken from this shot.").wait_for()
        self.sheet.get_by_role("button", name="Miniature").click()
        chosen = self.sheet.get_by_role("group", name="Miniature")
        chosen.get_by_text("Sources of distance: ").wait_for()  # what it would replace
        chosen.get_by_role("button", name="Begin new shots with it").click()
        chosen.get_by_role("button", name="New shots begin with it: stop").click()
        with page.expect_download() as taken:
            chosen.get_by_role("link", name="Look file").click()
        take.get_by_label("Read a look file").set_input_files(taken.value.path())
        self.sheet.get_by_role("list", name="Looks").get_by_role("button", name="Miniature").nth(1).wait_for()
        chosen.get_by_role("button", name="Put it on").click()
        page.get_by_text("Miniature was put on. Undo takes it off.").wait_for()
        self.assertEqual([source.kind for source in self.now(glass).distance.sources], ["band"])
        page.get_by_role("button", name="Undo").click()

        # On two shots, from the project's page: said beforehand, then done.
        page.get_by_role("link", name="Lantern quay").click()
        for title in ("Ticket window", "Harbour from above"):
            page.get_by_label(f"Choose {title}").check()
        page.get_by_label("Look", exact=True).select_option(label="Tea at dusk")
        came = page.get_by_role("table", name="What came of it")
        page.get_by_role("button", name="What it replaces").click()
        came.get_by_role("row", name="Ticket window").get_by_text("becomes").wait_for()
        self.assertEqual(Shot.objects.get(title="Ticket window").head, 1)
        page.get_by_role("button", name="Put the look on").click()
        came.get_by_role("row", name="Harbour from above").get_by_text("Put on.").wait_for()
        for title in ("Ticket window", "Harbour from above"):
            put = Shot.objects.get(title=title).setup.lens
            self.assertEqual(put.focal_length_mm, glass.setup.lens.focal_length_mm)

        # Strength is turned down, over a stretch.
        shot = self.open("Ticket window")
        self.put("Result over source", "60")
        self.sheet.get_by_label("Only over a stretch").click()
        self.sheet.get_by_label("Only over a stretch").and_(page.locator(":checked")).wait_for()
        self.put("First frame", "10")
        self.put("Last frame", "29")
        self.put("Comes over", "4")
        self.put("Goes over", "4")
        finish = self.now(shot).finish
        assert finish.stretch
        self.assertEqual((finish.strength.keys[0].value, finish.stretch.first, finish.stretch.last), (0.6, 10, 29))
        page.locator('.stage[data-stage="footage"]').click()
        self.sheet = page.locator('section[data-stage="footage"]')
        self.put("Last frame", "39")
        self.now(shot)

        # Rendered; outside of the stretch it is the source, as far as coding goes, and within it is not.
        page.locator(".bench-head").get_by_role("button", name="Render").click()
        page.get_by_role("button", name="High", exact=True).click()
        page.get_by_role("button", name="Render this shot").click()
        page.get_by_role("link", name="Download").first.wait_for()
        with page.expect_download() as download:
            page.get_by_role("link", name="Download").first.click()
        made = frames_of(Path(download.value.path()))
        source = open_clip(local_path(shot.media.file), shot.media.facts)
        # Lights that became discs are what differs most; coding alone differs little anywhere.
        apart = [
            float(np.percentile(np.abs(made[at].astype(float) - source.picture(at).codes), 99)) for at in range(40)
        ]
        source.close()
        self.assertLess(max(apart[:10] + apart[30:]), 12)  # codes of 255
        self.assertGreater(min(apart[14:26]), 2 * max(apart[:10] + apart[30:]))
        self.assertEqual(Render.objects.filter(state="done").count(), 1)

        # People are looked for in another one, from the project's page.
        page.get_by_role("link", name="Lantern quay").click()
        page.get_by_label("Choose Parcel runner").check()
        page.get_by_role("button", name="Find people").click()
        came.get_by_role("row", name="Parcel runner").get_by_role("progressbar").wait_for()
        self.assertEqual(Follow.objects.filter(what="people").count(), 1)

    def test_grain_is_measured_and_what_is_out_of_focus_loses_its_colour(self) -> None:
        page = self.page
        shot = self.open("Harbour from above")
        self.sheet.get_by_role("button", name="Measure and give back").click()
        self.until(lambda: Follow.objects.filter(shot=shot, what="grain", state__in=("done", "failed")).exists())
        row = Follow.objects.get(shot=shot, what="grain")
        if row.state == "failed":  # the demo's clips are nearly without any
            page.get_by_text("no grain that could be measured").first.wait_for()
        else:
            self.until(lambda: self.now(shot).finish.grain.measured is not None)
        self.put("Saturation", "0")
        self.assertEqual(self.now(shot).finish.outside.saturation.keys[0].value, 0)
        self.revision_shown(Shot.objects.get(pk=shot.pk).head)
        blurred = [self.pixel(x, 0.05) for x in (0.15, 0.3, 0.45)]
        self.assertLess(max(max(pixel) - min(pixel) for pixel in blurred), 12)
        sharp = [self.pixel(x / 40, 0.45) for x in range(6, 20)]
        self.assertGreater(max(max(pixel) - min(pixel) for pixel in sharp), 25)
        self.sheet.get_by_role("button", name="Clear the finish").click()
        self.assertEqual(self.now(shot).finish.outside.saturation.keys[0].value, 1)

    def test_kinds_of_blur_are_chosen_and_centred_and_a_lens_has_character(self) -> None:
        shot = self.open("Ticket window", "lens")
        self.sheet.get_by_role("button", name="Out", exact=True).click()
        self.sheet.get_by_role("button", name="Point at the centre").click()
        self.point_at(0.25, 0.5)
        centre = self.now(shot).lens.blur.centre
        assert centre
        self.assertAlmostEqual(centre.keys[0].value[0], shot.media.facts.width * 0.25, delta=4)
        self.sheet.get_by_role("button", name="In the middle").click()
        self.assertIsNone(self.now(shot).lens.blur.centre)
        self.sheet.get_by_role("button", name="Along", exact=True).click()
        self.put("Direction", "30")
        self.sheet.get_by_role("button", name="Lens", exact=True).click()
        for words in ("Round", "Even", "Lens"):
            self.sheet.get_by_role("group", name="Blur").get_by_role("button", name=words, exact=True).click()
        for words, value in (
            ("Cat's-eye", "80"),
            ("Rim behind focus", "50"),
            ("Colour shift", "1"),
            ("Fall-off", "1"),
            ("Streak", "20"),
            ("Glow", "30"),
        ):
            self.put(words, value)
        lens = self.now(shot).lens
        self.assertEqual((lens.blur.form.value, lens.blur.direction.keys[0].value), ("lens", 30))
        self.assertEqual((lens.character.cats_eye.keys[0].value, lens.character.glow.keys[0].value), (0.8, 0.3))
        self.revision_shown(Shot.objects.get(pk=shot.pk).head)

    def test_a_curve_is_put_over_a_source_by_a_preset_a_key_and_a_drag(self) -> None:
        shot = self.open("Harbour from above", "distance")

        def curve() -> tuple[tuple[float, float], ...]:
            return self.now(shot).distance.sources[-1].curve

        self.sheet.get_by_role("button", name="More stays sharp").click()
        before = curve()
        self.assertEqual(len(before), 3)
        middle = self.sheet.get_by_role("button", name="Point 2:")
        middle.focus()
        self.page.keyboard.press("ArrowUp")
        self.assertAlmostEqual(curve()[1][1], before[1][1] + 0.02, places=3)
        self.drag(middle, 30, 0)
        self.assertGreater(curve()[1][0], before[1][0] + 0.05)
        self.sheet.get_by_role("button", name="Point 2:").focus()
        self.page.keyboard.press("Delete")
        self.assertEqual(len(curve()), 2)
        self.sheet.get_by_role("button", name="Softer far end").click()
        self.sheet.get_by_role("button", name="Even", exact=True).click()
        self.assertEqual(curve(), ())

    def test_what_else_a_finish_has_is_set_and_a_table_is_brought(self) -> None:
        page = self.page
        shot = self.open("Ticket window")
        for words, value in (
            ("Exposure", "-1"),
            ("Contrast", "1.2"),
            ("Gamma", "1.1"),
            ("Warmth, 1/MK", "20"),
            ("Tint strength", "30"),
            ("Flat strength", "50"),
            ("Picture exposure", "0.5"),
        ):
            self.put(words, value)
        for words in ("Outside", "Inside", "Far", "Blurred"):
            self.sheet.get_by_role("button", name=words, exact=True).click()
        finish = self.now(shot).finish
        self.assertEqual((finish.outside.exposure.keys[0].value, finish.outside.driven_by.value), (-1, "blur"))
        self.assertEqual((finish.flat.strength.keys[0].value, finish.whole.exposure.keys[0].value), (0.5, 0.5))
        rows = "\n".join(f"{r} {g} {b}" for b in (0, 1) for g in (0, 1) for r in (0, 1))
        self.bring("Bring a .cube table", "warm.cube", f"LUT_3D_SIZE 2\n{rows}\n")
        page.get_by_text("Colours are looked up in warm.cube.").wait_for()
        self.assertIsNotNone(self.now(shot).finish.whole.table)
        self.until(lambda: not Follow.objects.exclude(state="done").exists())
        self.bring("Bring a .cube table", "bad.cube", "no")
        page.get_by_text("no colour table that Kalyptra reads").first.wait_for()
        self.sheet.get_by_role("button", name="Take it away").click()
        self.assertIsNone(self.now(shot).finish.whole.table)

    def test_a_frame_is_cut_enlarged_placed_and_moved_and_shown_as_it_is_rendered(self) -> None:
        page = self.page
        shot = self.open("Ticket window")
        self.sheet.get_by_label("Aspect").select_option("1:1")
        self.put("Enlarged to", "120")
        for words, x in (("Point at its middle", 0.4), ("Move slowly to a place", 0.6)):
            self.sheet.get_by_role("button", name=words).click()
            self.point_at(x, 0.5)
            self.until("Alpine.store('pointing').what === 'pull'")
        framing = self.now(shot).finish.framing
        assert framing.place
        self.assertEqual((framing.aspect.value, len(framing.place.keys)), ("1:1", 2))
        self.assertAlmostEqual(framing.place.keys[0].value[0], shot.media.facts.width * 0.4, delta=4)
        self.assertAlmostEqual(framing.place.keys[1].value[0], shot.media.facts.width * 0.6, delta=4)
        page.get_by_label("More to look at").select_option(label="As it is rendered")
        self.revision_shown(Shot.objects.get(pk=shot.pk).head, "framed")
        self.assertEqual((self.pixel(0.02, 0.5), self.pixel(0.98, 0.5)), ((0, 0, 0), (0, 0, 0)))
        self.assertGreater(sum(self.pixel(0.5, 0.5)), 0)

    def test_a_still_is_held_as_long_as_is_said_and_a_shot_runs_slower_in_what_is_rendered(self) -> None:
        page = self.page
        table = self.open("Tide table", "footage")
        self.put("The still is held for", "7.4")
        self.assertEqual(self.now(table).footage.last, 184)
        self.put("The still is held for", "90")
        page.get_by_text("The clip ends at frame 1499.").wait_for()

        window = self.open("Ticket window", "footage")
        self.put("Last frame", "11")
        page.locator('.stage[data-stage="finish"]').click()
        self.sheet = page.locator('section[data-stage="finish"]')
        self.put("Speed", "40")
        between = self.sheet.get_by_role("group", name="Between two frames")
        between.get_by_role("button", name="The nearest").click()
        self.sheet.get_by_role("switch", name="Sound goes along").click()
        self.sheet.get_by_text("The clip has no sound.").wait_for()
        self.sheet.get_by_text(f"The shot takes {12 / 0.4 / 24:.2f} s; in the clip it is 0.50 s.").wait_for()
        self.assertEqual(self.now(window).finish.speed.between.value, "nearest")
        page.locator(".bench-head").get_by_role("button", name="Render").click()
        page.get_by_text("at the shot's speed they take 1.25 s").wait_for()
        page.get_by_role("button", name="Render this shot").click()
        with page.expect_download() as download:
            page.get_by_role("link", name="Download").first.click()
        self.assertEqual(len(frames_of(Path(download.value.path()))), 30)

    def test_frames_are_fetched_ahead_and_played_as_fast_as_the_shot_runs(self) -> None:
        self.open("Ticket window")  # nothing is changed in it
        self.page.wait_for_timeout(3000)
        frames = "Alpine.store('viewer').ready.reduce((sum, [first, last]) => sum + last - first + 1, 0)"
        wide = "document.querySelector('.picture canvas:not(.second)').width"
        self.assertEqual([self.page.evaluate(seen) for seen in (frames, wide)], [1, 480])  # it is told to save data
        self.page.get_by_text("half size").wait_for()
        self.page.evaluate("delete navigator.connection.saveData; Alpine.store('viewer').fill()")
        self.until("Alpine.store('viewer').ready.some(([first, last]) => last - first >= 20)")
        self.page.evaluate("Alpine.store('viewer').go(5)")
        self.until(f"{wide} === 960")
        due = "(() => { const v = Alpine.store('viewer'); v.started = { time: performance.now() - 1020, frame: 0 }; return v.due(); })()"
        self.assertEqual(self.page.evaluate(due), 24)  # a second, and a little
        self.put("Speed", "50")
        self.until("Alpine.store('shot').setup.finish.speed.factor.keys[0].value === 0.5")
        self.assertEqual(self.page.evaluate(due), 12)

    def test_a_result_of_no_strength_is_told_and_mended(self) -> None:
        shot = self.open("Ticket window")
        self.put("Result over source", "0")
        self.page.locator(".bench-head").get_by_role("button", name="note").click()
        self.page.get_by_text("the result has a strength of 0 %").wait_for()
        self.page.locator('.stage[data-stage="finish"]').get_by_text("1 to look at").wait_for()
        self.page.get_by_role("button", name="Make it 100 %").click()
        self.page.get_by_text("the result has a strength of 0 %").wait_for(state="hidden")
        self.assertEqual(self.now(shot).finish.strength.keys[0].value, 1)

    def bring(self, words: str, name: str, text: str) -> None:
        self.sheet.get_by_label(words).set_input_files(
            {"name": name, "mimeType": "text/plain", "buffer": text.encode()}
        )

    def test_a_setup_file_goes_out_and_comes_back(self) -> None:
        page = self.page
        shot = self.open("Ticket window", "render")
        with page.expect_download() as download:
            self.sheet.get_by_role("link", name="Setup file").click()
        data = Path(download.value.path()).read_bytes()
        page.locator('.stage[data-stage="lens"]').click()
        self.sheet = page.locator('section[data-stage="lens"]')
        self.put("Blades", "5")
        self.assertEqual(self.now(shot).lens.iris.blades, 5)
        page.locator('.stage[data-stage="render"]').click()
        page.get_by_text("Read a setup file").wait_for()
        page.set_input_files("#setup-file", {"name": "back.json", "mimeType": "application/json", "buffer": data})
        page.get_by_text("back.json was put in force.").wait_for()
        self.assertEqual(self.now(shot), shot.setup)
        page.set_input_files("#setup-file", {"name": "x.json", "mimeType": "application/json", "buffer": b"{"})
        page.get_by_text("This file is no JSON. The setup is unchanged.").wait_for()


def frames_of(path: Path) -> list[NDArray[np.uint8]]:
    """The pictures of a rendered file."""
    with av.open(BytesIO(path.read_bytes())) as container:
        return [frame.to_ndarray(format="rgb24") for frame in container.decode(video=0)]
