"""Pulls in the browser: a rack by pointing, dragged, played and rendered; keys, marks, holds, performing, and tables."""

from __future__ import annotations

import av
import cv2
import numpy as np
from numpy.typing import NDArray
from playwright.sync_api import Route

from kalyptra.bench.tests.browser.case import BrowserCase
from kalyptra.core import Setup, read_frame, resolve
from kalyptra.library import revisions
from kalyptra.library.demo import load_demo
from kalyptra.library.models import Shot

SIZE = (1280, 720)
SHOWN = "document.querySelector('.picture canvas:not(.second)').dataset.shown"
FERRIES, GLASS = (0.27, 0.45), (0.24, 0.78)
"""Places of the tea glass' picture, shares of its width and height."""


def detail(picture: NDArray[np.uint8], x: float, y: float) -> float:
    """How much finely changes around a place."""
    height, width = picture.shape[:2]
    part = picture[
        round(y * height) - 40 : round(y * height) + 40, round(x * width) - 70 : round(x * width) + 70
    ].astype(float)
    return float(np.abs(np.diff(part.mean(axis=2), axis=1)).mean())


class Pulls(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        load_demo()
        self.be_editor()

    def open(self, title: str) -> Shot:
        shot = Shot.objects.get(title=title)
        document = shot.setup.model_dump(mode="json")
        document["focus"] = {"distance": {"keys": [{"frame": 0, "value": 0.9, "ease": "hold"}]}}
        document["footage"] |= {"first": 20, "last": 75}
        revisions.save(shot.pk, 1, Setup.model_validate(document), shot.project.owner)
        self.page.goto(f"/shots/{shot.pk}/")
        self.revision_shown(2)
        self.page.locator('.stage[data-stage="pull"]').click()
        self.page.locator(".aim").wait_for(state="attached")
        return shot

    def now(self, shot: Shot, revision: int) -> Setup:
        self.revision_shown(revision)
        return Shot.objects.get(pk=shot.pk).setup

    def go(self, frame: int) -> None:
        self.page.evaluate(f"Alpine.store('viewer').go({frame})")
        self.page.wait_for_timeout(200)
        self.page.evaluate("Alpine.store('survey').settled()")

    def test_while_a_drag_is_shown_the_next_picture_is_made_and_none_that_comes_late_is_shown(self) -> None:
        self.open("Tea glass")
        page, asked = self.page, list[Route]()
        page.route("**/draft.jpg", lambda route: asked.append(route))  # Playwright marks what it is given
        box = self.box_of(page.locator("[data-focus]").first)
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        page.mouse.down()
        for i in range(1, 6):
            page.mouse.move(box["x"], box["y"] - 4 * i)
            page.wait_for_timeout(60)
        self.assertEqual(len(asked), 2)
        early, late = (np.full((54, 96, 3), colour, np.uint8) for colour in ((0, 0, 255), (255, 0, 0)))  # B, G, R
        asked[1].fulfill(body=cv2.imencode(".jpg", late)[1].tobytes(), content_type="image/jpeg")
        self.until(lambda: len(asked) == 3)
        asked[0].fulfill(body=cv2.imencode(".jpg", early)[1].tobytes(), content_type="image/jpeg")
        self.until("Alpine.store('viewer').drafts === 1")
        red, _, blue = self.pixel(0.5, 0.5)
        self.assertGreater(blue, red)
        page.unroute("**/draft.jpg")
        page.mouse.up()
        self.revision_shown(3)

    def test_a_rack_by_pointing_is_dragged_played_and_rendered(self) -> None:
        shot, page = self.open("Tea glass"), self.page
        self.go(60)
        self.point_at(*FERRIES)
        keys = self.now(shot, 3).focus.distance.keys
        self.assertEqual([(key.frame, round(key.value, 1)) for key in keys[-2:]], [(36, 0.9), (60, 17.0)])

        # The whole pull is dragged earlier, and one end of it later by keys: it is retimed.
        self.drag(page.locator("[data-pull]"), -80, 0)
        keys = self.now(shot, 4).focus.distance.keys
        moved = keys[-1].frame
        self.assertLess(moved, 60)
        self.assertEqual(keys[-1].frame - keys[-2].frame, 24)
        page.locator("[data-pull]").focus()
        page.keyboard.press("Alt+ArrowRight")
        keys = self.now(shot, 5).focus.distance.keys
        self.assertEqual(keys[-1].frame - keys[-2].frame, 25)

        # It plays: the frame that is shown is that of the playhead.
        page.keyboard.press("Home")
        page.locator("body").click(position={"x": 5, "y": 700})
        page.keyboard.press(" ")
        # Which frames are left out on its way hangs on the machine.
        self.until(f"Number({SHOWN}.split('|').pop()) >= 60")
        page.keyboard.press(" ")

        # Rendered, sharp is what the chart says is sharp.
        page.locator('.stage[data-stage="render"]').click()
        page.get_by_role("button", name="Render this shot").click()
        with page.expect_download(timeout=180_000) as download:
            page.get_by_role("link", name="Download").click(timeout=180_000)
        download.value.save_as(self.folder / "rack.mp4")
        with av.open(str(self.folder / "rack.mp4")) as file:
            pictures = [picture.to_ndarray(format="rgb24") for picture in file.decode(video=0)]
        self.assertEqual(len(pictures), 56)
        setup = Shot.objects.get(pk=shot.pk).setup
        for frame in (20, 75):
            lens = read_frame(setup, frame, SIZE).lens
            on_glass, on_ferries = (lens.near <= away <= (lens.far or 1e9) for away in (0.9, 17.0))
            self.assertNotEqual(on_glass, on_ferries)
        first, last = pictures[0], pictures[-1]
        self.assertGreater(detail(last, *FERRIES), 1.3 * detail(first, *FERRIES))
        self.assertGreater(detail(first, *GLASS), 1.3 * detail(last, *GLASS))

    def test_marks_keys_and_holds(self) -> None:
        shot, page = self.open("Tea glass"), self.page

        # A subject that is pointed at gets a mark that moves with it; pointed at by keys alone.
        self.go(40)
        self.point_at(*GLASS)
        found = self.now(shot, 3)
        self.assertEqual([(mark.name, mark.subject) for mark in found.focus.marks], [("Tea glass", "glass0")])
        self.assertEqual(found.focus.distance.keys[-1].mark, found.focus.marks[0].id)

        # A mark typed, dragged like tape on a lens, put on a key: the pull follows it.
        page.get_by_label("Distance of a new mark").fill("4")
        page.get_by_role("button", name="Add mark").click()
        self.now(shot, 4)
        self.go(70)
        page.get_by_role("button", name="Key here").last.click()
        self.now(shot, 5)
        page.get_by_label("On the mark").select_option("Mark B")
        found = self.now(shot, 6)
        self.assertEqual(resolve(found, 70, SIZE).focus, 4.0)
        page.locator("[data-mark]").last.focus()
        tape = found.focus.marks[1].id
        self.drag(page.locator(f'[data-mark="{tape}"]'), 0, -14)
        found = self.now(shot, 7)
        self.assertGreater(resolve(found, 70, SIZE).focus, 4.2)

        # Keys: nudged, copied and pasted, given a free ease, deleted; undo brings them back.
        page.locator('[data-focus="70"]').focus()
        page.keyboard.press("ArrowLeft")
        self.assertEqual(self.now(shot, 8).focus.distance.keys[-1].frame, 69)
        page.keyboard.press("Control+c")
        self.go(74)
        page.get_by_role("button", name="Paste at the playhead").click()
        self.assertEqual([key.frame for key in self.now(shot, 9).focus.distance.keys][-2:], [69, 74])
        page.get_by_role("group", name="Ease").get_by_role("button", name="Free").click()
        self.now(shot, 10)
        page.get_by_label("out, time").fill("0.9")
        page.get_by_label("out, time").press("Enter")
        self.assertEqual(self.now(shot, 11).focus.distance.keys[-1].ease.x1, 0.9)  # type: ignore[union-attr]
        page.locator('[data-focus="74"]').focus()
        page.keyboard.press("Delete")
        self.assertEqual(self.now(shot, 12).focus.distance.keys[-1].frame, 69)

        # From here stay on a subject; the report lists it all.
        self.go(72)
        page.get_by_label("From here stay on a subject").select_option("Tea glass")
        found = self.now(shot, 13)
        self.assertEqual((found.focus.distance.keys[-1].frame, found.focus.distance.keys[-1].ease.value), (72, "hold"))  # type: ignore[union-attr]
        page.goto(f"/shots/{shot.pk}/report/")
        page.get_by_role("heading", name="Camera report").wait_for()
        self.assertIn("Tea glass, 0.90 m", page.locator(".report-table").last.inner_text())

    def test_a_pull_is_performed_and_tables_go_out_and_in(self) -> None:
        shot, page = self.open("Tea glass"), self.page
        for frame in range(20, 76):  # ready, so that it plays without waiting
            self.page.evaluate(f"Alpine.store('viewer').fetchFrame({frame})")
        page.wait_for_timeout(3000)
        self.go(20)
        page.get_by_role("button", name="Arm the wheel").click()
        wheel = page.get_by_role("slider", name="Hand wheel")
        wheel.focus()
        page.evaluate("Alpine.store('viewer').toggle()")
        for _ in range(24):
            page.keyboard.press("ArrowRight")
            page.wait_for_timeout(30)
        page.get_by_text("dioptres off your hand").wait_for()
        found = self.now(shot, 3)
        self.assertGreater(len(found.focus.distance.keys), 2)
        self.assertLess(len(found.focus.distance.keys), 25)
        ends = [resolve(found, frame, SIZE).focus for frame in (20, 74)]
        self.assertGreater(ends[1], ends[0] * 1.01)  # how far depends on how many of the presses the play outlasts

        with page.expect_download() as download:
            page.get_by_role("link", name="Focus table").click()
        path = self.folder / "focus.csv"
        download.value.save_as(path)
        rows = path.read_text().splitlines()
        self.assertEqual(len(rows), 57)
        path.write_text("\n".join([rows[0], *(row.replace(row.split(",")[2], "3.5", 1) for row in rows[1:])]))
        page.set_input_files("#focus-file", str(path))
        self.assertAlmostEqual(resolve(self.now(shot, 4), 50, SIZE).focus, 3.5)
        page.set_input_files("#focus-file", {"name": "tides.csv", "mimeType": "text/csv", "buffer": b"a tide table"})
        page.get_by_text("This is no focus table").wait_for()

        # Another value over time in a row of its own: a key by a double press, moved by keys.
        page.get_by_label("Another row").select_option(label="f-number")
        box = self.box_of(page.locator(".chart-row svg"))
        page.mouse.dblclick(box["x"] + box["width"] * 0.4, box["y"] + 30)
        self.assertEqual(len(self.now(shot, 5).lens.f_number.keys), 2)
        page.locator("[data-row]").last.focus()
        page.keyboard.press("ArrowUp")
        keys = self.now(shot, 6).lens.f_number.keys
        self.assertGreater(keys[1].value, keys[0].value)
