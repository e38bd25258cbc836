"""Distances in the browser: sources by recipe and by hand, on the picture and from above, a map file, and advice."""

from __future__ import annotations

import random
import re

import cv2
import numpy as np

from kalyptra.bench.tests.browser.case import BrowserCase
from kalyptra.core import Setup, resolve
from kalyptra.core.setup.time.easing import Handles
from kalyptra.core.setup.time.keyed import Keyed, mix_distance, mix_linear
from kalyptra.library.demo import load_demo
from kalyptra.library.models import Shot


class Distances(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        load_demo()
        self.be_editor()

    def open(self, title: str) -> Shot:
        self.page.goto(f"/shots/{Shot.objects.get(title=title).pk}/")
        self.revision_shown(1)
        self.page.locator('.stage[data-stage="distance"]').click()
        self.page.locator(".plan-focus").first.wait_for(state="attached")
        return Shot.objects.get(title=title)

    def setup_of(self, shot: Shot, revision: int) -> Setup:
        self.revision_shown(revision, self.page.evaluate("Alpine.store('viewer').view"))
        return Shot.objects.get(pk=shot.pk).setup

    def pointed(self, x: float, y: float) -> str:
        """What is said of the distance at a share of the picture."""
        box = self.box_of(self.page.locator(".picture canvas:not(.second)"))
        self.page.mouse.move(box["x"] + x * box["width"], box["y"] + y * box["height"])
        self.page.locator("[data-pointed]").wait_for()
        return self.page.locator("[data-pointed]").inner_text()

    def settle(self) -> None:
        self.page.wait_for_timeout(150)
        self.until("!Alpine.store('shot').saving")
        self.page.evaluate("Alpine.store('survey').settled()")

    def test_a_street_by_recipe_and_then_by_hand(self) -> None:
        shot, page = self.open("Harbour from above"), self.page

        page.get_by_label("Start from").select_option("street")
        found = self.setup_of(shot, 2)
        self.assertEqual([source.kind for source in found.distance.sources], ["backdrop", "ground"])

        # The horizon is dragged on the picture, and what lies under the pointer says so.
        self.drag(page.locator('[data-handle="horizon"]'), 0, -60)
        found = self.setup_of(shot, 3)
        ground = found.distance.sources[1]
        self.assertLess(ground.horizon.keys[0].value, 302.4 - 60)
        self.settle()
        shape = resolve(found, 0, (1280, 720)).sources[1].shape
        said = float(self.pointed(0.5, 0.9).split()[0])
        self.assertAlmostEqual(said, 1 / shape.dioptres(640, 648), delta=0.04 * said)

        # A plane of two pins: a distance typed, and one pin moved by keys, nearer by keys.
        page.get_by_role("button", name="Plane", exact=True).click()
        self.revision_shown(4)
        page.get_by_label("Pin 1", exact=True).first.fill("2")
        page.get_by_label("Pin 1", exact=True).first.press("Enter")
        self.revision_shown(5)
        page.locator('[data-handle="pin1"]').focus()
        page.keyboard.press("Shift+ArrowDown")
        page.keyboard.press("Alt+ArrowDown")
        found = self.setup_of(shot, 7)
        near, far = found.distance.sources[2].pins
        self.assertEqual(near.distance.keys[0].value, 2)
        self.assertEqual(far.place.keys[0].value, (640, 154))
        before = resolve(found, 0, (1280, 720)).focus * 4
        self.assertLess(far.distance.keys[0].value, before)

        # From above, the pin and the focus are dragged; the scene is the same one.
        self.settle()
        self.drag(page.locator('.plan [data-grab="pin0"]'), 0, 14)
        found = self.setup_of(shot, 8)
        self.assertLess(found.distance.sources[2].pins[0].distance.keys[0].value, 2)
        focus = resolve(found, 0, (1280, 720)).focus
        page.locator('.plan [data-grab="focus"]').focus()
        page.keyboard.press("Shift+ArrowDown")
        self.assertLess(resolve(self.setup_of(shot, 9), 0, (1280, 720)).focus, focus)

        # In feet, everything says so; the setup stays in metres.
        page.get_by_role("button", name="Metres", exact=True).click()
        self.assertIn(" ft", self.pointed(0.5, 0.9))
        page.get_by_label("Pin 1", exact=True).first.fill("10")
        page.get_by_label("Pin 1", exact=True).first.press("Enter")
        self.assertAlmostEqual(self.setup_of(shot, 10).distance.sources[2].pins[0].distance.keys[0].value, 3.048)
        page.get_by_role("button", name="Feet", exact=True).click()

        # The map beside the picture, in false colours: lighter where it is nearer.
        page.get_by_role("button", name="Distance", exact=True).click()
        self.revision_shown(10, "distance")
        self.assertGreater(sum(self.pixel(0.5, 0.95)), sum(self.pixel(0.5, 0.1)) + 60)

    def test_a_map_file_the_wrong_way_round_is_told_and_turned(self) -> None:
        shot, page = self.open("Tide table"), self.page
        codes = np.tile(np.linspace(65535, 0, 90).astype(np.uint16)[:, None], (1, 160))  # light above, as if near
        path = self.folder / "pass.png"
        cv2.imwrite(str(path), codes)
        page.set_input_files("#map-file", str(path))
        page.get_by_text("pass.png, one picture for all frames.").wait_for()
        self.assertEqual([source.kind for source in self.setup_of(shot, 2).distance.sources], ["corners", "map"])
        page.get_by_role("button", name=re.compile(r"^\d+ notes?$")).click()
        notes = page.get_by_label("Proof notes")
        notes.get_by_text("may be the wrong way round").wait_for()
        notes.get_by_role("button", name="Turn it").click()
        self.assertFalse(self.setup_of(shot, 3).distance.sources[1].white_is_near)
        self.settle()
        self.assertEqual(notes.get_by_text("may be the wrong way round").count(), 0)
        page.keyboard.press("Escape")
        self.assertLess(float(self.pointed(0.5, 0.97).split()[0]), float(self.pointed(0.5, 0.05).split()[0]))

        # Stops: added by a double press on the line, taken away by a key.
        page.get_by_role("button", name="Stops", exact=True).click()
        self.revision_shown(4)
        line = self.box_of(page.locator('[data-act="way"]').first)
        page.mouse.dblclick(line["x"] + line["width"] / 2, line["y"] + line["height"] * 0.4)
        self.assertEqual(len(self.setup_of(shot, 5).distance.sources[2].stops), 3)
        page.locator('[data-handle="stop1"]').focus()
        page.keyboard.press("Delete")
        self.assertEqual(len(self.setup_of(shot, 6).distance.sources[2].stops), 2)

        # Of maps of blur white is blurred most; of all others it is near.
        page.get_by_role("list", name="Sources").get_by_role("button", name="pass.png").click()
        values = page.get_by_role("group", name="Its values are")
        for revision, (words, near) in enumerate((("Blur", False), ("1/z", True)), 7):
            values.get_by_role("button", name=words, exact=True).click()
            self.assertEqual(self.setup_of(shot, revision).distance.sources[1].white_is_near, near)

    def test_a_runner_stands_on_the_quay(self) -> None:
        shot, page = self.open("Parcel runner"), self.page
        page.locator('.stage[data-stage="subjects"]').click()
        page.get_by_label("Stands on").select_option("")
        self.assertIsNone(self.setup_of(shot, 2).subjects[0].standing)
        page.get_by_label("Stands on").select_option("quay")
        page.get_by_text("Its foot is known in").wait_for()
        self.settle()
        standing = Shot.objects.get(pk=shot.pk).setup.subjects[0].standing
        assert standing
        self.assertGreater(len(standing.feet), 40)

    def test_the_page_moves_values_as_the_server_does(self) -> None:
        self.open("Tide table")
        chance = random.Random(4)
        for name, mix in (("distance", mix_distance), ("width", mix_linear)):
            frames = sorted(chance.sample(range(200), 6))
            eases = [
                "hold",
                "linear",
                "eased",
                Handles(x1=0.2, y1=-0.3, x2=0.9, y2=1.2),
                Handles(x1=0.9, y1=0, x2=0.3, y2=1),
            ]
            keys = [{"frame": f, "value": chance.uniform(0.5, 20), "ease": e if isinstance(e, str) else e.model_dump()}
                    for f, e in zip(frames, [*eases, "eased"], strict=True)]  # fmt: skip
            keyed = Keyed[float].model_validate({"keys": keys})
            at = [chance.uniform(-5, 205) for _ in range(60)] + frames
            script = "([keyed, at, name]) => import('/static/bench/keys.js').then((m) => at.map((f) => m.keyedAt(keyed, f, name)))"
            ours = self.page.evaluate(script, [{"keys": keys}, at, name])
            np.testing.assert_allclose(ours, [keyed.at(f, mix) for f in at], rtol=1e-6)
