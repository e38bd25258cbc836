"""Looking hard at a result: beside the source, an earlier revision and another shot's setup, and again after a while."""

from __future__ import annotations

from typing import Any

from kalyptra.bench.tests.browser.case import BrowserCase
from kalyptra.library.demo import load_demo
from kalyptra.library.models import Shot

LIGHT = (0.155, 0.30)
"""A lantern's rim in the runner's picture, which blurs."""


class Looking(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        load_demo()
        self.be_editor()
        self.page.goto(f"/shots/{self.shot.pk}/")
        self.head = self.shot.head
        self.revision_shown(self.head)

    @property
    def shot(self) -> Shot:
        return Shot.objects.get(title="Parcel runner")

    def other(self) -> tuple[str, list[int]]:
        """What is laid over the result: which picture it is, and a pixel of it."""
        found: Any = self.page.locator("canvas.second").evaluate(
            "(c, [x, y]) => [c.dataset.shown, Array.from(c.getContext('2d').getImageData(x * c.width | 0, y * c.height | 0, 1, 1).data)]",
            list(LIGHT),
        )
        return found[0], found[1][:3]

    def lay_over(self, against: str) -> list[int]:
        self.page.get_by_label("Compared with").select_option(against)
        self.page.wait_for_selector(f"canvas.second[data-shown*='|{against}|']")
        return self.other()[1]

    def soften(self) -> None:
        """A change that shows: the lens opened wide."""
        self.page.locator('.stage[data-stage="lens"]').click()
        number = self.page.get_by_label("f-number", exact=True).first
        number.fill("0.2")
        number.press("Enter")
        self.revision_shown(self.head + 1)

    def test_the_result_is_split_with_the_source_a_revision_and_another_setup(self) -> None:
        before = list(self.pixel(*LIGHT))
        self.soften()
        self.page.get_by_role("button", name="Compare").click()
        self.assertEqual(self.lay_over(f"r{self.head}"), before)
        self.page.get_by_role("button", name="Source", exact=True).click()
        self.revision_shown(self.head + 1, "source")
        source = list(self.pixel(*LIGHT))
        self.page.get_by_role("button", name="Result", exact=True).click()
        self.assertEqual(self.lay_over("source"), source)
        glass = Shot.objects.get(title="Tea glass")
        self.assertNotEqual(self.lay_over(f"s{glass.pk}"), source)

        # The line is moved and turned by keys; all on its right is the other picture.
        second = self.page.locator("canvas.second")
        clip = "c => getComputedStyle(c).clipPath"
        straight = second.evaluate(clip)
        self.page.get_by_role("slider", name="Line between the two pictures").focus()
        self.page.keyboard.press("ArrowRight")
        self.page.keyboard.press("ArrowUp")
        self.assertNotEqual(second.evaluate(clip), straight)
        self.page.get_by_role("slider", name="Line between the two pictures").and_(
            self.page.locator('[aria-valuetext="52 % across, turned 5 degrees"]')
        ).wait_for()

        self.page.get_by_role("button", name="Side by side").click()
        first, beside = self.box_of(self.page.locator(".picture canvas:not(.second)")), self.box_of(second)
        self.assertGreaterEqual(beside["x"], first["x"] + first["width"] - 1)

        # A key flicks, Escape leaves.
        self.page.locator(".transport").click()
        self.page.keyboard.press("x")
        self.page.get_by_text("the other is up").wait_for()
        self.assertEqual(second.evaluate("c => getComputedStyle(c).opacity"), "1")
        self.page.keyboard.press("x")
        self.assertEqual(second.evaluate("c => getComputedStyle(c).opacity"), "0")
        self.page.keyboard.press("Escape")
        second.wait_for(state="hidden")

    def test_a_revision_is_named_compared_and_put_back(self) -> None:
        self.soften()
        self.page.get_by_role("button", name="History").click()
        row = self.page.locator(f'[data-revision="{self.head}"]')
        row.get_by_label("Name of this revision").fill("as it came")
        row.get_by_label("Name of this revision").press("Enter")
        row.get_by_role("button", name="Go back to it").click()
        self.revision_shown(self.head + 2)
        self.assertEqual(self.shot.setup, self.shot.revisions.get(number=self.head).setup)
        self.assertEqual(self.shot.named.get().name, "as it came")
        self.page.get_by_role("button", name="Undo").click()
        self.revision_shown(self.head + 1)

    def test_a_kept_revision_comes_back_and_is_judged_blind(self) -> None:
        self.page.get_by_role("button", name="History").click()
        self.page.get_by_label("Look again in, minutes").fill("0.05")
        self.page.get_by_role("button", name="Keep this one and ask me then").click()
        self.page.locator('dialog[aria-label="History"]').get_by_role("button", name="Close").click()
        self.soften()
        dialog = self.page.get_by_role("dialog", name="Which is better?")
        dialog.wait_for()
        pictures = dialog.locator("img").evaluate_all("all => all.map(one => one.src)")
        self.assertEqual({int(url.split("/frames/")[1].split("/")[0]) for url in pictures}, {self.head, self.head + 1})
        self.assertNotIn("evision", dialog.locator(".again-pair").inner_text())
        kept_left = f"/frames/{self.head}/" in pictures[0]
        dialog.get_by_role("button", name="The left one" if kept_left else "The right one").click()
        self.page.get_by_text(f"You prefer the kept one, revision {self.head}").wait_for()
