"""Every control that the guide names stands on the page, and is used: here, or by the tests of its stage."""

from __future__ import annotations

import re
from pathlib import Path

from kalyptra.bench.tests.browser.case import BrowserCase
from kalyptra.core import Setup
from kalyptra.library.demo import load_demo
from kalyptra.library.models import Shot
from kalyptra.work.models import Follow

ROOT = Path(__file__).resolve().parents[4]


def named_controls() -> list[str]:
    """What the guide sets in italics: the words on controls."""
    text = re.sub(r"\*\*[^*]+\*\*", "", (ROOT / "docs" / "guide.md").read_text())
    return sorted({" ".join(words.split()) for words in re.findall(r"(?<!\*)\*([^*]+)\*(?!\*)", text)})


class Guide(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        load_demo()
        self.be_editor()

    def open(self, title: str, stage: str) -> Shot:
        self.page.goto(f"/shots/{Shot.objects.get(title=title).pk}/")
        self.revision_shown(1)
        self.stage(stage)
        return Shot.objects.get(title=title)

    def stage(self, name: str) -> None:
        self.page.locator(f'.stage[data-stage="{name.lower()}"]').click()
        self.sheet = self.page.locator(f'section[data-stage="{name.lower()}"]')

    def press(self, words: str, group: str | None = None) -> None:
        inside = self.sheet.get_by_role("group", name=group) if group else self.sheet
        inside.get_by_role("button", name=words, exact=True).locator("visible=true").first.click()

    def switch(self, words: str) -> None:
        self.sheet.get_by_label(words).locator("visible=true").first.click()

    def put(self, words: str, value: str) -> None:
        field = self.sheet.get_by_label(words, exact=True).locator("visible=true").first
        field.fill(value)
        field.press("Enter")

    def now(self, shot: Shot) -> Setup:
        """The setup when all that was done is saved."""
        self.page.evaluate("Alpine.store('shot').settled()")
        return Shot.objects.get(pk=shot.pk).setup

    def working(self) -> bool:
        return bool(self.page.evaluate("Alpine.store('work').now !== null"))

    def test_every_control_that_the_guide_names_is_on_the_page_and_used_by_a_test(self) -> None:
        pages = [*ROOT.glob("kalyptra/*/templates/**/*.html"), *ROOT.glob("kalyptra/*/static/*/*.js")]
        shown = "\n".join(path.read_text() for path in [*pages, *(ROOT / "kalyptra" / "bench").glob("*.py")])
        tests = "\n".join(path.read_text() for path in Path(__file__).parent.glob("*.py"))
        for words in named_controls():
            with self.subTest(words):
                self.assertIn(words.lower(), shown.lower())
                self.assertIsNotNone(re.search(rf'"[^"\n]*{re.escape(words)}[^"\n]*"', tests, re.IGNORECASE))

    def test_what_it_says_of_subjects_and_their_edges(self) -> None:
        shot = self.open("Parcel runner", "Subjects")
        self.sheet.get_by_role("button", name="Mooring post").first.click()
        self.put("Black limit", "0.1")
        self.put("White limit", "0.9")
        self.put("Grow", "1.5")
        self.press("Fast", "Drawn to the picture")
        self.put("Width of the edge", "9")
        self.press("Late", "Falls")
        self.put("Steady over", "2")
        self.press("Own layer", "Is")
        self.press("Soft zone", "Is")
        self.press("Tilt", "What moves")
        post = self.now(shot).subjects[-1]
        refine = post.refine
        self.assertEqual(
            (refine.black, refine.white, refine.grow, refine.edge.value, refine.edge_width, refine.profile.value),
            (0.1, 0.9, 1.5, "fast", 9, "late"),
        )
        self.assertEqual((refine.steady, post.acts.value), (2, "zone"))
        self.assertEqual({outline.motion.value for outline in post.matte.outlines}, {"perspective"})  # type: ignore[union-attr]
        self.press("Fine", "Drawn to the picture")
        self.press("Turn", "What moves")
        self.put("Thickness", "0.4")
        self.press("Draw")
        self.page.keyboard.press("Escape")
        for words in ("Left half", "Right half", "Upper half", "Lower half", "Round hole"):
            self.press(words, "New soft region, ready made")
        *_, half, hole = self.now(shot).subjects
        self.assertEqual((half.acts.value, half.refine.invert, hole.refine.invert), ("zone", False, True))
        self.press("Four corners", "New subject, in other ways")
        subjects = self.now(shot).subjects
        self.assertEqual((subjects[1].refine.edge.value, subjects[1].depth), ("fine", 0.4))
        self.assertEqual(len(subjects[-1].matte.outlines[0].shape.keys[0].value.points), 4)  # type: ignore[union-attr]

        # Behind all layers.
        before = len(subjects[-1].matte.outlines[0].shape.keys[0].value.points)  # type: ignore[union-attr]
        self.put("Turn by", "10")
        self.now(shot)
        self.until("Alpine.store('lines').shown && Alpine.store('lines').points(Alpine.store('shot').line).length > 2")
        self.put("Round by", "20")
        rounded = self.now(shot).subjects[-1].matte.outlines[0].shape.keys[-1].value.points  # type: ignore[union-attr]
        self.assertEqual(len(rounded), 2 * before)
        self.press("Filled", "Plate")
        self.put("Spoiled edge", "2.5")
        self.switch("Mend mattes by it")
        plate = self.now(shot).plate
        self.assertEqual((plate.source.value, plate.growth, plate.mend_mattes), ("filled", 2.5, True))
        self.assertTrue(self.sheet.get_by_text("Plate file").is_visible())
        for words, view in (
            ("Matte on the picture", "overlay"),
            ("What the edge did", "change"),
            ("Blurred ground alone", "behind"),
            ("Seen, or filled", "seen"),
            ("Edge check", "edges"),
        ):
            self.page.get_by_label("More to look at").select_option(label=words)
            self.revision_shown(Shot.objects.get(pk=shot.pk).head, view)
        self.page.get_by_label("More to look at").select_option(label="Matte on the picture")
        self.revision_shown(Shot.objects.get(pk=shot.pk).head, "overlay")
        apart = self.pixel(0.55, 0.5)
        self.page.get_by_label("Colour of the matte").select_option("green")
        self.page.wait_for_selector("canvas[data-shown*='|overlay|green']")
        self.assertNotEqual(self.pixel(0.55, 0.5), apart)

    def test_what_it_says_of_people_and_marks_around(self) -> None:
        shot = self.open("Ticket window", "Subjects")
        self.sheet.get_by_role("button", name="Stroke", exact=True).click()
        self.revision_shown(2, "overlay")  # from now on the sheet of the new subject stands still
        self.press("Drop", "Brush")
        self.press("Around", "Brush")
        self.page.get_by_text("around the subject").locator("visible=true").first.wait_for()
        self.page.keyboard.press("Escape")
        self.press("People", "New subject")
        self.until(self.working)
        self.page.get_by_label("Work under way").get_by_role("button", name="Cancel").click()
        self.until(lambda: not self.working())
        self.press("Quickly", "How people are found")
        self.press("Everybody", "Who")
        self.until(self.working)
        self.page.get_by_label("Work under way").get_by_role("button", name="Cancel").click()
        self.until(lambda: not self.working())
        self.press("Point at one", "Who")
        self.assertEqual(self.sheet.get_by_role("button", name="Point at one").get_attribute("aria-pressed"), "true")
        rows = Follow.objects.filter(shot=shot).order_by("pk")
        self.assertEqual([(row.what, row.order["carefully"]) for row in rows], [("people", True), ("people", False)])

    def test_what_it_says_of_distance(self) -> None:
        shot = self.open("Harbour from above", "Distance")
        for words in ("Backdrop", "Ground", "Band", "Round"):
            self.press(words, "New source")
        kinds = [source.kind for source in self.now(shot).distance.sources]
        self.assertEqual(kinds[-4:], ["backdrop", "ground", "band", "round"])
        self.assertTrue(self.sheet.get_by_text("Map file").is_visible())
        self.press("Beside", "Distances and picture")
        self.page.locator("canvas.second").wait_for()
        self.press("Over", "Distances and picture")
        self.press("Lines")
        self.assertEqual(self.sheet.get_by_role("button", name="Lines").first.get_attribute("aria-pressed"), "true")
        self.put("Softened by", "12")
        self.assertEqual(self.now(shot).distance.smooth, 12)

    def test_what_it_says_of_the_lens_and_of_standing(self) -> None:
        shot = self.open("Parcel runner", "Lens")
        self.press("f-number", "Set by")
        self.assertTrue(self.sheet.locator("summary", has_text="Iris").is_visible())
        self.put("Blades", "7")
        self.assertTrue(self.sheet.locator("summary", has_text="Lights").is_visible())
        self.put("Lift lights by", "2")
        self.assertTrue(self.sheet.locator("summary", has_text="Held sharp").is_visible())
        self.switch("Hold a range sharp")
        lens = self.now(shot).lens
        self.assertEqual((lens.aperture.value, lens.iris.blades, lens.highlights.gain), ("f-number", 7, 2))
        self.assertIsNotNone(lens.held)
        self.stage("Subjects")
        self.sheet.get_by_role("button", name="Runner").first.click()
        self.press("Correct here")
        standing = self.now(shot).subjects[0].standing
        assert standing
        self.assertEqual([key.frame for key in standing.by_hand.keys], [0])  # type: ignore[union-attr]
        self.drag(self.page.locator('[data-act="move"]').first, 6, 4)  # another matte may stand in another place
        self.press("Look where it stands")
        self.until(lambda: Follow.objects.filter(shot=shot, what="feet", state="done").exists())

    def test_what_it_says_of_pulls_and_mattes_to_take_away(self) -> None:
        shot = self.open("Tea glass", "Pull")
        self.put("A pull takes", "9")
        self.assertEqual(self.page.evaluate("Alpine.store('curve').take"), 9)
        self.press("Cut here")
        self.assertIn(0, self.now(shot).focus.cuts)
        self.page.keyboard.press("Escape")
        self.assertTrue(self.page.locator(".bench-foot").get_by_text("all else").is_visible())
        keys = [key.frame for key in self.now(shot).focus.distance.keys]
        self.page.evaluate("frames => Alpine.store('curve').choose('focus.distance', frames)", keys[-2:])
        self.put("From first to last", str(keys[-1] - keys[-2] + 3))
        self.assertEqual(self.now(shot).focus.distance.keys[-1].frame, keys[-1] + 3)
        self.page.mouse.move(640, 700)
        self.page.mouse.wheel(0, -400)
        self.page.get_by_role("button", name="Whole shot").click()
        self.assertIsNone(self.page.evaluate("Alpine.store('curve').first"))
        subject = self.now(shot).subjects[1]  # the table is a region, and has no distance
        self.sheet.get_by_label("From here stay on a subject").select_option(label=subject.name)  # "Stay on"
        self.sheet.get_by_label("New mark on a subject").select_option(label=subject.name)
        for words, value in (("lag", "4"), ("steady", "6")):
            hand = self.sheet.locator(f'[data-what="{words}"]').locator("visible=true").first
            hand.fill(value)
            hand.press("Enter")
        self.switch("Breathing")
        focus = self.now(shot).focus
        self.assertTrue(focus.breathing)
        self.assertIn((4, 6), [(mark.lag, mark.steady) for mark in focus.marks])
        self.stage("Footage")
        self.put("Last frame", "6")
        self.stage("Render")
        self.assertTrue(self.sheet.locator("summary", has_text="Mattes to take away").is_visible())
        self.press("Make mattes")
        self.page.get_by_role("link", name="Download").wait_for(timeout=180_000)
