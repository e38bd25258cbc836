"""What is worked out is met on the page: notes of every stage with their frames, what needs a look, softness, knobs."""

from __future__ import annotations

import re

from kalyptra.bench.tests.browser.case import BrowserCase
from kalyptra.core import Ground, Setup, read_frame
from kalyptra.library import revisions
from kalyptra.library.demo import load_demo
from kalyptra.library.models import Shot


class Shown(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        load_demo()
        self.be_editor()

    def open(self, title: str, **changed: object) -> None:
        """A shot of the demo, with parts of its setup put in force before."""
        shot = Shot.objects.get(title=title)
        if changed:
            document = shot.setup.model_dump(mode="json") | changed
            revisions.save(shot.pk, shot.head, Setup.model_validate(document), None)
        self.title, self.head = title, Shot.objects.get(title=title).head
        self.page.goto(f"/shots/{shot.pk}/")
        self.revision_shown(self.head)

    def now(self) -> Setup:
        self.page.evaluate("Alpine.store('shot').settled()")
        return Shot.objects.get(title=self.title).setup

    def stage(self, name: str) -> None:
        self.page.locator(f'.stage[data-stage="{name}"]').click()

    def test_notes_of_a_pull_are_shown_in_every_stage_with_their_frames_and_advice_is_put_away(self) -> None:
        glass = Shot.objects.get(title="Tea glass").setup.focus.model_dump(mode="json")
        fast = {"keys": [{"frame": 34, "value": 0.9}, {"frame": 37, "value": 17.0}]}
        self.open("Tea glass", focus=glass | {"distance": fast, "marks": []})
        self.page.locator('.stage[data-stage="pull"]').get_by_text("to look at").wait_for()
        button = self.page.get_by_role("button", name=re.compile(r"^\d+ notes?$"))
        for stage in ("footage", "subjects", "lens", "render"):
            self.stage(stage)
            self.assertTrue(button.is_visible(), stage)
        count = int(button.inner_text().split()[0])
        button.click()
        notes = self.page.get_by_label("Proof notes")
        row = notes.get_by_role("listitem").filter(has_text="faster than")
        row.get_by_role("button", name=re.compile(r"^Frame \d+")).click()
        self.page.wait_for_selector("canvas[data-shown$='|35'], canvas[data-shown$='|36'], canvas[data-shown$='|34']")
        notes.get_by_role("listitem").filter(has_text="Breathing is off").get_by_role("button", name="Put away").click()
        self.page.reload()
        self.page.get_by_role("button", name=re.compile(rf"^{count - 1} notes?$")).wait_for()

    def test_it_advises_to_grade_first_once_and_for_all_and_to_pause_after_long_work(self) -> None:
        self.open("Tea glass")
        self.stage("footage")
        button = self.page.get_by_role("button", name=re.compile(r"^\d+ notes?$"))
        notes = self.page.get_by_label("Proof notes")
        button.click()
        notes.get_by_role("listitem").filter(has_text="Grade the clip").get_by_role("button", name="Put away").click()
        self.open("Parcel runner")  # what is not about a shot stays away in all of them
        self.stage("footage")
        self.page.evaluate("Alpine.store('survey').settled()")
        self.assertEqual(self.page.get_by_text("Grade the clip before").count(), 0)
        self.page.get_by_role("slider", name="Softness", exact=True).press("ArrowRight")
        self.until(f"Alpine.store('shot').saved.revision > {self.head}")
        self.page.evaluate("Alpine.store('advice').since = 0")  # as if the shot had been worked on for long
        button.click()
        notes.get_by_role("listitem").filter(has_text="Pause, then judge").get_by_role(
            "button", name="Keep it and ask me later"
        ).click()
        self.until("Alpine.store('again').waiting !== null")
        self.assertEqual(self.page.get_by_text("Pause, then judge").count(), 0)

    def test_the_runner_says_how_many_frames_need_a_look(self) -> None:
        self.open("Parcel runner")
        self.page.locator('.stage[data-stage="subjects"]').get_by_text(re.compile(r"\d+ to look at")).wait_for()

    def test_softness_is_at_hand_in_every_stage_whatever_sets_the_opening(self) -> None:
        self.open("Parcel runner")
        slider = self.page.get_by_role("slider", name="Softness", exact=True)
        self.until("Alpine.store('shot').at(0)?.lens")  # numbers come after the picture
        before = self.page.evaluate("Alpine.store('shot').at(0).lens.softness")
        number = self.now().lens.f_number.keys[0].value
        for stage in ("footage", "pull"):
            self.stage(stage)
            slider.press("ArrowRight")
            self.revision_shown(self.head + 1)
            self.head += 1
        self.until(f"Alpine.store('shot').at(0).lens.softness > {before}")
        after = self.page.evaluate("Alpine.store('shot').at(0).lens.softness")
        # A disc's diameter goes with 1 over the f-number (thin lens).
        self.assertAlmostEqual(self.now().lens.f_number.keys[0].value, number * before / after, delta=0.003)
        self.stage("lens")
        self.page.get_by_role("button", name="Softness", exact=True).click()
        slider.fill("500")
        slider.dispatch_event("change")
        self.assertAlmostEqual(self.now().lens.softness.keys[0].value, 0.25 * 0.08 * 1280, places=1)

    def test_feathers_and_corners_are_dragged_on_the_picture(self) -> None:
        self.open("Harbour from above")
        self.stage("subjects")
        self.page.get_by_role("button", name="Four corners").first.click()
        self.revision_shown(self.head + 1)
        for act, field in (("feather-out", "feather_out"), ("feather-in", "feather_in")):
            before = getattr(self.now().subjects[-1].refine, field)
            away = 14 if act == "feather-out" else -14
            self.drag(self.page.locator(f'[data-act="{act}"]'), away, away)
            self.assertGreater(getattr(self.now().subjects[-1].refine, field), before + 8)
        self.drag(self.page.locator('[data-act="round"]'), 14, 14)
        points = self.now().subjects[-1].matte.outlines[0].shape.keys[-1].value.points  # type: ignore[union-attr]
        self.assertEqual(len(points), 8)

    def test_a_held_range_is_dragged_on_the_chart_and_goes_with_the_focus(self) -> None:
        self.open("Parcel runner")
        self.stage("lens")
        self.page.get_by_role("switch", name="Hold a range sharp").check()
        self.revision_shown(self.head + 1)
        before = self.now().lens.held
        self.drag(self.page.locator('[data-held="near"]'), 0, -12)
        self.revision_shown(self.head + 2)
        after = self.now().lens.held
        assert before is not None and after is not None
        self.assertGreater(after.near.keys[0].value, before.near.keys[0].value)  # up is farther
        self.page.get_by_role("switch", name="Goes with the focus").check()
        self.revision_shown(self.head + 3)
        self.page.get_by_label("Behind the focus", exact=True).fill("infinity")
        self.page.get_by_label("Behind the focus", exact=True).press("Enter")
        self.revision_shown(self.head + 4)
        self.page.get_by_label("Before the focus", exact=True).fill("0.4")
        self.page.get_by_label("Before the focus", exact=True).press("Enter")
        self.revision_shown(self.head + 5)
        self.page.locator('[data-held="near"]').press("ArrowDown")
        self.revision_shown(self.head + 6)
        rides = self.now().lens.held
        assert rides is not None and rides.rides
        self.assertGreaterEqual(rides.behind.keys[0].value, 99_000)
        # The same in the plan.
        self.stage("distance")
        self.page.locator('.plan [data-grab="near"]').press("ArrowDown")
        self.revision_shown(self.head + 7)
        nearer = self.now().lens.held
        assert nearer is not None
        self.assertGreater(nearer.before.keys[0].value, rides.before.keys[0].value)

    def test_a_ground_is_followed_with_the_camera_and_mended_by_a_key(self) -> None:
        runner = Shot.objects.get(title="Parcel runner").setup
        self.open("Parcel runner", footage=runner.footage.model_dump() | {"first": 0, "last": 8})
        self.stage("distance")
        self.page.get_by_role("list", name="Sources").get_by_role("button", name=re.compile("^Quay")).click()
        self.page.get_by_role("button", name="Follow the source ahead to the end").click()
        self.page.wait_for_selector(f'canvas[data-shown^="{self.head + 1}|"][data-shown$="|8"]')
        self.page.get_by_text("No frame needs a look.").locator("visible=true").wait_for()
        ground = self.now().distance.source("quay")
        assert isinstance(ground, Ground)
        self.assertEqual([step.frame for step in ground.steps], list(range(1, 9)))
        carried = float(self.page.get_by_role("textbox", name="Horizon", exact=True).input_value())
        self.assertNotEqual(carried, ground.horizon.keys[0].value)
        # What is dragged at a later frame is a key there; the first one stays.
        self.drag(self.page.locator('[data-handle="horizon"]'), 0, -20)
        self.revision_shown(self.head + 2)
        mended = self.now().distance.source("quay")
        assert isinstance(mended, Ground)
        self.assertEqual(mended.horizon.keys[0], ground.horizon.keys[0])
        self.assertEqual(mended.horizon.keys[-1].frame, 8)
        self.assertLess(mended.horizon.keys[-1].value, carried - 15)
        # What lies on a surface may come nearer as that gets larger.
        self.page.get_by_role("group", name="New source").get_by_role("button", name="Round", exact=True).click()
        self.page.get_by_role("switch", name="Nearer as it gets larger").check()
        self.revision_shown(self.head + 4)
        self.assertTrue(self.now().distance.sources[-1].by_size)  # type: ignore[union-attr]
        # It is followed as the ground is; how far it can be trusted lies under the chart, and its keys with it.
        self.page.keyboard.press("Home")
        self.page.wait_for_selector('canvas[data-shown$="|0"]')
        self.page.get_by_role("button", name="Follow the source ahead to the end").click()
        self.page.wait_for_selector(f'canvas[data-shown^="{self.head + 5}|"][data-shown$="|8"]')
        self.assertGreaterEqual(len(self.now().distance.sources[-1].steps), 8)  # type: ignore[union-attr]
        chart = self.page.get_by_role("group", name="Subjects, focus and keys over time")
        chart.get_by_text("source", exact=True).wait_for()
        self.assertGreater(chart.locator(".hand-key.of-source").count(), 0)
        strips = chart.locator(".trust-good, .trust-bad").evaluate_all(
            "paths => paths.map(p => p.getAttribute('d')).join('')"
        )
        self.assertGreater(strips.count("M"), 6)

    def test_something_of_known_length_tells_a_distance_and_the_camera_is_moved_a_little(self) -> None:
        self.open("Harbour from above")
        self.stage("distance")
        self.page.get_by_label("As long as").select_option(label="Door leaf, height")
        self.page.get_by_label("Tells the distance of").select_option(label="the focus")
        self.page.get_by_role("button", name="Lay a line on it").click()
        self.drag(self.page.locator('[data-handle="size-end"]'), 0, 30)
        self.revision_shown(self.head + 1)
        far = self.now().focus.distance.keys[0].value
        self.page.locator('[data-handle="size-end"]').press("Shift+ArrowDown")  # longer in the picture: nearer
        self.revision_shown(self.head + 2)
        self.assertLess(self.now().focus.distance.keys[0].value, far)
        self.page.get_by_text(re.compile(r"That is [\d.]+ m away")).wait_for()
        self.page.get_by_role("button", name="Put the line away").click()
        self.stage("footage")
        before = self.pixel(0.3, 0.8)
        for number, words in enumerate(("To the right", "Up", "Ahead"), self.head + 3):
            field = self.page.get_by_role("textbox", name=words, exact=True)
            field.fill("1.5")
            field.press("Enter")
            self.revision_shown(number)
        self.page.get_by_role("switch", name="Keeps looking at the focus").uncheck()
        self.revision_shown(self.head + 6)
        self.assertNotEqual(self.pixel(0.3, 0.8), before)
        self.page.locator(".bench-head").get_by_role("button", name="note").click()
        self.page.get_by_text(re.compile("of this frame is filled, not seen. Up to about")).first.wait_for()

    def test_a_page_is_set_as_a_card_pushed_in_and_sharp_where_the_focus_lies_on_it(self) -> None:
        self.open("Tide table", effect=True)
        self.stage("footage")
        self.page.get_by_role("switch", name="On a card in space").check()
        self.revision_shown(self.head + 1)
        for number, (words, degrees) in enumerate((("Card turn", "-8"), ("Card tilt", "48")), self.head + 2):
            field = self.page.get_by_role("textbox", name=words, exact=True)
            field.fill(degrees)
            field.press("Enter")
            self.revision_shown(number)
        moves = self.page.get_by_role("group", name="Ready moves")
        for number, words in enumerate(("Drift", "Arc", "Down the lines", "Rise", "Slow push"), self.head + 4):
            moves.get_by_role("button", name=words).click()
            self.revision_shown(number)
        for number, words in enumerate(("Colour", "Blurred copy", "Colour"), self.head + 9):
            self.page.get_by_role("group", name="Around it").get_by_role("button", name=words).click()
            self.revision_shown(number)
        for code, wanted in zip(self.pixel(0.01, 0.03), (0x1C, 0x1F, 0x26), strict=True):
            self.assertAlmostEqual(code, wanted, delta=2)
        setup = self.now()
        assert setup.space is not None
        self.assertEqual(
            [key.frame for key in setup.space.camera.ahead.keys], [setup.footage.first, setup.footage.last]
        )
        # The chart's numbers are the card's: its farther end is beyond the focus, its nearer one before it.
        at = read_frame(setup, 60, (2560, 1440))
        self.assertLess(at.lens.nearest, at.lens.backdrop)
        # What is pointed at tells its distance: lower on a card whose upper side is tilted away is nearer.
        self.stage("distance")
        away = []
        for y in (0.35, 0.6):
            box = self.box_of(self.page.locator("svg[aria-label='Distances on the picture']"))
            self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] * y)
            self.until("Alpine.store('viewer').pointed.endsWith(' m')")
            away.append(float(str(self.page.evaluate("Alpine.store('viewer').pointed")).split()[0]))
        self.assertGreater(away[0], away[1])

    def test_infinity_is_typed_and_a_pull_takes_seconds(self) -> None:
        self.open("Parcel runner")
        self.stage("distance")
        field = self.page.locator("#field--distance, [id^='field-'][id$='distance']").locator("visible=true").first
        field.fill("infinity")
        field.press("Enter")
        self.revision_shown(self.head + 1)
        self.assertEqual(self.now().distance.sources[0].distance.keys[0].value, 100_000)  # type: ignore[union-attr]
        self.assertEqual(field.input_value(), "infinity")
        field.fill("30")
        field.press("Enter")
        self.revision_shown(self.head + 2)
        self.drag(self.page.locator('.plan [data-grab="backdrop"]'), 0, -200)  # beyond the plan's upper end
        self.revision_shown(self.head + 3)
        self.assertEqual(self.now().distance.sources[0].distance.keys[0].value, 100_000)  # type: ignore[union-attr]
        self.stage("pull")
        self.page.get_by_role("group", name="A pull takes, in").get_by_role("button", name="s", exact=True).click()
        self.assertAlmostEqual(
            float(self.page.get_by_label("A pull takes", exact=True).input_value()), 24 / 25, places=2
        )
        self.page.reload()
        self.page.wait_for_selector("canvas[data-shown]")
        self.stage("pull")
        self.assertAlmostEqual(
            float(self.page.get_by_label("A pull takes", exact=True).input_value()), 24 / 25, places=2
        )

    def test_somebody_who_floats_is_put_on_a_ground_by_the_notes_mend(self) -> None:
        runner = Shot.objects.get(title="Parcel runner").setup.model_dump(mode="json")
        subject = runner["subjects"][0] | {"standing": None}
        backdrop = {"kind": "backdrop", "id": "backdrop", "distance": {"keys": [{"frame": 0, "value": 26}]}}
        focus = {"distance": {"keys": [{"frame": 0, "value": 9.4}]}}
        self.open(
            "Parcel runner",
            subjects=[subject],
            distance={"sources": [backdrop]},
            focus=focus,
            footage={"first": 0, "last": 6},
        )
        self.page.get_by_role("button", name=re.compile(r"^\d+ notes?$")).click()
        self.page.get_by_role("button", name="Make a ground").click()
        self.page.get_by_label("Work under way").get_by_role("button", name="Close").wait_for()
        setup = self.now()
        self.assertEqual([source.kind for source in setup.distance.sources], ["backdrop", "ground"])
        assert setup.subjects[0].standing
        self.assertGreater(len(setup.subjects[0].standing.feet), 0)
