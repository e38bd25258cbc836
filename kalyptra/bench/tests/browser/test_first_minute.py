"""A shot that is opened for the first time: few presses to a rendered file, and each step without a scroll."""

from __future__ import annotations

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Locator

from kalyptra.bench.tests.browser.case import BrowserCase
from kalyptra.core import Footage, Setup
from kalyptra.library import revisions
from kalyptra.library.demo import load_demo
from kalyptra.library.models import Shot

STAGES = ("footage", "subjects", "distance", "lens", "pull", "finish", "render")
WCAG = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]


class FirstMinute(BrowserCase):
    unfolded = False

    def setUp(self) -> None:
        super().setUp()
        load_demo()
        self.be_editor()
        self.presses = 0

    def open_empty(self, title: str, last: int = 5) -> Shot:
        """One of the demo's shots as if nothing had been said of it yet."""
        shot = Shot.objects.get(title=title)
        revisions.save(shot.pk, shot.head, Setup(footage=Footage(first=0, last=last)), None)
        self.page.goto(f"/shots/{shot.pk}/")
        self.page.get_by_label("What shall stay sharp?").wait_for()
        return Shot.objects.get(pk=shot.pk)

    def press(self, what: Locator) -> None:
        self.presses += 1
        what.click()

    def stroke(self, *places: tuple[float, float]) -> None:
        """One press and a drag over shares of the picture."""
        self.presses += 1
        box = self.box_of(self.page.locator(".picture canvas:not(.second)"))
        mouse = self.page.mouse
        for i, (x, y) in enumerate(places):
            mouse.move(box["x"] + x * box["width"], box["y"] + y * box["height"], steps=1 if i == 0 else 5)
            if i == 0:
                mouse.down()
        mouse.up()

    def answer(self, words: str) -> None:
        self.press(self.page.get_by_label("What shall stay sharp?").get_by_role("button", name=words))

    def rendered(self, shot: Shot) -> Setup:
        """Press until there is a file; the setup that it was made of."""
        self.press(self.page.locator(".bench-head").get_by_role("button", name="Render"))
        self.press(self.page.get_by_role("button", name="Render this shot"))
        self.page.get_by_role("link", name="Download").wait_for()
        self.page.get_by_label("Work under way").get_by_text("Result, frames").first.wait_for()  # what came of it
        self.assertEqual(shot.renders.get().state, "done")
        return Shot.objects.get(pk=shot.pk).setup

    def test_a_soft_region_takes_five_presses(self) -> None:
        shot = self.open_empty("Tea glass")
        self.answer("A soft region")
        self.stroke((0.2, 0.3), (0.5, 0.8))
        setup = self.rendered(shot)
        (region,) = setup.subjects
        self.assertEqual(region.acts.value, "zone")
        self.assertGreater(region.refine.feather_out, 50)  # in proportion to its size, not a few px
        self.assertLessEqual(self.presses, 5)

    def test_a_miniature_takes_five_presses_and_shows_at_once(self) -> None:
        shot = self.open_empty("Tea glass")
        before = self.pixel(0.5, 0.05)
        self.answer("A strip of the scene")
        self.revision_shown(shot.head + 1)
        self.assertNotEqual(before, self.pixel(0.5, 0.05))
        self.assertEqual(self.rendered(shot).distance.sources[0].kind, "band")
        self.assertLessEqual(self.presses, 5)

    def test_a_page_by_its_corners_takes_six_presses(self) -> None:
        shot = self.open_empty("Tea glass")
        self.answer("A page or a table")
        self.revision_shown(shot.head + 1)
        self.presses += 1
        self.drag(self.page.locator('[data-handle="corner0"]'), 15, 10)
        self.revision_shown(shot.head + 2)
        self.assertEqual(self.rendered(shot).distance.sources[0].kind, "corners")
        self.assertLessEqual(self.presses, 6)

    def test_a_stroke_is_followed_with_one_more_press(self) -> None:
        shot = self.open_empty("Parcel runner")
        self.answer("Something I stroke")
        self.page.locator(".brush-tip").wait_for()
        self.stroke((0.365, 0.47), (0.37, 0.6))
        self.press(self.page.get_by_role("button", name="Follow it through the shot"))
        self.page.get_by_label("Work under way").get_by_role("button", name="Close").wait_for()
        matte = self.rendered(shot).subjects[0].matte
        self.assertEqual([matte.at(frame) is not None for frame in range(6)], [True] * 6)
        self.assertLessEqual(self.presses, 5)

    def test_people_take_four_presses(self) -> None:
        shot = self.open_empty("Parcel runner")
        self.answer("People")
        self.page.get_by_label("Work under way").get_by_role("button", name="Close").wait_for()
        matte = self.rendered(shot).subjects[0].matte
        self.assertEqual(len(matte.frames), 6)
        self.assertLessEqual(self.presses, 4)


class LaidOut(BrowserCase):
    unfolded = False

    def setUp(self) -> None:
        super().setUp()
        load_demo()
        self.be_editor()
        self.page.goto(f"/shots/{Shot.objects.get(title='Parcel runner').pk}/")
        self.page.wait_for_selector("canvas[data-shown]")

    def stage(self, name: str) -> None:
        self.page.locator(f'.stage[data-stage="{name}"]').click()
        self.page.locator(f'section[data-stage="{name}"]').wait_for()

    def test_no_stage_opens_longer_than_a_screen_and_a_third(self) -> None:
        made = self.page.locator("section[data-stage]")
        self.assertEqual(made.count(), 1)  # a sheet is made when its stage is first opened, and stays
        for stage in STAGES:
            self.stage(stage)
            height = self.page.evaluate("document.querySelector('.sheet-body').scrollHeight / innerHeight")
            self.assertLess(height, 1.3, stage)
        self.assertEqual(made.count(), len(STAGES))

    def test_a_part_says_what_it_holds_and_stays_as_it_was_left(self) -> None:
        edge = self.page.locator('details[data-part="edge"]')
        self.assertIn("drawn to the picture", edge.locator("summary").inner_text())
        edge.locator("summary").press("Enter")
        self.page.get_by_label("Feather outwards").first.wait_for()
        self.page.reload()
        self.page.wait_for_selector("canvas[data-shown]")
        self.assertTrue(edge.evaluate("part => part.open"))

    def test_the_chart_is_made_taller_by_keys_and_the_picture_shown_alone(self) -> None:
        height = "document.querySelector('.bench-foot').clientHeight"
        before = self.page.evaluate(height)
        self.page.get_by_role("separator", name="Height of the chart").focus()
        for _ in range(3):
            self.page.keyboard.press("ArrowUp")
        self.assertEqual(self.page.evaluate(height), before + 60)
        self.stage("lens")
        self.assertEqual(self.page.evaluate(height), before)  # each stage has its own
        self.page.keyboard.press("p")
        self.page.locator(".bench-sheet").wait_for(state="hidden")
        self.page.keyboard.press("Escape")
        self.page.locator(".bench-sheet").wait_for()

    def test_the_effect_is_switched_off_for_the_picture_and_the_render(self) -> None:
        head = Shot.objects.get(title="Parcel runner").head
        self.page.get_by_role("switch", name="Effect").uncheck()
        self.revision_shown(head + 1)
        shown = self.pixel(0.15, 0.35)
        self.page.get_by_role("button", name="Source", exact=True).click()
        self.revision_shown(head + 1, "source")
        self.assertEqual(shown, self.pixel(0.15, 0.35))
        self.page.get_by_role("button", name="1 note").click()
        self.page.get_by_role("button", name="Switch it on").click()
        self.revision_shown(head + 2, "source")
        self.assertTrue(Shot.objects.get(title="Parcel runner").setup.effect)

    def test_every_stage_is_accessible_in_both_themes_and_at_other_sizes(self) -> None:
        """axe-core, all rules of WCAG 2.0 to 2.2, A and AA."""
        self.page.evaluate(
            "document.querySelectorAll('details.part').forEach(part => part.dataset.part === 'looks' && (part.open = true))"
        )
        looks = (
            ("paper", (1280, 800), STAGES),
            ("dim", (1024, 700), ("subjects", "pull", "finish")),
            ("paper", (640, 400), ("lens",)),
        )
        for theme, size, stages in looks:
            self.page.set_viewport_size({"width": size[0], "height": size[1]})
            self.page.evaluate(f"document.documentElement.dataset.theme = '{theme}'")
            for stage in stages:
                self.stage(stage)
                self.assertEqual(self.violations(), [], f"{stage}, {theme}, {size}")
        self.page.set_viewport_size({"width": 1280, "height": 800})
        self.page.get_by_role("link", name="Lantern quay").click()
        self.page.get_by_role("region", name="Several shots at once").wait_for()
        self.assertEqual(self.violations(), [], "the project's page")

    def violations(self) -> list[tuple[str, str, str]]:
        found = Axe().run(self.page, options={"runOnly": WCAG}).response["violations"]
        return [(v["id"], node["html"][:160], node["failureSummary"][:300]) for v in found for node in v["nodes"][:4]]


class ByTouch(BrowserCase):
    unfolded = False

    def test_a_soft_region_is_drawn_and_moved_with_a_finger(self) -> None:
        load_demo()
        shot = Shot.objects.get(title="Tea glass")
        revisions.save(shot.pk, shot.head, Setup(footage=Footage(first=0, last=5)), None)
        context = self.browser.new_context(
            viewport={"width": 1024, "height": 700}, base_url=self.live_server_url, has_touch=True
        )
        self.addCleanup(context.close)
        self.page = context.new_page()
        self.be_editor()
        self.page.goto(f"/shots/{shot.pk}/")
        self.page.get_by_label("What shall stay sharp?").get_by_role("button", name="A soft region").tap()
        self.finger((0.3, 0.3), (0.6, 0.8))
        self.page.locator('[data-act="move"]').wait_for()
        head = Shot.objects.get(pk=shot.pk).head
        self.finger((0.3, 0.55), (0.2, 0.55))  # by the point at its left
        self.revision_shown(head + 1)
        before, after = (revision.setup.subjects[0].matte for revision in shot.revisions.filter(number__gte=head))
        self.assertNotEqual(before, after)

    def finger(self, start: tuple[float, float], end: tuple[float, float]) -> None:
        """A finger put down at a share of the picture, drawn to another one, and lifted."""
        box = self.box_of(self.page.locator(".picture canvas:not(.second)"))
        session = self.page.context.new_cdp_session(self.page)
        for i in range(7):
            at = [a + (b - a) * min(i, 5) / 5 for a, b in zip(start, end, strict=True)]
            point = {"x": box["x"] + at[0] * box["width"], "y": box["y"] + at[1] * box["height"]}
            kind = "touchStart" if i == 0 else "touchEnd" if i == 6 else "touchMove"
            session.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": [] if i == 6 else [point]})
