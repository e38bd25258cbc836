"""An outline from the first stroke to the mended matte: draw, follow, find the slip, mend, follow again, undo."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.bench.tests.browser.case import BrowserCase
from kalyptra.core import Outline, Refine, drawn_matte, drawn_outline, fit_closed, outline_at, read_setup, read_svg
from kalyptra.core.tests.test_demo_truth import DEMO, frames_of
from kalyptra.library import revisions
from kalyptra.library.demo import load_demo
from kalyptra.library.models import Shot

LAST = 28


class OutlineLoop(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        load_demo()
        shot = Shot.objects.get(title="Parcel runner")
        footage = shot.setup.footage.model_copy(update={"last": LAST})
        setup = shot.setup.model_copy(update={"footage": footage, "subjects": ()})
        revisions.save(shot.pk, shot.head, setup, shot.project.owner)
        self.shot_id = shot.pk
        self.truth = frames_of(DEMO / "runner" / "matte.mkv", "gray", set(range(LAST + 1)))
        self.be_editor()
        self.page.goto(f"/shots/{shot.pk}/")
        self.page.wait_for_selector("canvas[data-shown]")
        self.page.get_by_role("button", name="Subjects").click()

    @property
    def shot(self) -> Shot:
        return Shot.objects.get(pk=self.shot_id)

    @property
    def outline(self) -> Outline:
        return self.shot.setup.subjects[-1].matte.outlines[0]

    def overlap(self, frame: int) -> float:
        """Intersection over union with the truth's largest part (Perazzi et al., CVPR 2016)."""
        mine = drawn_matte([outline_at(self.outline, frame)], Refine(), (720, 1280), 1.0) > 0.5
        body = self.body(frame)
        return float((mine & body).sum() / (mine | body).sum())

    def body(self, frame: int) -> NDArray[np.bool_]:
        count, parts, facts, _ = cv2.connectedComponentsWithStats((self.truth[frame] > 127).astype(np.uint8))
        return np.asarray(parts == 1 + int(np.argmax(facts[1:, cv2.CC_STAT_AREA])))

    def contour(self, frame: int, tolerance: float) -> NDArray[Any]:
        lines, _ = cv2.findContours(self.body(frame).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        line = max(lines, key=cv2.contourArea)
        return cv2.approxPolyDP(line, tolerance, True)[:, 0] if tolerance else line[:, 0]

    def on_screen(self, x: float, y: float) -> tuple[float, float]:
        box = self.box_of(self.page.locator('svg[aria-label="Outlines on the picture"]'))
        return box["x"] + x / 1280 * box["width"], box["y"] + y / 720 * box["height"]

    def saved(self, number: int) -> None:
        self.page.wait_for_selector(f'canvas[data-shown^="{number}|"]')

    def followed(self, head: int) -> None:
        self.saved(head + 1)
        self.page.get_by_text("From here").wait_for()

    def test_outlines_that_touch_are_followed_together(self) -> None:
        page, setup, head = self.page, self.shot.setup, self.shot.head
        body = self.body(0)
        middle = int(np.flatnonzero(body.any(axis=1)).mean())
        outlines = []
        for i, part in enumerate((slice(0, middle + 5), slice(middle - 5, None))):
            half = np.zeros_like(body)
            half[part] = body[part]
            lines, _ = cv2.findContours(half.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
            curve = fit_closed(max(lines, key=cv2.contourArea)[:, 0] + 0.5, 1.0)
            outlines.append(drawn_outline(f"line{i}", 0, curve).model_dump(mode="json"))
        runner = {"id": "runner", "name": "Runner", "matte": {"kind": "outline", "outlines": outlines},
                  "distance": {"keys": [{"frame": 0, "value": 5}]}}  # fmt: skip
        document = setup.model_dump(mode="json") | {"subjects": [runner], "footage": {"first": 0, "last": 3}}
        revisions.save(self.shot_id, head, read_setup(document), self.shot.project.owner)
        page.reload()
        self.saved(head + 1)
        page.get_by_role("button", name="Subjects").click()
        self.choose_subject("Runner")
        self.assertEqual(page.get_by_role("button", name="All", exact=True).get_attribute("aria-pressed"), "true")
        page.get_by_role("button", name="Follow ahead to the end").click()
        self.followed(head + 1)
        both = self.shot.setup.subjects[-1].matte.outlines
        self.assertEqual([[step.frame for step in outline.steps] for outline in both], [[1, 2, 3], [1, 2, 3]])
        mine = drawn_matte([outline_at(outline, 3) for outline in both], Refine(), (720, 1280), 1.0) > 0.5
        self.assertGreater(float((mine & self.body(3)).sum() / (mine | self.body(3)).sum()), 0.85)

    def test_draw_follow_find_the_slip_mend_follow_again_undo(self) -> None:
        page = self.page
        head = self.shot.head

        # Corners are clicked around the runner; Backspace takes a wrong one back; the first point closes the line.
        page.get_by_role("button", name="Draw", exact=True).click()
        corners = self.contour(0, 2.0)[:-1]  # the last one lies next to the first
        page.mouse.click(*self.on_screen(900, 600))
        page.keyboard.press("Backspace")
        for x, y in corners:
            page.mouse.click(*self.on_screen(x + 0.5, y + 0.5))
        page.mouse.click(*self.on_screen(*(corners[0] + 0.5)))
        self.saved(head + 1)
        self.assertEqual(len(self.outline.shape.keys[0].value.points), len(corners))
        self.assertGreater(self.overlap(0), 0.93)
        self.assertEqual(self.shot.setup.subjects[-1].refine.edge.value, "fast")  # drawn to the picture from the start

        # Followed by place alone it slips, for the runner comes nearer; the strip knows.
        page.get_by_role("button", name="Place", exact=True).click()
        self.saved(head + 2)
        page.get_by_role("button", name="Follow ahead to the end").click()
        self.followed(head + 2)
        self.assertEqual([step.frame for step in self.outline.steps], list(range(1, LAST + 1)))
        slipped = self.overlap(LAST)
        self.assertLess(slipped, 0.85)
        page.keyboard.press("Home")
        page.get_by_role("button", name="Next that needs a look").click()
        page.get_by_text("confidence 0.").wait_for()
        self.assertEqual(page.get_by_text("No frame of it needs a look.").count(), 0)
        found = int(page.locator("[x-data=transport] b").inner_text())
        self.assertLess(self.overlap(found), 0.88)

        # Mended by typed numbers and by dragging a point: a key made by hand, which its neighbours feel.
        page.keyboard.press("End")
        box = cv2.boundingRect(self.body(LAST).astype(np.uint8))
        wanted = {"width": box[2], "height": box[3], "x": box[0] + box[2] / 2, "y": box[1] + box[3] / 2}
        head = self.shot.head
        between = self.overlap(LAST - 6)
        for i, (what, value) in enumerate(wanted.items()):
            field = page.locator(f'[data-what="{what}"]')
            field.fill(str(value))
            field.press("Enter")
            self.saved(head + 1 + i)
        point = page.locator('[data-act="point"]').first
        point.click()
        loupe, at = page.locator(".loupe"), self.box_of(page.locator('[data-act="point"].chosen'))
        page.mouse.move(at["x"] + at["width"] / 2, at["y"] + at["height"] / 2)
        page.mouse.down()
        page.mouse.move(at["x"] + at["width"] / 2 + 2, at["y"] + at["height"] / 2 - 2, steps=6)
        loupe.wait_for()  # the picture under the point, enlarged
        page.mouse.up()
        loupe.wait_for(state="hidden")
        self.saved(head + 5)
        self.assertEqual(self.outline.hand_frames, (0, LAST))
        self.assertGreater(self.overlap(LAST), slipped + 0.05)
        self.assertGreater(self.overlap(LAST - 6), between + 0.02)
        mended = outline_at(self.outline, LAST)

        # Followed again, freely, from the first frame: better all the way, and the mended frame stays as it is.
        page.keyboard.press("Home")
        page.get_by_role("button", name="Free", exact=True).click()
        self.saved(head + 6)
        page.get_by_role("button", name="Follow ahead to the end").click()
        page.get_by_text("back from later keys").first.wait_for()
        self.assertFalse(page.get_by_role("progressbar").is_visible())  # nothing counts the way back
        self.followed(head + 6)
        page.get_by_role("status", name="Work under way").get_by_text("following: 28 frames done").first.wait_for()
        self.assertGreater(np.mean([self.overlap(frame) for frame in range(0, 29, 4)]), 0.85)
        np.testing.assert_allclose(outline_at(self.outline, LAST).rows, mended.rows, atol=0.05)
        page.keyboard.press("Home")
        page.keyboard.press("ArrowRight")
        page.get_by_text("What was seen of it shows, not its line").wait_for()
        page.keyboard.press("End")
        page.get_by_text("This frame: made by hand.").wait_for()
        self.assertEqual([outline_at(self.outline, frame).border is None for frame in (1, LAST)], [False, True])

        # Undo takes back the whole following, and redo brings it again.
        followed = self.outline.steps
        page.locator("body").click(position={"x": 5, "y": 700})
        page.keyboard.press("Control+z")
        self.saved(head + 6)
        self.assertNotEqual(self.outline.steps, followed)
        page.keyboard.press("Control+Shift+z")
        self.saved(head + 7)
        self.assertEqual(self.outline.steps, followed)

        # Hand-made keys go only where that is asked for.
        page.get_by_role("button", name="This outline").click()
        page.get_by_role("group", name="Hand-made keys on the way").get_by_role("button", name="Replace").click()
        page.keyboard.press("Home")
        page.get_by_role("button", name="Follow ahead to the end").click()
        self.followed(head + 8)  # first the key is gone; then what is found ahead alone is not what was found from both
        page.wait_for_selector(f'canvas[data-shown$="|{LAST}"]')  # the end of following takes the playhead along
        page.get_by_text("From here").wait_for()
        self.assertEqual(self.outline.hand_frames, (0,))
        head += 2

        # What is seen is the matte that the truth is compared with.
        page.get_by_role("button", name="Matte", exact=True).click()
        page.keyboard.press("Home")
        page.wait_for_selector(f'canvas[data-shown="{head + 7}|matte|{self.shot.setup.subjects[-1].id}|0"]')
        for x, y in ((473, 380), (640, 380)):
            self.assertAlmostEqual(self.pixel(x / 1280, y / 720)[0], self.truth[0][y, x], delta=12)

        # And it can be taken away as a file.
        with page.expect_download() as download:
            page.get_by_role("link", name="SVG out").click()
        drawn = read_svg(download.value.path().read_text())
        self.assertEqual(sorted(drawn), list(range(LAST + 1)))

    def test_freehand_points_feathers_and_zoom(self) -> None:
        page = self.page
        head = self.shot.head
        page.get_by_role("button", name="Freehand").click()
        line = self.contour(0, 0)[::6]
        page.mouse.move(*self.on_screen(*line[0]))
        page.mouse.down()
        for x, y in line[1:]:
            page.mouse.move(*self.on_screen(x, y))
        page.mouse.up()
        self.saved(head + 1)
        self.assertGreater(self.overlap(0), 0.9)
        count = len(self.outline.shape.keys[0].value.points)
        self.assertLess(count, 60)

        # Zoomed to the pointer the same place stays under it; the line is picked up there all the same.
        x, y = self.on_screen(473, 380)
        page.mouse.move(x, y)
        page.mouse.wheel(0, -600)
        page.wait_for_timeout(100)
        again = self.on_screen(473, 380)
        self.assertLess(abs(again[0] - x) + abs(again[1] - y), 2)  # a pointer lies on whole px
        page.keyboard.press("0")

        # A point is added on the line with the keyboard, made a corner, softened, and removed again.
        page.locator('[data-act="point"]').first.focus()
        page.keyboard.press("+")
        self.saved(head + 2)
        self.assertEqual(len(self.outline.shape.keys[0].value.points), count + 1)
        page.locator('[data-act="point"].chosen').focus()
        page.keyboard.press("c")
        self.saved(head + 3)
        page.get_by_label("Softer out").fill("14")
        page.get_by_label("Softer out").press("Enter")
        self.saved(head + 4)
        self.assertEqual(max(point.feather_out for point in self.outline.shape.keys[0].value.points), 14)
        page.locator('[data-act="point"].chosen').focus()
        page.keyboard.press("Delete")
        self.saved(head + 5)
        self.assertEqual(len(self.outline.shape.keys[0].value.points), count)

    def test_outlines_join_and_change_places(self) -> None:
        page = self.page
        head = self.shot.head
        page.get_by_role("button", name="Rectangle").click()
        self.saved(head + 1)
        page.get_by_role("button", name="Take away").first.click()
        for x, y in ((600, 300), (700, 300), (700, 420), (600, 420)):
            page.mouse.click(*self.on_screen(x, y))
        page.keyboard.press("Enter")
        self.saved(head + 2)
        page.get_by_role("button", name="Matte", exact=True).click()
        self.saved(head + 2)
        page.wait_for_selector(f'canvas[data-shown^="{head + 2}|matte|"]')
        self.assertLess(self.pixel(650 / 1280, 360 / 720)[0], 10)
        self.assertGreater(self.pixel(560 / 1280, 360 / 720)[0], 245)
        page.get_by_role("button", name="Outline 2 takes away").press("Alt+ArrowUp")
        self.saved(head + 3)
        joins = [outline.joins.value for outline in self.shot.setup.subjects[-1].matte.outlines]
        self.assertEqual(joins, ["take-away", "add"])
        page.get_by_role("group", name="Between hand-made keys").get_by_role("button", name="Smooth").click()
        self.saved(head + 4)
        outline = next(
            outline for outline in self.shot.setup.subjects[-1].matte.outlines if outline.joins.value == "take-away"
        )
        self.assertEqual(outline.placement.keys[0].ease, "eased")
