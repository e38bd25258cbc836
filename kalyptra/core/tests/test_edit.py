"""Every change is a command: it gives a valid setup or a refusal, takes care of what refers to what it removes, and goes
together with what others did meanwhile."""

from __future__ import annotations

from functools import cache
from typing import Any, get_args
from unittest import TestCase

from hypothesis import Phase, assume, find, given, settings
from hypothesis import strategies as st
from pydantic import TypeAdapter, ValidationError

from kalyptra.core.edit import ByHand, ClipExtent, Command, Refused, apply, words_of
from kalyptra.core.edit.findings import TakeFeet, TakeMattes, TakeSteps
from kalyptra.core.edit.looks import taken_look
from kalyptra.core.edit.values import Reorder
from kalyptra.core.setup.document.named_look import LookPart
from kalyptra.core.setup.document.setup import Setup
from kalyptra.core.setup.files.read import read_setup
from kalyptra.core.setup.resolve.look import numbers_at
from kalyptra.core.setup.resolve.outline import placed_at

CLIP = ClipExtent(960, 540, 300)
ANY: TypeAdapter[Command] = TypeAdapter(ByHand)
KINDS: tuple[type[Command], ...] = get_args(get_args(ByHand)[0])


def hold(value: Any, frame: int = 0) -> dict[str, Any]:
    return {"keys": [{"frame": frame, "value": value}]}


def square(x: float, y: float, wide: float = 50) -> dict[str, Any]:
    places = ((x, y), (x + wide, y), (x + wide, y + wide), (x, y + wide))
    return {"points": [{"id": i, "x": px, "y": py} for i, (px, py) in enumerate(places)]}


def outline(name: str) -> dict[str, Any]:
    return {"id": name, "shape": hold(square(100, 100)), "placement": hold([1, 0, 0, 0, 1, 0, 0, 0])}


@cache
def full() -> Setup:
    """A setup that has something of everything, and much that refers to something else."""
    places = [hold([200.0, 150.0]), hold([600.0, 150.0]), hold([700.0, 400.0]), hold([100.0, 400.0])]
    stops = [{"at": hold(share), "distance": hold(away)} for share, away in ((0, 1.0), (0.5, 3.0), (1, 9.0))]
    drawn = {
        "id": "runner", "name": "Runner", "matte": {"kind": "outline", "outlines": [outline("body1"), outline("arm11")]},
        "distance": hold(2.5), "standing": {"on": "quay", "feet": [[0, 130, 160], [5, 140, 162]]},
    }  # fmt: skip
    found = {"id": "keeper", "name": "Tea keeper", "matte": {"kind": "found"}, "distance": {"keys": [{"frame": 0, "value": 3}, {"frame": 90, "value": 5}]}}  # fmt: skip
    region = {"subject": "runner", "outside": True}
    sources = [
        {"kind": "backdrop", "id": "backdrop", "distance": hold(12)},
        {"kind": "ground", "id": "quay", "horizon": hold(220)},
        {"kind": "corners", "id": "page", "corners": places, "width": hold(0.3), "region": region},
        {"kind": "pins", "id": "wall", "pins": [{"place": place, "distance": hold(3)} for place in places[:2]]},
        {"kind": "line", "id": "pier", "start": hold([0, 0]), "end": hold([9, 500]), "stops": stops},
        {"kind": "map", "id": "depth", "frames": ["a" * 32]},
    ]
    keys = [{"frame": 0, "value": 2, "mark": "aa"}, {"frame": 50, "value": 4, "mark": "bb"}, {"frame": 90, "value": 6}]
    marks = [{"id": "aa", "name": "A", "distance": 2}, {"id": "bb", "name": "B", "distance": 3, "subject": "runner"}]
    return read_setup(
        {
            "footage": {"last": 299}, "subjects": [drawn, found], "distance": {"sources": sources},
            "focus": {"marks": marks, "distance": {"keys": keys}},
            "lens": {"held": {"near": 1.5, "far": 4}}, "space": {"cards": [{"id": "title", "picture": "ab" * 16, "size": [40, 20]}, {"id": "figure", "subject": "runner"}]},
            "finish": {"outside": {"driven_by": "outside", "subject": "runner"}, "flat": {"subject": "keeper"},
                       "stretch": {"first": 10, "last": 60}},
        }
    )  # fmt: skip


IDS = st.sampled_from(["runner", "keeper", "body1", "arm11", "backdrop", "quay", "page", "wall", "pier", "aa", "bb", "new11", "title", "ghost"])  # fmt: skip
FRAMES = st.one_of(st.integers(0, 120), st.sampled_from([0, 50, 90, 299, 300]))
PLACES = [
    "lens.f_number", "lens.focal_length_mm", "lens.aperture", "lens.iris.blades", "lens.held.near", "lens.held.before", "focus.distance",
    "focus.marks.aa.distance", "focus.marks.aa.name", "focus.breathing", "subjects.runner.name", "subjects.runner.acts",
    "subjects.runner.distance", "subjects.keeper.distance", "subjects.keeper.refine.white", "subjects.runner.enabled",
    "subjects.runner.matte.outlines.body1.joins", "subjects.runner.matte.outlines", "subjects", "distance.sources",
    "distance.sources.quay.horizon", "distance.sources.page.corners.1", "distance.sources.pier.stops.0.at",
    "distance.sources.backdrop.distance", "distance.smooth", "distance.view_angle", "plate.source", "output.height",
    "version", "subjects.runner.id", "subjects.runner.matte", "footage.last", "nothing.here", "lens",
    "finish.strength", "finish.outside.saturation", "finish.outside.subject", "finish.stretch.last", "lens.blur.form", "lens.blur.centre",
    "finish.framing.place",
    "lens.character.glow", "finish.grain.size", "space.card.turn", "space.camera.focal_length_mm", "space.cards",
    "space.cards.title.distance", "space.cards.title.picture", "space.cards.figure.enabled", "space.enabled",
]  # fmt: skip
NUMBERS = st.one_of(st.floats(-10, 400), st.sampled_from([0.0, 0.02, 1e9, -1e9, 1e5]))
VALUES = st.one_of(NUMBERS, st.tuples(NUMBERS, NUMBERS))
EASES = st.one_of(
    st.sampled_from(["hold", "linear", "eased"]),
    st.just({"kind": "handles", "x1": 0.2, "y1": -0.4, "x2": 0.9, "y2": 1.4}),
)
TIMED = st.fixed_dictionaries({"frame": FRAMES, "value": VALUES, "ease": EASES}, optional={"mark": IDS})
CURVES = st.builds(square, NUMBERS, NUMBERS, NUMBERS)
FIELDS: dict[str, st.SearchStrategy[Any]] = {
    **dict.fromkeys(("id", "mark"), st.one_of(IDS, st.none())),
    "subject": st.sampled_from(["runner", "runner", "keeper", "ghost", None]),
    "outline": st.sampled_from(["body1", "arm11", "ghost"]),
    "source": st.sampled_from(["quay", "page", "wall", "pier", "depth", "ghost", None]),
    **dict.fromkeys(("frame", "first", "last", "to", "take", "about", "stop"), FRAMES),
    "path": st.sampled_from(PLACES),
    "paths": st.lists(st.sampled_from(PLACES), min_size=1, max_size=3),
    "value": st.one_of(VALUES, st.booleans(), st.none(), st.sampled_from(["f-number", "softness", "zone", "x" * 50])),
    "frames": st.lists(FRAMES, min_size=1, max_size=4),
    "keys": st.lists(TIMED, min_size=1, max_size=4),
    "key": st.fixed_dictionaries({"frame": FRAMES, "matte": st.just("ab" * 16)}),
    "by": st.integers(-100, 100),
    "share": st.floats(0.1, 3),
    "at": st.floats(0, 1),
    "ease": EASES,
    "name": st.sampled_from(["", "Ferry", "x" * 60]),
    "drawn": st.one_of(st.none(), st.fixed_dictionaries({"id": IDS, "curve": CURVES})),
    "outlines": st.one_of(
        st.sampled_from([["body1"], ["arm11", "body1"], ["ghost"]]), st.builds(lambda name: [outline(name)], IDS)
    ),
    "motion": st.lists(st.floats(-2, 2), min_size=9, max_size=9),
    "joins": st.sampled_from(["add", "take-away"]),
    "kind": st.sampled_from(["backdrop", "pins", "ground", "corners", "line", "round", "band"]),
    "drawn_as": st.sampled_from(["closely", "roughly", "soft-region"]),
    "reads": st.sampled_from(["dioptres", "distance", "metres", "blur"]),
    "recipe": st.sampled_from(["miniature", "page", "street", "desk", "portrait"]),
    **dict.fromkeys(("on", "outside"), st.booleans()),
    **dict.fromkeys(("near", "far", "distance"), NUMBERS),
    "end": st.one_of(st.sampled_from(["near", "far"]), st.tuples(NUMBERS, NUMBERS)),
    "move": st.sampled_from(["push", "drift", "arc", "lines", "rise"]),
    "start": st.tuples(NUMBERS, NUMBERS),
    "card": st.sampled_from(["card", "title", "figure", "ghost"]),
    "corners": st.one_of(
        st.just([(100, 80), (500, 60), (520, 300), (90, 280)]), st.tuples(*[st.tuples(NUMBERS, NUMBERS)] * 4)
    ),
    "held": st.one_of(st.none(), st.integers(0, 3)),
    "length": st.floats(-1, 2000),
    "curve": st.one_of(CURVES, st.lists(st.tuples(st.floats(0, 1), st.floats(0, 1)), max_size=3)),
    "scale": st.floats(0.5, 5),
    **dict.fromkeys(("x", "y"), st.one_of(NUMBERS, st.none())),
    "look": st.sampled_from(list(LookPart)).map(
        lambda part: taken_look(
            full().model_copy(update={"space": None}), "Dusk", [part], 40, ClipExtent(640, 360, 300)
        ).model_dump(mode="json")
    ),
    "parts": st.lists(st.sampled_from([part.value for part in LookPart]), min_size=1, max_size=6),
}


@st.composite
def commands(draw: st.DrawFn, kind: type[Command] | None = None) -> Command:
    """Any command that can be said at all: about what is there, was there, or never was."""
    kind = kind or draw(st.sampled_from(KINDS))
    fields = {name: draw(FIELDS[name]) for name, field in kind.model_fields.items() if name != "do"}
    if kind is Reorder and draw(st.booleans()):
        fields |= {"path": "distance.sources", "id": "pier"}
    try:
        return ANY.validate_python({"do": kind.model_fields["do"].default, **fields})
    except ValidationError:
        assume(False)
        raise


class AnyCommand(TestCase):
    @given(st.lists(commands(), min_size=1, max_size=8))
    @settings(max_examples=150, deadline=None)
    def test_gives_a_setup_that_can_be_read_or_a_refusal_in_a_sentence(self, given_commands: list[Command]) -> None:
        setup = full()
        for command in given_commands:
            before = setup.model_dump_json()
            try:
                setup = apply(setup, [command], CLIP)
            except Refused as refusal:
                self.assertRegex(str(refusal), r"^[A-Z].+\.$")
                self.assertEqual(setup.model_dump_json(), before)
                continue
            self.assertEqual(read_setup(setup.model_dump_json()).model_dump_json(), setup.model_dump_json())
            self.assertRegex(words_of([command]), r"^[A-Z0-9].+\.$")
            self.assertEqual(ANY.validate_python(command.noted()), command)

    def test_every_kind_of_command_can_succeed(self) -> None:
        """So that the property above is not true of refusals alone."""

        def succeeds(command: Command) -> bool:
            try:
                return apply(full(), [command], CLIP) is not None
            except Refused:
                return False

        first = settings(max_examples=800, deadline=None, database=None, phases=[Phase.generate])
        for kind in KINDS:
            find(commands(kind), succeeds, settings=first)

    @given(st.sampled_from(["remove-subject", "remove-source", "remove-mark"]), IDS)
    def test_nothing_names_what_was_removed(self, kind: str, name: str) -> None:
        try:
            setup = apply(full(), [ANY.validate_python({"do": kind, "id": name})], CLIP)
        except (Refused, ValidationError):
            return
        self.assertNotIn(f'"{name}"', setup.model_dump_json())


class Together(TestCase):
    """What two people do at the same time."""

    def do(self, *given_commands: dict[str, Any], setup: Setup | None = None) -> Setup:
        return apply(setup or full(), [ANY.validate_python(command) for command in given_commands], CLIP)

    def test_changes_that_do_not_meet_both_hold_in_either_order(self) -> None:
        apart: list[dict[str, Any]] = [
            {"do": "put", "path": "subjects.runner.refine.feather_in", "value": 9},
            {"do": "set-at", "path": "subjects.keeper.distance", "frame": 40, "value": 4.5},
            {"do": "reorder", "path": "distance.sources", "id": "pier", "to": 0},
            {"do": "set-at", "path": "distance.sources.quay.horizon", "frame": 0, "value": 200},
            {"do": "move-keys", "path": "focus.distance", "frames": [90], "by": 20},
            {"do": "set-at", "path": "lens.f_number", "frame": 0, "value": 4},
            {"do": "shape-outline", "subject": "runner", "outline": "body1", "frame": 0, "curve": square(5, 5)},
            {"do": "place-outlines", "subject": "runner", "outlines": ["arm11"], "frame": 0, "motion": [1, 0, 7, 0, 1, 0, 0, 0, 1]},
            {"do": "remove-mark", "id": "aa"},
            {"do": "put", "path": "focus.marks.bb.name", "value": "Stall"},
        ]  # fmt: skip
        for command in apart:
            for other in apart:
                if command is not other:
                    self.assertEqual(
                        self.do(command, other).model_dump_json(), self.do(other, command).model_dump_json()
                    )

    def test_a_change_of_what_somebody_removed_is_refused(self) -> None:
        setup = self.do({"do": "remove-subject", "id": "runner"})
        for path in ("name", "refine.grow"):
            with self.assertRaisesRegex(Refused, "not there any more"):
                self.do({"do": "put", "path": f"subjects.runner.{path}", "value": 1}, setup=setup)

    def test_what_was_followed_goes_beside_what_was_drawn_meanwhile(self) -> None:
        drawn = self.do({"do": "put", "path": "subjects.runner.refine.grow", "value": 3})
        step: Any = {"frame": 1, "warp": (1, 0, 2, 0, 1, 0, 0, 0), "held": 1}
        setup = apply(drawn, [TakeSteps(subject="runner", outline="body1", steps=(step,))], CLIP)
        self.assertEqual((setup.subjects[0].refine.grow, len(setup.subjects[0].matte.outlines[0].steps)), (3, 1))  # type: ignore[union-attr]
        gone = self.do({"do": "remove-outline", "subject": "runner", "outline": "body1"})
        with self.assertRaises(Refused):
            apply(gone, [TakeSteps(subject="runner", outline="body1", steps=(step,))], CLIP)
        with self.assertRaises(Refused):
            apply(gone, [TakeMattes(subject="runner", frames=((1, "ab" * 16, 1, "followed"),))], CLIP)
        lifted = self.do({"do": "stand-on", "subject": "runner", "source": None})
        with self.assertRaises(Refused):
            apply(lifted, [TakeFeet(subject="runner", feet=((1, 2, 3),), of="x")], CLIP)


class Rules(TestCase):
    def do(self, setup: Setup, **fields: Any) -> Setup:
        return apply(setup, [ANY.validate_python(fields)], CLIP)

    def test_a_removed_subject_leaves_its_mark_where_it_was_and_its_region_open(self) -> None:
        before = full()
        after = self.do(before, do="remove-subject", id="runner", frame=5)
        (mark,) = [mark for mark in after.focus.marks if mark.id == "bb"]
        self.assertIsNone(mark.subject)
        self.assertAlmostEqual(mark.distance, numbers_at(before, 5, CLIP.size).away["runner"], places=4)
        self.assertIsNone(after.distance.source("page").region)  # type: ignore[union-attr]

    def test_a_correction_of_a_subject_on_the_ground_may_go_again_and_others_keep_one_key(self) -> None:
        path = "subjects.runner.distance"
        said = self.do(full(), do="set-at", path=path, frame=3, value=4.0)
        self.assertEqual([key.value for key in said.subjects[0].standing.by_hand.keys], [4.0])  # type: ignore[union-attr]
        self.assertIsNone(self.do(said, do="drop-keys", path=path, frames=[3]).subjects[0].standing.by_hand)  # type: ignore[union-attr]
        left = self.do(full(), do="drop-keys", path="subjects.keeper.distance", frames=[0, 90])
        self.assertEqual([key.frame for key in left.subjects[1].distance.keys], [0])

    def test_a_distance_said_by_hand_takes_the_focus_off_its_mark(self) -> None:
        said = self.do(full(), do="set-at", path="focus.distance", frame=50, value=7.0)
        self.assertEqual([(key.mark, key.value) for key in said.focus.distance.keys][1], (None, 7.0))

    def test_keys_at_a_frame_hold_what_was_there(self) -> None:
        keyed = self.do(full(), do="key-here", paths=["subjects.keeper.distance"], frame=45)
        self.assertAlmostEqual(1 / keyed.subjects[1].distance.keys[1].value, (1 / 3 + 1 / 5) / 2)

    def test_a_pull_leaves_its_mark_and_arrives(self) -> None:
        pulled = self.do(full(), do="pull-to", frame=100, take=24, value=1.5)
        keys = [(key.frame, key.mark, key.ease) for key in pulled.focus.distance.keys]
        self.assertEqual(keys, [(0, "aa", "eased"), (50, "bb", "eased"), (76, None, "eased"), (100, None, "hold")])

    def test_fields_beyond_their_bounds_are_refused_and_named(self) -> None:
        with self.assertRaisesRegex(Refused, "focal length mm: .*2000"):
            self.do(full(), do="put", path="lens.focal_length_mm", value=9000)
        with self.assertRaisesRegex(Refused, r"^This is out of bounds: a distance: .*100000\.$"):
            self.do(full(), do="set-at", path="subjects.keeper.distance", frame=0, value=200_000)
        with self.assertRaisesRegex(Refused, "ends at frame 299"):
            self.do(full(), do="set-range", last=300)

    def test_what_was_done_is_told_in_a_sentence(self) -> None:
        name = ANY.validate_python({"do": "put", "path": "subjects.runner.name", "value": "x"})
        self.assertEqual(words_of([name]), "The name was set.")
        self.assertEqual(words_of([name, name]), "The name was set.")

    def test_a_removed_mark_leaves_its_distance_to_the_keys_that_were_on_it(self) -> None:
        removed = self.do(full(), do="remove-mark", id="aa")
        first = removed.focus.distance.keys[0]
        self.assertEqual((first.mark, first.value), (None, 2.0))

    def test_a_subject_keeps_its_own_distance_when_its_ground_is_removed(self) -> None:
        removed = self.do(full(), do="remove-source", id="quay")
        self.assertIsNone(removed.subjects[0].standing)
        self.assertEqual(numbers_at(removed, 5, CLIP.size).away["runner"], 2.5)
        alone = full()
        for name in ("quay", "page", "wall", "pier", "depth"):
            alone = self.do(alone, do="remove-source", id=name)
        with self.assertRaisesRegex(Refused, "last source stays"):
            self.do(alone, do="remove-source", id="backdrop")

    def test_an_outline_that_is_shaped_lies_at_that_frame_where_it_was_put_and_a_still_one_stays_still(self) -> None:
        shaped = self.do(full(), do="shape-outline", subject="runner", outline="body1", frame=30, curve=square(7, 9))
        line = shaped.subjects[0].matte.outlines[0]  # type: ignore[union-attr]
        self.assertEqual(line.hand_frames, (0,))
        keyed = self.do(shaped, do="key-outline", subject="runner", outline="body1", frame=30)
        moved = self.do(keyed, do="place-outlines", subject="runner", outlines=["body1"], frame=30, motion=[1, 0, 50, 0, 1, 0, 0, 0, 1])  # fmt: skip
        line = moved.subjects[0].matte.outlines[0]  # type: ignore[union-attr]
        self.assertEqual(line.hand_frames, (0, 30))
        self.assertEqual([placed_at(line, frame).rows[0, 0] for frame in (0, 30)], [7.0, 57.0])

    def test_a_new_stop_does_not_change_the_way(self) -> None:
        added = self.do(full(), do="add-stop", source="pier", at=0.25, frame=0)
        stops = added.distance.source("pier").stops  # type: ignore[union-attr]
        self.assertAlmostEqual(1 / stops[1].distance.keys[0].value, (1 / 1 + 1 / 3) / 2, places=5)
