"""A found matte from the first mark to the rendered file: marks, following, a mend, the plate, and the render."""

from __future__ import annotations

from contextlib import closing
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.bench.tests.browser.case import BrowserCase
from kalyptra.core import FoundMatte, PlateSource, Sources, View, coverage_of, open_clip, read_setup, render_frame
from kalyptra.core.tests.moving import texture
from kalyptra.core.tests.test_demo_truth import DEMO, frames_of
from kalyptra.library import revisions, store
from kalyptra.library.demo import load_demo
from kalyptra.library.models import Shot

LAST = 14

ASKED_WHILE_WORKING = """() => {
  window.askedFor = [];
  const plain = window.fetch;
  window.fetch = (url, ...rest) => {
    const frame = /frames\\/\\d+\\/(\\d+)/.exec(url)?.[1];
    if (frame && Alpine.store("work").now) window.askedFor.push([Number(frame), Alpine.store("viewer").frame]);
    return plain(url, ...rest);
  };
}"""
"""Notes which frame is asked for, and which is shown, while something is followed."""


class FoundLoop(BrowserCase):
    size = (1280, 720)
    """Px of the clip that is looked at."""

    def setUp(self) -> None:
        super().setUp()
        load_demo()
        shot = Shot.objects.get(title="Parcel runner")
        footage = shot.setup.footage.model_copy(update={"last": LAST})
        revisions.save(shot.pk, shot.head, shot.setup.model_copy(update={"footage": footage, "subjects": ()}), None)
        self.shot_id = shot.pk
        self.truth = frames_of(DEMO / "runner" / "matte.mkv", "gray", set(range(LAST + 1)))
        self.be_editor()
        self.page.goto(f"/shots/{shot.pk}/")
        self.page.wait_for_selector("canvas[data-shown]")

    @property
    def shot(self) -> Shot:
        return Shot.objects.get(pk=self.shot_id)

    @property
    def matte(self) -> FoundMatte:
        matte = self.shot.setup.subjects[-1].matte
        assert isinstance(matte, FoundMatte)
        return matte

    def overlap(self, frame: int) -> float:
        """Intersection over union (Perazzi et al., CVPR 2016) with the truth."""
        name = self.matte.at(frame)
        assert name
        true = self.truth[frame] > 127
        mine = cv2.resize(coverage_of(store.local().picture(name)), true.shape[::-1]) > 0.5
        return float((mine & true).sum() / (mine | true).sum())

    def stroke(self, *points: tuple[float, float]) -> None:
        head = self.shot.head
        box = self.box_of(self.page.locator('svg[aria-label="Outlines on the picture"]'))
        places = [
            (box["x"] + x / self.size[0] * box["width"], box["y"] + y / self.size[1] * box["height"]) for x, y in points
        ]
        self.page.mouse.move(*places[0])
        self.page.mouse.down()
        for place in places[1:]:
            self.page.mouse.move(*place, steps=4)
        self.page.mouse.up()
        self.saved(head + 1)

    def saved(self, number: int) -> None:
        self.page.wait_for_selector(f'canvas[data-shown^="{number}|"]')

    def worked(self, head: int) -> None:
        self.page.wait_for_selector(f'canvas[data-shown^="{head + 1}|"]')
        self.page.get_by_text("From here").wait_for()

    def test_marks_follow_mend_plate_render(self) -> None:
        page = self.page
        head = self.shot.head

        # Two strokes find the runner; a third one that was wrong is undone by itself.
        page.get_by_role("button", name="Stroke", exact=True).click()
        self.saved(head + 1)
        self.stroke((465, 300), (478, 340), (470, 400), (500, 420))
        self.stroke((455, 440), (462, 490))
        good = self.overlap(0)
        self.assertGreater(good, 0.85)
        self.stroke((800, 300), (860, 320))
        self.assertLess(self.overlap(0), good)
        page.get_by_role("button", name="3 keep").click()
        self.saved(head + 5)
        self.assertAlmostEqual(self.overlap(0), good, places=2)

        # Followed ahead; the strip and the words know what each frame is. Meanwhile the page asks for no other picture
        # than the one that it shows: the machine is left to the work.
        head = self.shot.head
        page.evaluate(ASKED_WHILE_WORKING)
        page.get_by_role("button", name="Follow ahead to the end").click()
        page.get_by_text("It is being followed.").wait_for()
        self.assertEqual(page.get_by_text("no matte here").count(), 0)
        page.wait_for_selector("img.newest[src*='newest.png']")  # mattes are seen as they come
        self.worked(head)
        self.assertEqual([frame.frame for frame in self.matte.frames], list(range(1, LAST + 1)))
        self.assertGreater(np.mean([self.overlap(t) for t in range(LAST + 1)]), 0.83)
        page.get_by_text("This frame: followed, confidence 0.").wait_for()
        asked = page.evaluate("window.askedFor")
        self.assertGreater(len(asked), 0)
        self.assertEqual([asked_for for asked_for, shown in asked if asked_for != shown], [])

        # Mended at the last frame: the lantern, which is a part of its own, is kept, too. Back from there it is blended in.
        lantern = self.lantern(LAST)
        before = self.overlap(LAST)
        head = self.shot.head
        page.get_by_label("Width of the brush").fill("14")
        page.get_by_label("Width of the brush").press("Enter")
        page.get_by_role("group", name="Brush").get_by_role("button", name="Keep").click()
        self.stroke(lantern, (lantern[0] + 1, lantern[1] + 3))
        self.assertGreater(self.overlap(LAST), before + 0.005)
        self.assertEqual([key.frame for key in self.matte.keys], [0, LAST])
        between = self.overlap(LAST - 2)
        page.get_by_role("button", name="Follow back to the start").click()
        self.worked(head + 1)
        self.assertGreaterEqual(self.overlap(LAST - 2), between - 0.02)
        self.assertEqual([key.frame for key in self.matte.keys], [0, LAST])

        # The plate: recovered, and better than filled by the truth's measure.
        head = self.shot.head
        page.get_by_role("button", name="Recover", exact=True).click()
        self.worked(head)
        page.get_by_text(f"Recovered at {LAST + 1} of {LAST + 1} frames").wait_for()
        self.assertLess(self.plate_error("recovered"), 0.8 * self.plate_error("filled"))
        page.get_by_label("More to look at").select_option("seen")
        self.revision_shown(head + 1, "seen")
        page.get_by_label("More to look at").select_option("edges")
        self.revision_shown(head + 1, "edges")
        page.get_by_role("button", name="Undo", exact=True).first.click()
        self.saved(head)
        page.get_by_role("button", name="Redo").click()
        self.saved(head + 1)

        # Rendered; outside the matte the picture is the lens', inside it is the source, for focus lies on the runner.
        page.get_by_role("banner").get_by_role("button", name="Render").click()
        page.get_by_role("button", name="Render this shot").click()
        with page.expect_download() as caught:
            page.get_by_role("link", name="Download").click(timeout=180_000)
        path = Path(self.folder / "render.mp4")
        caught.value.save_as(path)
        result, source = self.frame_of(path, 8), self.frame_of(DEMO / "runner" / "clip.mp4", 8)
        inside = cv2.erode((self.truth[8] > 250).astype(np.uint8), np.ones((15, 15), np.uint8)) > 0
        inside[:, 540:] = False  # the lantern's own place is small
        self.assertGreater(inside.sum(), 1000)
        self.assertLess(float(np.abs(result - source)[inside].mean()), 6)
        outside = cv2.dilate((self.truth[8] > 5).astype(np.uint8), np.ones((41, 41), np.uint8)) == 0
        self.assertLess(detail(result, outside), 0.6 * detail(source, outside))

    def test_where_a_matte_is_in_doubt_a_disc_lies_over_the_picture(self) -> None:
        solid = np.zeros((270, 480), np.uint8)
        solid[90:200, 160:260] = 255
        torn = solid.copy()
        torn[150:190, 200:240] = 120
        names = [store.local().keep(matte) for matte in (solid, torn, solid)]
        frames = [
            [i, name, sure, "followed"] for i, (name, sure) in enumerate(zip(names, (0.9, 0.2, 0.9), strict=True))
        ]
        subject = {"id": "runner", "name": "Runner", "matte": {"kind": "found", "frames": frames},
                   "distance": {"keys": [{"frame": 0, "value": 9}]}}  # fmt: skip
        setup = read_setup(self.shot.setup.model_dump(mode="json") | {"subjects": [subject]})
        head = revisions.save(self.shot_id, self.shot.head, setup, None).head
        page = self.page
        page.reload()
        self.saved(head)
        page.get_by_role("button", name="Subjects").click()
        self.choose_subject("Runner")
        disc = page.get_by_role("img", name="The matte is in doubt here")
        page.get_by_text("This frame: followed, confidence 0.9").wait_for()
        self.assertEqual(disc.count(), 0)
        page.keyboard.press("ArrowRight")
        disc.wait_for()
        place = [float(disc.get_attribute(what) or 0) for what in ("cx", "cy")]
        self.assertLess(np.hypot(place[0] - 220 * 1280 / 480, place[1] - 170 * 1280 / 480), 40)

    def test_who_leaves_the_picture_and_comes_back_is_followed_on_and_the_page_says_where_it_was_gone(self) -> None:
        page, self.size = self.page, (480, 270)
        places = [*(110.0 + 6 * i for i in range(6)), *(None,) * 4, *(330.0 - 6 * i for i in range(6))]
        path = self.folder / "thermos.mp4"
        with av.open(str(path), "w") as container:
            stream = container.add_stream("libx264", rate=25, options={"crf": "12"})
            stream.width, stream.height, stream.pix_fmt = *self.size, "yuv420p"
            for place in places:
                codes = np.clip(texture(4, self.size[::-1], (0.2, 0.3, 0.45)), 0, 255).astype(np.uint8)
                if place is not None:
                    cv2.circle(codes, (int(place), 140), 40, (214, 92, 60), -1, cv2.LINE_AA)
                container.mux(stream.encode(av.VideoFrame.from_ndarray(codes, format="rgb24")))
            container.mux(stream.encode(None))
        page.goto("/")
        page.get_by_label("New project").fill("Night ferries")
        page.get_by_role("button", name="Make it").click()
        page.wait_for_selector("[x-data=project]")
        page.wait_for_load_state("networkidle")
        page.set_input_files("#footage", str(path))
        page.get_by_text("ready", exact=True).wait_for()
        page.get_by_role("link", name="thermos").click()
        self.saved(1)
        self.shot_id = Shot.objects.get(project__title="Night ferries").pk
        page.get_by_role("button", name="Subjects").click()
        page.get_by_role("button", name="Stroke", exact=True).click()
        self.saved(2)
        self.stroke((90, 125), (130, 125), (130, 160), (90, 160))
        page.get_by_role("button", name="Follow ahead to the end").click()
        self.worked(3)
        for key, words in (("End", "followed"), ("Home", "made by hand")):
            page.keyboard.press(key)
            page.get_by_text(f"This frame: {words}").wait_for()
        for _ in range(7):
            page.keyboard.press("ArrowRight")
        page.get_by_text("This frame: hardly seen, confidence 0").wait_for()
        last = coverage_of(store.local().picture(self.matte.at(15) or ""))
        middle = cv2.moments(last)["m10"] / last.sum() * self.size[0] / last.shape[1]
        self.assertAlmostEqual(middle, 300, delta=4)

    def plate_error(self, source: str) -> float:
        """Mean difference of frame 8's plate from the truth, of 255, where other frames show what is behind."""
        shot = self.shot
        plate = shot.setup.plate.model_copy(update={"source": PlateSource(source)})
        facts = shot.media.facts
        with closing(open_clip(DEMO / "runner" / "clip.mp4", facts)) as footage:
            sources = Sources(footage, facts.width, store.local())
            made = render_frame(shot.setup.model_copy(update={"plate": plate}), 8, sources, View.PLATE)
        true = cv2.imread(str(DEMO / "runner" / "plate-008.webp"))[..., ::-1]
        patch = next(patch for patch in shot.setup.plate.patches if patch.frame == 8)
        often = store.local().picture(patch.picture)[..., 3]
        seen = np.zeros(true.shape[:2], bool)
        seen[patch.top :, patch.left :][: often.shape[0], : often.shape[1]] = (often > 0) & (often < 255)
        self.assertGreater(seen.sum(), 2000)
        return float(np.abs(made.astype(float) - true)[seen].mean())

    def lantern(self, frame: int) -> tuple[float, float]:
        """The middle of the truth's second part."""
        count, _, facts, middles = cv2.connectedComponentsWithStats((self.truth[frame] > 127).astype(np.uint8))
        second = sorted(range(1, count), key=lambda i: -facts[i, cv2.CC_STAT_AREA])[1]
        return float(middles[second][0]), float(middles[second][1])

    def frame_of(self, path: Path, number: int) -> NDArray[np.float64]:
        with av.open(str(path)) as container:
            for i, picture in enumerate(container.decode(video=0)):
                if i == number:
                    return picture.to_ndarray(format="rgb24").astype(np.float64)
        raise AssertionError(f"{path} has no frame {number}")


def detail(picture: NDArray[np.float64], where: NDArray[np.bool_]) -> float:
    """How much fine structure a picture has: the mean of what a small blur takes away."""
    return float(np.abs(picture - cv2.GaussianBlur(picture, (0, 0), 1.5))[where].mean())
