"""Work over frames that was cut short goes on where it was: no frame is done twice, none is left out."""

from __future__ import annotations

from typing import Any
from unittest import mock

import numpy as np

from kalyptra.core import Curve, Motion, Step, TakeSteps, drawn_outline, keyed_by_hand, read_setup, with_steps
from kalyptra.core.following import outline_range
from kalyptra.library import revisions, store
from kalyptra.library.models import Shot
from kalyptra.work import orders
from kalyptra.work.findings import Findings
from kalyptra.work.kinds import FindFeet, FindPeople, FollowMattes, FollowOutlines, RecoverPlate, Task, order_of
from kalyptra.work.kinds.order import Order
from kalyptra.work.models import Follow
from kalyptra.work.tests.case import JobCase

CORNERS = ((12, 10), (60, 10), (60, 60), (12, 60))


class TakenUp(JobCase):
    """The clip is ten cards; the subject is their coloured corner, standing on a ground."""

    def with_subject(self, matte: dict[str, Any], **more: Any) -> Shot:
        shot = self.ready()
        ground = {"kind": "ground", "id": "quay", "horizon": {"keys": [{"frame": 0, "value": 10}]}}
        document = shot.setup.model_dump(mode="json")
        document["distance"]["sources"].append(ground)
        subject = {"id": "cards", "name": "Cards", "matte": matte,
                   "distance": {"keys": [{"frame": 0, "value": 2}]}, **more}  # fmt: skip
        setup = read_setup(document | {"subjects": [subject]})
        return revisions.save(shot.pk, shot.head, setup, self.editor)

    def outlined(self) -> Shot:
        points = [{"id": i, "x": x, "y": y} for i, (x, y) in enumerate(CORNERS)]
        outline = drawn_outline("line1", 0, Curve.model_validate({"points": points}), motion=Motion.POSITION)
        return self.with_subject({"kind": "outline", "outlines": [outline.model_dump(mode="json")]})

    def found(self, frames: range = range(1)) -> Shot:
        corner = np.zeros((90, 160), np.uint8)
        corner[:22, :40] = 255
        name = store.local().keep(corner)
        keys = [{"frame": frame, "matte": name} for frame in frames]
        return self.with_subject({"kind": "found", "keys": keys}, standing={"on": "quay"})

    def test_the_page_is_told_where_a_matte_that_needs_a_look_is_in_doubt(self) -> None:
        solid, torn = np.zeros((90, 160), np.uint8), np.zeros((90, 160), np.uint8)
        solid[20:80, 30:110] = torn[20:80, 30:110] = 255
        torn[56:72, 84:104] = 110
        names = [store.local().keep(matte) for matte in (solid, torn, solid, np.zeros_like(solid))]
        sures = (0.9, 0.2, 0.4, 0.1)
        frames = [[i, *rest, "followed"] for i, rest in enumerate(zip(names, sures, strict=True))]
        shot = self.with_subject({"kind": "found", "frames": frames})
        width = shot.media.facts.width
        told = [
            self.client.get(f"/api/shots/{shot.pk}/outlines/{shot.head}/{i}.json").json()["doubts"] for i in range(4)
        ]
        self.assertEqual(told[0], {})  # surely followed
        ((x, y, radius),) = told[1].values()
        self.assertLess(np.hypot(x / width - 94 / 160, y / width - 64 / 160), 0.05)
        self.assertAlmostEqual(radius / width, 1 / 24, places=4)

    def test_the_page_is_told_at_which_point_an_outline_that_needs_a_look_is_in_doubt(self) -> None:
        moves = [{"frame": frame, "warp": [1, 0, 3, 0, 1, 0, 0, 0]} for frame in (1, 2, 3)]
        still = [[i, 0, 0] for i in (0, 1, 3)]
        moves[1] |= {"shifts": [*still, [2, 14, -9]], "held": 0.1}  # one corner runs off, and comes back
        moves[2] |= {"shifts": [*still, [2, -14, 9]]}
        points = [{"id": i, "x": x, "y": y} for i, (x, y) in enumerate(CORNERS)]
        outline = drawn_outline("line1", 0, Curve.model_validate({"points": points}), motion=Motion.FREE)
        outline = with_steps(outline, tuple(Step.model_validate(move) for move in moves))
        shot = self.with_subject({"kind": "outline", "outlines": [outline.model_dump(mode="json")]})
        over = self.client.get(f"/api/shots/{shot.pk}/outlines/{shot.head}/2.json").json()
        ((x, y, _),) = over["doubts"].values()
        astray = next(point for point in over["outlines"]["cards"]["line1"]["points"] if point[0] == 2)
        np.testing.assert_allclose((x, y), astray[1:3], atol=0.5)

    def done(self, row: Follow, stops: list[int]) -> tuple[list[int], list[Any]]:
        """Run it, cut short after each of these numbers of frames: what was told, and what was found in the end."""
        told: list[int] = []
        for stop in [*stops, 10**6]:
            findings = Findings(row)

            def note(count: int, newest: dict[str, Any] | None, stop: int = stop) -> bool:
                told.append(count)
                return count < stop

            task = Task(row, findings, note, lambda stop=stop: not told or told[-1] < stop)  # type: ignore[misc]
            try:
                order_of(row).run(task)
            except Exception as error:
                if getattr(error, "kind", "") != "cancelled":  # what is computed in a guarded process ends so
                    raise
            findings.keep()
        return told, [list(value) for name in findings.names or ["all"] for value in findings.of(name)]

    def check(self, shot: Shot, order: Order, frames: list[int]) -> None:
        """All findings are as without a break."""
        row = orders.order_work(shot, order, self.editor)
        _, whole = self.done(row, [])
        Findings(row).forget()
        told, parts = self.done(row, [3, 6])
        self.assertEqual(parts, whole)
        self.assertEqual([value[0] for value in parts], frames)
        self.assertEqual(told, sorted(set(told)), "a frame was done twice")

    def test_following_outlines(self) -> None:
        order = FollowOutlines(subject="cards", outlines=("line1",), start=0, end=9)
        row = orders.order_work(self.outlined(), order, self.editor)
        told, _ = self.done(row, [4])
        self.assertEqual(told, list(range(1, 10)))
        self.assertEqual([step["frame"] for step in Findings(row).of("line1")], list(range(1, 10)))

    def test_between_two_keys_outlines_are_followed_back_as_well_each_frame_counting_once(self) -> None:
        curve = Curve.model_validate({"points": [{"id": i, "x": x, "y": y} for i, (x, y) in enumerate(CORNERS)]})
        outline = keyed_by_hand(drawn_outline("line1", 0, curve, motion=Motion.FREE), 9, curve)
        shot = self.with_subject({"kind": "outline", "outlines": [outline.model_dump(mode="json")]})
        order = FollowOutlines(subject="cards", outlines=("line1",), start=0, end=9)
        row = orders.order_work(shot, order, self.editor)
        taken = []
        for stops in ((), (12, 30)):  # on the way back; and when a part of what was found there is in place
            for stop in (*stops, 10**6):
                findings, calls = Findings(row), iter(range(stop))
                with mock.patch.object(outline_range, "ENOUGH", -1.0):  # back in any case
                    order.run(Task(row, findings, lambda *_, calls=calls: next(calls, None) is not None, lambda: True))
                findings.keep()
            [command] = order.commands(Task(row, Findings(row), lambda *_: True, lambda: True))
            assert isinstance(command, TakeSteps)
            taken.append(command.steps)
            self.assertGreater(len(Findings(row).of("line1")), 9)
            Findings(row).forget()
        self.assertEqual([step.frame for step in taken[0]], list(range(1, 10)))
        self.assertLessEqual(set(range(1, 9)), {step.border.frame for step in taken[0] if step.border})
        self.assertEqual(taken[0], taken[1], "as without a break")

    def test_following_a_matte(self) -> None:
        row = orders.order_work(self.found(), FollowMattes(subject="cards", start=0, end=9), self.editor)
        _, whole = self.done(row, [])
        Findings(row).forget()
        told, parts = self.done(row, [3, 6])
        self.assertEqual(([value[0] for value in parts], told), (list(range(1, 10)), list(range(1, 10))))
        # What was seen since it began is not remembered, so the mattes are as good as the same.
        for (_, one, *_), (_, other, *_) in zip(whole, parts, strict=True):
            a, b = (store.local().picture(name).astype(float) for name in (one, other))
            self.assertLess(np.abs(a - b).mean(), 1.0)

    def test_finding_people_ahead_and_back_from_where_one_is_pointed_at(self) -> None:
        spot = {"frame": 4, "x": 20, "y": 10}
        order = FindPeople.model_validate({"subject": "cards", "start": 0, "end": 9, "spot": spot})
        self.check(self.found(), order, [4, 5, 6, 7, 8, 9, 3, 2, 1, 0])

    def test_recovering_a_plate(self) -> None:
        self.check(self.found(range(10)), RecoverPlate(start=0, end=9), list(range(10)))

    def test_looking_for_feet(self) -> None:
        self.check(self.found(range(10)), FindFeet(subject="cards", start=0, end=9), list(range(10)))
