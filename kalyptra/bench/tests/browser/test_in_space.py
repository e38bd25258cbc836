"""A shot in space, as somebody meets it: set on a card, pushed in on, pulled from its first line to its last, rendered."""

from __future__ import annotations

from contextlib import closing
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.bench.tests.browser.case import BrowserCase
from kalyptra.bench.tests.browser.test_finish import frames_of
from kalyptra.core import HeldPicture, Setup, Sources, open_clip, read_setup, render_frame, resolve
from kalyptra.library import revisions
from kalyptra.library.demo import load_demo
from kalyptra.library.files import local_path
from kalyptra.library.models import Shot

LAST = 8
LINES = 540
FIRST_LINE, LAST_LINE = 0.4, 0.72
"""Shares of the picture's height at which the page's first and last line are seen."""


class InSpace(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        load_demo()
        self.be_editor()
        short = {"footage": {"first": 0, "last": LAST}, "output": {"height": LINES}}
        shot = self.shot
        revisions.save(shot.pk, shot.head, read_setup(shot.setup.model_dump(mode="json") | short), None)
        self.head = self.shot.head
        self.page.goto(f"/shots/{shot.pk}/")
        self.revision_shown(self.head)

    @property
    def shot(self) -> Shot:
        return Shot.objects.get(title="Tide table")

    def now(self) -> Setup:
        self.page.evaluate("Alpine.store('shot').settled()")
        return self.shot.setup

    def away(self, setup: Setup, frame: int, y: float) -> float:
        """Metres of the card at a share of the picture's height, in its middle."""
        facts = self.shot.media.facts
        found = resolve(setup, frame, (facts.width, facts.height)).space
        assert found is not None
        return 1 / found.cards[0].seen.plane.dioptres(facts.width / 2, y * facts.height)

    def test_a_page_is_pulled_over_from_its_first_line_to_its_last_and_sharp_where_the_focus_lies(self) -> None:
        page = self.page
        page.locator('.stage[data-stage="footage"]').click()
        page.get_by_role("switch", name="On a card in space").check()
        self.revision_shown(self.head + 1)
        self.put("Card tilt", "52")
        self.revision_shown(self.head + 2)
        page.get_by_role("button", name="Slow push").click()
        self.revision_shown(self.head + 3)
        page.locator('.stage[data-stage="lens"]').click()
        self.put("f-number", "0.7")
        self.revision_shown(self.head + 4)
        page.locator('.stage[data-stage="pull"]').click()
        made, head = self.now(), self.head + 4
        keys = [{"frame": frame, "value": round(self.away(made, frame, y), 4), "ease": "eased"}
                for frame, y in ((0, FIRST_LINE), (LAST, LAST_LINE))]  # fmt: skip
        page.evaluate("keys => Alpine.store('shot').commit([{ do: 'put-keys', path: 'focus.distance', keys }, "
                      "{ do: 'drop-keys', path: 'focus.distance', frames: Array.from({ length: 120 }, (_, i) => i + 9) }])", keys)  # fmt: skip
        self.revision_shown(head + 1)
        page.locator(".bench-head").get_by_role("button", name="Render").click()
        page.get_by_role("button", name="High", exact=True).click()
        page.get_by_role("button", name="Render this shot").click()
        with page.expect_download() as download:
            page.get_by_role("link", name="Download").first.click()
        rendered, setup = frames_of(Path(download.value.path())), self.now()
        self.assertEqual(len(rendered), LAST + 1)
        for frame in (0, LAST // 2, LAST):
            row = self.sharpest(rendered[frame], self.pinhole(setup, frame))
            focus = page.evaluate(f"Alpine.store('shot').at({frame}).lens.focus")  # what the chart says
            self.assertAlmostEqual(self.away(setup, frame, (row + 0.5) / LINES) / focus, 1, delta=0.06)

    def test_cards_are_brought_cut_out_placed_by_their_corners_and_the_camera_is_moved_in_the_plan(self) -> None:
        page, points = self.page, ((900, 500), (1300, 500), (1300, 900), (900, 900))
        box = [{"id": i, "x": x, "y": y} for i, (x, y) in enumerate(points)]
        pinned = {"id": "note", "name": "Pinned note", "distance": {"keys": [{"frame": 0, "value": 0.5}]},
                  "matte": {"kind": "outline", "outlines": [{"id": "edge1", "shape": {"keys": [{"frame": 0, "value": {"points": box}}]},
                            "placement": {"keys": [{"frame": 0, "value": [1, 0, 0, 0, 1, 0, 0, 0]}]}}]}}  # fmt: skip
        revisions.save(
            self.shot.pk,
            self.head,
            read_setup(
                self.shot.setup.model_dump(mode="json") | {"subjects": [pinned], "footage": {"first": 0, "last": 1}}
            ),
            None,
        )
        page.reload()
        page.locator('.stage[data-stage="footage"]').click()
        page.get_by_role("switch", name="On a card in space").check()
        page.get_by_label("Cut out a subject").select_option("Pinned note")
        cards = page.get_by_role("list", name="Cards").get_by_role("button")
        cards.filter(has_text="Pinned note").wait_for()
        title = np.zeros((100, 400, 4), np.uint8)
        title[20:80, 20:380] = (255, 240, 230, 255)
        page.get_by_label("Bring a picture").set_input_files({"name": "Evening.png", "mimeType": "image/png",
                                            "buffer": cv2.imencode(".png", title)[1].tobytes()})  # fmt: skip
        cards.filter(has_text="Evening").wait_for()
        corner = page.get_by_role("button", name="Upper right corner of Evening")
        corner.wait_for()
        across = "Number(document.querySelector('[data-handle=\"1\"]')?.getAttribute('cx') ?? 0)"
        before = page.evaluate(across)
        self.drag(corner, -40, 30)
        self.until(lambda: self.now().space.cards[1].turn.keys[0].value != 0)  # type: ignore[union-attr]
        scale = page.evaluate("Alpine.store('shot').clip.width") / page.locator(".picture canvas").first.evaluate(
            "canvas => canvas.getBoundingClientRect().width"
        )
        self.until(lambda: abs(page.evaluate(across) - before + 40 * scale) < 8 * scale)
        page.get_by_role("button", name="Slow push").click()
        last = page.get_by_role("button", name="The camera at frame 1")
        self.drag(last, 30, 0)
        self.until(lambda: self.now().space.camera.across.keys[0].value > 0.01)  # type: ignore[union-attr]
        page.get_by_role("button", name="From the side").click()
        card = page.get_by_role("button", name="Evening, its middle")
        card.focus()
        height = lambda: self.now().space.cards[1].up.keys[0].value  # type: ignore[union-attr]  # noqa: E731
        start = height()
        card.press("Shift+ArrowUp")
        self.until(lambda: height() > start + 0.005)
        tenth = (height() - start) / 10
        for _ in range(5):  # quicker than each is saved: none is lost
            page.keyboard.press("ArrowUp")
        self.until(lambda: abs(height() - start - 15 * tenth) < tenth / 2)
        self.put("Focal length in space", "35")
        self.until(lambda: self.now().space.camera.focal_length_mm.keys[0].value == 35)  # type: ignore[union-attr]
        page.get_by_label("Bring a picture").set_input_files(
            {"name": "words.png", "mimeType": "image/png", "buffer": b"no picture"}
        )
        page.get_by_text("This is no footage that Kalyptra reads").first.wait_for()
        cards.filter(has_text="Evening").click()
        page.locator('section[data-stage="footage"]').get_by_role("button", name="Delete").click()
        self.until(lambda: [card.name for card in self.now().space.cards] == ["Pinned note"])  # type: ignore[union-attr]
        # What was chosen is gone: the fields are those of the shot's own card.
        own = self.now().space.card.distance.keys[0].value  # type: ignore[union-attr]
        field = page.get_by_role("textbox", name="Card distance", exact=True)
        self.until(lambda: abs(float(field.input_value() or 0) - own) < 0.001)

    def test_a_picture_is_named_moved_whole_seen_over_the_page_in_the_file_and_switched_off(self) -> None:
        page = self.page
        page.locator('.stage[data-stage="footage"]').click()
        page.get_by_role("switch", name="On a card in space").check()
        title = np.zeros((100, 400, 4), np.uint8)
        title[20:80, 20:380] = (40, 255, 40, 255)
        page.get_by_label("Bring a picture").set_input_files({"name": "Evening.png", "mimeType": "image/png",
                                            "buffer": cv2.imencode(".png", title)[1].tobytes()})  # fmt: skip
        cards = page.get_by_role("list", name="Cards").get_by_role("button")
        cards.filter(has_text="Evening").wait_for()
        self.put("Card name", "First star")
        cards.filter(has_text="First star").wait_for()
        before = self.now().space.cards[0]  # type: ignore[union-attr]
        self.drag(page.locator('.card-edge.chosen[data-act="card"]'), 40, -30)
        self.until(lambda: self.now().space.cards[0].across.keys[0].value > before.across.keys[0].value)  # type: ignore[union-attr]
        after = self.now().space.cards[0]  # type: ignore[union-attr]
        self.assertGreater(after.up.keys[0].value, before.up.keys[0].value)
        shares = []
        for seen in (True, False):
            if not seen:
                page.locator('.stage[data-stage="footage"]').click()
                page.locator('section[data-stage="footage"]').get_by_role("switch", name="Seen").uncheck()
                self.until(lambda: not self.now().space.cards[0].enabled)  # type: ignore[union-attr]
            page.locator(".bench-head").get_by_role("button", name="Render").click()
            page.get_by_role("button", name="Render this shot").click()
            page.get_by_role("link", name="Download").nth(len(shares)).wait_for()
            with page.expect_download() as download:
                page.get_by_role("link", name="Download").first.click()
            codes = frames_of(Path(download.value.path()))[0].astype(int)
            shares.append(float((codes[..., 1] - codes[..., [0, 2]].max(axis=2) > 80).mean()))
        self.assertGreater(shares[0], 0.01)
        self.assertLess(shares[1], 0.001)

    def put(self, words: str, value: str) -> None:
        field = self.page.get_by_role("textbox", name=words, exact=True).locator("visible=true").first
        field.fill(value)
        field.press("Enter")

    def pinhole(self, setup: Setup, frame: int) -> NDArray[np.uint8]:
        """The same frame without blur."""
        media = self.shot.media
        sharp = read_setup(
            setup.model_dump(mode="json") | {"finish": {"strength": {"keys": [{"frame": 0, "value": 0}]}}}
        )
        with closing(open_clip(local_path(media.file), media.facts)) as reader:
            codes = render_frame(
                sharp, frame, Sources(HeldPicture(media.facts, reader.picture(frame)), media.facts.width)
            )
        return np.asarray(cv2.resize(codes, (LINES * 16 // 9, LINES), interpolation=cv2.INTER_AREA))

    @staticmethod
    def sharpest(blurred: NDArray[np.uint8], sharp: NDArray[np.uint8]) -> int:
        """The row of the picture's middle that lost least of its detail."""
        middle = slice(LINES * 8 // 9 - 160, LINES * 8 // 9 + 160)
        detail = [
            np.abs(np.diff(picture[:, middle, 1].astype(float), axis=1)).mean(axis=1) for picture in (blurred, sharp)
        ]
        kept, whole = (np.convolve(part, np.ones(31) / 31, "same") for part in detail)
        return int(np.argmax(np.where(whole > 2.5, kept / np.maximum(whole, 1e-6), 0)))
