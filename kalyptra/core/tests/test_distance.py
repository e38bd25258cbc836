"""Distances: planes and grounds as a pinhole sees them, stops and bands, maps from files, and who stands where."""

from __future__ import annotations

import json
import math
import tempfile
import zipfile
from pathlib import Path
from typing import Any
from unittest import TestCase

import av
import cv2
import numpy as np
import OpenEXR
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray
from PIL import Image
from scipy.interpolate import PchipInterpolator
from scipy.ndimage import gaussian_filter, uniform_filter

from kalyptra.core.clip.guarded import GuardedFailure
from kalyptra.core.clip.maps import Channel
from kalyptra.core.distance.imported import ImportedDistances, as_stored, dioptres_of, imported_map, values_of
from kalyptra.core.distance.smooth import smoothed
from kalyptra.core.distance.stack import Layer, stack
from kalyptra.core.edit.command import ClipExtent, Refused
from kalyptra.core.edit.sizes import PutBySize
from kalyptra.core.following.feet import foot_of, grounded
from kalyptra.core.importing import map_to_store
from kalyptra.core.setup.document.distance import Reads, SmoothBy, Stacking, Standing
from kalyptra.core.setup.document.needs import pictures_needed
from kalyptra.core.setup.document.stored import Fit
from kalyptra.core.setup.files.read import SetupError, read_setup
from kalyptra.core.setup.geometry.planes import Camera, PlaneAt, ground, homography, of_rectangle, through_pins
from kalyptra.core.setup.geometry.sizes import EVERYDAY_THINGS, distance_by_size
from kalyptra.core.setup.resolve.look import resolve
from kalyptra.core.setup.resolve.source import BandAt, LineAt, MapAt, RoundAt, StopsAt
from kalyptra.core.setup.resolve.standing import standing_at
from kalyptra.core.setup.time.keyed import Key, Keyed
from kalyptra.core.store import FolderStore
from kalyptra.core.tests.test_demo_truth import DEMO, NEAR, frames_of

SIZE = (90, 160)
CAMERA = Camera(1920, 1080, 1500.0)
Y, X = np.mgrid[: SIZE[0], : SIZE[1]] + 0.5
PLACES = st.tuples(st.floats(0, 1920), st.floats(0, 1080))


def drawn_by(shape: Any, **how: Any) -> NDArray[np.float32]:
    return stack(SIZE, 1.0, [Layer(shape, **how)])


def turned(tilt: float, roll: float) -> NDArray[np.float64]:
    """From the world (x right, y down, z ahead) to a camera that looks down by `tilt` and is rolled, radians."""
    down = cv2.Rodrigues(np.array([tilt, 0.0, 0.0]))[0]
    rolled = cv2.Rodrigues(np.array([0.0, 0.0, roll]))[0]
    return np.asarray(rolled @ down)


class BySize(TestCase):
    """Against OpenCV's pinhole: a thing of known length is put at a distance, seen, and its distance told again."""

    @given(st.floats(0.3, 60), st.floats(0.05, 3), st.floats(-0.4, 0.4), st.floats(-0.3, 0.3), st.floats(0, 3.1))
    def test_a_length_that_faces_the_camera_tells_how_far_it_is(
        self, away: float, length: float, x: float, y: float, turn: float
    ) -> None:
        half = length / 2 * np.array([math.cos(turn), math.sin(turn), 0])
        middle = np.array([x * away, y * away, away])
        inner = np.array([[CAMERA.focal, 0, CAMERA.middle[0]], [0, CAMERA.focal, CAMERA.middle[1]], [0, 0, 1.0]])
        ends, _ = cv2.projectPoints(np.array([middle - half, middle + half]), np.zeros(3), np.zeros(3), inner, None)
        start, end = ((float(u), float(v)) for u, v in ends[:, 0])
        self.assertAlmostEqual(distance_by_size(CAMERA, start, end, length) / away, 1, places=6)

    def test_a_sheet_tells_the_focus_and_nothing_else_than_distances(self) -> None:
        clip = ClipExtent(1920, 1080, 10)
        sheet = {thing.name: thing.metres for thing in EVERYDAY_THINGS}["Sheet A4, long side"]
        self.assertEqual(sheet, 0.297)  # ISO 216
        told = PutBySize(path="focus.distance", frame=0, start=(900, 300), end=(900, 620), length=sheet)
        setup = told.apply(read_setup({"distance": {"view_angle": 60}}), clip)
        focal = 960 / math.tan(math.radians(30))
        self.assertAlmostEqual(setup.focus.distance.keys[0].value, focal * sheet / 320, places=3)
        for wrong in (told.model_copy(update={"path": "lens.f_number"}), told.model_copy(update={"end": (900, 300)})):
            with self.assertRaises(Refused):
                wrong.apply(setup, clip)


class Planes(TestCase):
    def test_an_infinite_backdrop_has_no_dioptres(self) -> None:
        made = read_setup({"distance": {"sources": [{"kind": "backdrop", "id": "sky", "distance": {"keys": [{"frame": 0, "value": 100_000}]}}]}})  # fmt: skip
        self.assertEqual(resolve(made, 0, (1920, 1080)).sources[0].shape, PlaneAt(0.0, 0.0, 0.0))

    @settings(max_examples=30, deadline=None)
    @given(st.tuples(*[st.floats(-1, 1)] * 2), st.floats(0.5, 30), st.tuples(PLACES, PLACES, PLACES), PLACES)
    def test_three_pins_give_the_plane_that_they_lie_on(self, lean: Any, away: float, pins: Any, place: Any) -> None:
        # The surface n . X = d; a ray K^-1 (x, y, 1) z meets it where 1/z = n . K^-1 (x, y, 1) / d.
        normal = np.array([lean[0] * 0.3, lean[1] * 0.3, 1.0])

        def inverse(x: float, y: float) -> float:
            ray = np.array([(x - 960) / 1500, (y - 540) / 1500, 1.0])
            return float(normal @ ray) / away

        (ax, ay), (bx, by), (cx, cy) = pins
        if abs((bx - ax) * (cy - ay) - (cx - ax) * (by - ay)) < 5000:
            return
        found = through_pins([(pin, 1 / inverse(*pin)) for pin in pins])
        self.assertAlmostEqual(found.dioptres(*place), inverse(*place), places=5)

    def test_two_pins_are_a_gradient_at_any_angle(self) -> None:
        found = through_pins([((100, 100), 1.0), ((400, 500), 5.0)])
        self.assertAlmostEqual(found.dioptres(250, 300), (1 / 1 + 1 / 5) / 2)
        self.assertAlmostEqual(found.dioptres(100 + 40, 100 - 30), 1.0)  # across the line nothing changes

    @settings(max_examples=30, deadline=None)
    @given(st.floats(-0.6, 0.9), st.floats(-0.5, 0.5), st.floats(0.2, 40), st.floats(-3, 3), st.floats(2, 60))
    def test_a_ground_is_seen_as_a_pinhole_sees_it(
        self, tilt: float, roll: float, height: float, aside: float, ahead: float
    ) -> None:
        camera = turned(tilt, roll)
        seen = camera @ np.array([aside, height, ahead])  # a point of the ground
        if seen[2] < 0.5:
            return
        x, y = 960 + 1500 * seen[0] / seen[2], 540 + 1500 * seen[1] / seen[2]
        far = camera @ np.array([0.0, 0.0, 1.0])  # straight ahead is on the horizon, at infinity
        left = camera @ np.array([-1.0, 0.0, 1.0])
        (hx, hy), (lx, ly) = [(960 + 1500 * p[0] / p[2], 540 + 1500 * p[1] / p[2]) for p in (far, left)]
        slope = (hy - ly) / (hx - lx)
        horizon, turn = hy + (960 - hx) * slope, math.degrees(math.atan(slope))
        found = ground(CAMERA, horizon, turn, height)
        self.assertAlmostEqual(found.dioptres(x, y) * seen[2], 1.0, places=6)

    @settings(max_examples=30, deadline=None)
    @given(st.lists(st.tuples(st.floats(-90, 90), st.floats(-90, 90)), min_size=4, max_size=4))
    def test_the_homography_is_that_of_an_independent_library(self, shifts: list[tuple[float, float]]) -> None:
        before = [(0, 0), (400, 0), (400, 300), (0, 300)]
        after = [(x + a, y + b) for (x, y), (a, b) in zip(before, shifts, strict=True)]
        theirs = cv2.getPerspectiveTransform(
            np.array(before, np.float32), np.array(after, np.float32).astype(np.float32)
        )
        ours = homography(before, [tuple(np.float32(p)) for p in after])
        np.testing.assert_allclose(ours, theirs, rtol=1e-5, atol=1e-6)

    @settings(max_examples=30, deadline=None)
    @given(st.floats(0.1, 1.1), st.floats(-0.7, 0.7), st.floats(0.1, 3), st.floats(0.2, 2), st.floats(1, 12))
    def test_four_corners_give_the_distance_of_a_rectangle(
        self, tilt: float, roll: float, width: float, shape: float, away: float
    ) -> None:
        turn = turned(tilt, roll)
        flat = np.array([[-1, -shape, 0], [1, -shape, 0], [1, shape, 0], [-1, shape, 0]]) * width / 2
        corners = flat @ turn.T + [0.1, -0.05, away + width * shape]
        if corners[:, 2].min() < 0.3:
            return
        seen = [(960 + 1500 * x / z, 540 + 1500 * y / z) for x, y, z in corners]
        found = of_rectangle(CAMERA, seen, width)
        for place, corner in zip(seen, corners, strict=True):
            self.assertAlmostEqual(found.dioptres(*place) * corner[2], 1.0, places=5)

    def test_corners_on_a_line_are_refused(self) -> None:
        with self.assertRaises(ValueError):
            of_rectangle(CAMERA, [(0, 0), (10, 10), (20, 20), (30, 30)], 1.0)

    def test_the_demo_is_what_its_sources_say(self) -> None:
        # docs/demo.md: 1/z = v / 65535 / Near, every second pixel.
        truth = frames_of(DEMO / "table" / "distance.mkv", "gray16le", {0})[0] / 65535 / NEAR["table"]
        page = frames_of(DEMO / "table" / "matte.mkv", "gray", {0})[0][::2, ::2] == 255
        look = resolve(read_setup((DEMO / "table" / "setup.json").read_text()), 0, (2560, 1440))
        ours = stack((1440, 2560), 1.0, [Layer(look.sources[0].shape)])[::2, ::2]
        self.assertLess(np.abs(ours / truth - 1)[page].max(), 0.01)
        truth = frames_of(DEMO / "runner" / "distance.mkv", "gray16le", {60})[60] / 65535 / NEAR["runner"]
        look = resolve(read_setup((DEMO / "runner" / "setup.json").read_text()), 60, (1280, 720))
        ours = stack((720, 1280), 1.0, [Layer(at.shape, at.joins) for at in look.sources])[::2, ::2]
        quay = (slice(330, 355), slice(250, 300))  # flagstones that nothing stands on
        self.assertLess(np.abs(ours / truth - 1)[quay].max(), 0.01)


RISING = st.lists(st.integers(0, 40), min_size=2, max_size=6, unique=True).map(
    lambda found: [n / 40 for n in sorted(found)]
)


class Drawn(TestCase):
    @settings(deadline=None, max_examples=20)
    @given(RISING, st.data(), st.booleans(), st.tuples(*[st.floats(-20, 180)] * 4))
    def test_stops_along_a_line(self, at: list[float], data: Any, smooth: bool, line: tuple[float, ...]) -> None:
        values = data.draw(st.lists(st.floats(0.01, 3), min_size=len(at), max_size=len(at)))
        start, end = line[:2], line[2:]
        dx, dy = end[0] - start[0], end[1] - start[1]
        if math.hypot(dx, dy) < 5:
            return
        share = np.clip(((X - start[0]) * dx + (Y - start[1]) * dy) / (dx * dx + dy * dy), at[0], at[-1])
        curve = PchipInterpolator(at, values) if smooth else lambda t: np.interp(t, at, values)
        found = drawn_by(LineAt((start[0], start[1]), (end[0], end[1]), StopsAt(tuple(at), tuple(values), smooth)))
        steep = 3 * np.abs(np.diff(values) / np.diff(at)).max() / math.hypot(dx, dy)
        np.testing.assert_allclose(found, curve(share), atol=2e-4 + 1e-3 * steep)

    @settings(deadline=None, max_examples=20)
    @given(RISING, st.data(), st.floats(-180, 180), st.floats(20, 150), st.floats(20, 150))
    def test_stops_in_ellipses(self, at: list[float], data: Any, turn: float, across: float, down: float) -> None:
        values = data.draw(st.lists(st.floats(0.01, 3), min_size=len(at), max_size=len(at)))
        c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
        u, v = (X - 70) * c + (Y - 50) * s, -(X - 70) * s + (Y - 50) * c
        share = np.hypot(u / across, v / down)
        shape = RoundAt((70, 50), across, down, turn, StopsAt(tuple(at), tuple(values), False))
        steep = np.abs(np.diff(values) / np.diff(at)).max() / min(across, down)
        np.testing.assert_allclose(drawn_by(shape), np.interp(share, at, values), atol=2e-4 + 5e-3 * steep)

    @given(st.floats(-180, 180), st.floats(5, 40), st.floats(10, 60), st.booleans())
    @settings(deadline=None, max_examples=15)
    def test_a_band_is_sharp_over_its_width_and_alike_on_both_sides(
        self, turn: float, width: float, fall: float, smooth: bool
    ) -> None:
        found = drawn_by(BandAt((80, 45), turn, width, fall, fall, 0.5, 0.3, smooth)) - np.float32(0.5)
        away = -(X - 80) * math.sin(math.radians(turn)) + (Y - 45) * math.cos(math.radians(turn))
        np.testing.assert_array_equal(found[np.abs(away) < width / 2 - 0.01], 0)
        np.testing.assert_allclose(found, -found[::-1, ::-1], atol=1e-6)
        self.assertTrue((found[away > width / 2 + 0.5] > 0).all())
        np.testing.assert_allclose(np.abs(found[np.abs(away) > width / 2 + fall + 0.01]), 0.3, atol=1e-6)

    def test_sources_join_as_they_are_told(self) -> None:
        below, above = PlaneAt(0.005, 0, 0), PlaneAt(0, 0.01, 0.1)
        a, b = drawn_by(below), drawn_by(above)
        half = np.zeros(SIZE, np.float32)
        half[:, :80] = 1
        for joins, expected in (
            (Stacking.REPLACES, b),
            (Stacking.NEARER, np.maximum(a, b)),
            (Stacking.FARTHER, np.minimum(a, b)),
        ):
            found = stack(SIZE, 1.0, [Layer(below), Layer(above, joins, 0.75)])
            np.testing.assert_allclose(found, a + 0.75 * (expected - a), rtol=1e-5)
            for outside, weight in ((False, half), (True, 1 - half)):
                found = stack(SIZE, 1.0, [Layer(below), Layer(above, joins, 0.5, half, outside)])
                np.testing.assert_allclose(found, a + 0.5 * weight * (expected - a), rtol=1e-5)

    def test_a_proxy_shows_the_same_distances(self) -> None:
        shapes = [PlaneAt(0.001, 0.002, 0.05), RoundAt((80, 40), 60, 30, 20, StopsAt((0, 1), (1.0, 0.2), True)),
                  BandAt((80, 45), 15, 20, 30, 40, 0.5, 0.3, True)]  # fmt: skip
        for shape in shapes:
            whole = drawn_by(shape)
            small = stack((45, 80), 0.5, [Layer(shape)])
            np.testing.assert_allclose(small, cv2.resize(whole, (80, 45), interpolation=cv2.INTER_AREA), atol=0.01)

    def test_softening_is_that_of_the_reference_library(self) -> None:
        noise = np.random.default_rng(3).random(SIZE).astype(np.float32)
        np.testing.assert_allclose(
            smoothed(noise, SmoothBy.BOX, 4), uniform_filter(noise, 9, mode="nearest"), atol=1e-5
        )
        ours = smoothed(noise, SmoothBy.GAUSSIAN, 5)
        np.testing.assert_allclose(ours, gaussian_filter(noise, 5, mode="nearest", radius=15), atol=1e-4)

    def test_softening_never_smears_a_subject_into_what_lies_behind(self) -> None:
        # The map knows the subject, as a depth pass does; behind its matte the wall stays the wall.
        wall = np.full(SIZE, 0.2, np.float32)
        hidden = np.zeros(SIZE, bool)
        hidden[30:60, 50:90] = True
        wall[hidden] = 2.0
        found = smoothed(wall, SmoothBy.GAUSSIAN, 6, hidden)
        np.testing.assert_allclose(found[~hidden], 0.2, atol=1e-6)


def kept_map(path: Path, channel: Channel = Channel.LUMA) -> list[NDArray[Any]]:
    with tempfile.TemporaryDirectory() as folder:
        names: list[str] = []
        map_to_store(path, channel, Path(folder), lambda done, of, name: names.append(name) or True)  # type: ignore[func-returns-value]
        store = FolderStore(Path(folder))
        return [store.picture(name) for name in names]


class Files(TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        self.noise = np.random.default_rng(7)

    def test_maps_come_exactly_in_all_depths(self) -> None:
        eight = self.noise.integers(0, 256, (20, 30), np.uint8)
        sixteen = self.noise.integers(0, 65536, (20, 30), np.uint16)
        numbers = (self.noise.random((20, 30)) * 50).astype(np.float32)
        Image.fromarray(eight).save(self.folder / "8.png")
        Image.fromarray(sixteen).save(self.folder / "16.png")
        Image.fromarray(eight).save(self.folder / "8.tif")
        Image.fromarray(sixteen).save(self.folder / "16.tiff")
        Image.fromarray(numbers).save(self.folder / "float.tiff")
        for name, expected in (("8.png", eight), ("8.tif", eight), ("16.png", sixteen), ("16.tiff", sixteen)):
            np.testing.assert_array_equal(kept_map(self.folder / name)[0], expected, name)
        np.testing.assert_array_equal(values_of(kept_map(self.folder / "float.tiff")[0]), numbers)
        for kind, name in ((np.float16, "half"), (np.float32, "float")):
            header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
            depth, red = numbers.astype(kind), (numbers * 2).astype(kind)
            OpenEXR.File(header, {"Z": depth, "R": red, "G": red, "B": red}).write(str(self.folder / f"{name}.exr"))
            found = values_of(kept_map(self.folder / f"{name}.exr")[0])
            np.testing.assert_array_equal(found, depth.astype(np.float32))
            found = values_of(kept_map(self.folder / f"{name}.exr", Channel.RED)[0])
            np.testing.assert_array_equal(found, red.astype(np.float32))

    def test_channels_of_a_colour_map(self) -> None:
        colours = self.noise.integers(0, 65536, (12, 14, 4), np.uint16)
        cv2.imwrite(str(self.folder / "rgba.png"), colours)  # OpenCV's order: blue, green, red, alpha
        for channel, i in ((Channel.BLUE, 0), (Channel.GREEN, 1), (Channel.RED, 2), (Channel.ALPHA, 3)):
            np.testing.assert_array_equal(kept_map(self.folder / "rgba.png", channel)[0], colours[..., i])
        luma = colours[..., 2] * 0.2126 + colours[..., 1] * 0.7152 + colours[..., 0] * 0.0722  # BT.709
        np.testing.assert_allclose(kept_map(self.folder / "rgba.png")[0], luma, atol=0.51)
        Image.fromarray(colours[..., 0]).save(self.folder / "grey.png")
        with self.assertRaisesRegex(GuardedFailure, "no alpha"):
            kept_map(self.folder / "grey.png", Channel.ALPHA)

    def test_a_sequence_and_a_clip_keep_their_order(self) -> None:
        maps = self.noise.integers(0, 65536, (5, 16, 32), np.uint16)
        with zipfile.ZipFile(self.folder / "depth.zip", "w") as archive:
            for i in (2, 0, 4, 1, 3):
                archive.writestr(f"depth.{i + 8}.png", cv2.imencode(".png", maps[i])[1].tobytes())
        np.testing.assert_array_equal(kept_map(self.folder / "depth.zip"), maps)
        with av.open(str(self.folder / "depth.mkv"), "w") as container:
            stream: Any = container.add_stream("ffv1", rate=25)
            stream.width, stream.height, stream.pix_fmt = 32, 16, "gray16le"
            for codes in maps:
                container.mux(stream.encode(av.VideoFrame.from_ndarray(codes, format="gray16le")))
            container.mux(stream.encode(None))
        np.testing.assert_array_equal(kept_map(self.folder / "depth.mkv"), maps)

    def test_a_file_that_is_no_map_is_refused_in_words(self) -> None:
        (self.folder / "notes.txt").write_text("the ferry leaves at nine")
        with self.assertRaisesRegex(Exception, "no footage"):
            kept_map(self.folder / "notes.txt")
        (self.folder / "torn.exr").write_bytes(b"\x76\x2f\x31\x01" + b"\0" * 40)
        with self.assertRaisesRegex(GuardedFailure, "EXR"):
            kept_map(self.folder / "torn.exr")

    @given(st.integers(0, 65535), st.floats(0.2, 3), st.floats(4, 90))
    def test_codes_are_read_as_they_are_meant(self, code: int, near: float, far: float) -> None:
        codes, share = np.array([[code]], np.uint16), code / 65535

        def read(reads: Reads, black: float, white: float, unit: float = 1.0) -> float:
            return float(dioptres_of(codes, MapAt("x", Fit.STRETCH, reads, 1 / black, 1 / white, unit))[0, 0])

        self.assertAlmostEqual(read(Reads.DIOPTRES, far, near), 1 / far + share * (1 / near - 1 / far), places=5)
        self.assertAlmostEqual(1 / read(Reads.DISTANCE, near, far), near + share * (far - near), places=2)
        self.assertAlmostEqual(
            read(Reads.METRES, 1, 1, 0.001), 1000 / code if code else 0.0, delta=1e-3 * 1000 / max(code, 1)
        )

    def test_white_means_blurred_wherever_the_focus_is(self) -> None:
        source = {"kind": "map", "id": "blurmap", "frames": ["a" * 32], "reads": "blur", "white_is_near": False,
                  "far": {"keys": [{"frame": 0, "value": 20.0}]}}  # fmt: skip
        focus = {"keys": [{"frame": 0, "value": 2.0, "ease": "linear"}, {"frame": 10, "value": 5.0}]}
        setup = read_setup({"footage": {"last": 10}, "distance": {"sources": [source]}, "focus": {"distance": focus}})
        for frame, away in ((0, 2.0), (10, 5.0)):
            shape = resolve(setup, frame, (160, 90)).sources[0].shape
            assert isinstance(shape, MapAt)
            self.assertAlmostEqual(shape.black, 1 / away)
            self.assertAlmostEqual(shape.white, 1 / 20)
        self.assertEqual(pictures_needed(setup, 0, 3), {"a" * 32})

    def test_a_map_of_another_size_is_laid_over_as_asked(self) -> None:
        class Shelf:
            def picture(self, name: str) -> NDArray[Any]:
                return as_stored(np.tile(np.linspace(0, 1, 40, dtype=np.float32), (40, 1)))

        def laid(fit: Fit) -> ImportedDistances:
            found = imported_map(MapAt("x", fit, Reads.DIOPTRES, 0.0, 1.0, 1.0), SIZE, Shelf())
            assert found
            return found

        across = np.clip((X / 160 * 40 - 0.5) / 39, 0, 1)  # pixel middles to pixel middles
        np.testing.assert_allclose(laid(Fit.STRETCH).dioptres, across, atol=2e-3)
        inside = laid(Fit.INSIDE)
        self.assertEqual((inside.given[:, :35].max(), inside.given[:, 36:124].min()), (0, 1))
        below = stack(SIZE, 1.0, [Layer(PlaneAt(0, 0, 0.3)), Layer(inside)])
        np.testing.assert_allclose(below[:, :35], 0.3)  # beyond the map what is below holds


class Standers(TestCase):
    def test_a_walker_is_as_far_away_as_the_ground_under_the_feet(self) -> None:
        # Within 5 % of the demo's truth at every frame, though a post hides the feet for a second.
        setup = read_setup((DEMO / "runner" / "setup.json").read_text())
        every = set(range(112))
        mattes = frames_of(DEMO / "runner" / "matte.mkv", "gray", every)
        distances = frames_of(DEMO / "runner" / "distance.mkv", "gray16le", every)
        truth = {n: 65535 * NEAR["runner"] / np.median(distances[n][mattes[n][::2, ::2] > 200]) for n in every}
        seen = [(n, *foot) for n in sorted(every) if (foot := foot_of(mattes[n].astype(np.float32) / 255))]
        document = json.loads(setup.model_dump_json())
        by_truth = json.loads(setup.model_dump_json())
        by_truth["subjects"][0]["standing"]["feet"] = grounded(seen)
        for one_of in (document, by_truth):
            found = read_setup(one_of)
            away = {n: resolve(found, n, (1280, 720)).subjects[0].distance for n in every}
            amiss = max(every, key=lambda n: abs(away[n] / truth[n] - 1))
            self.assertLess(abs(away[amiss] / truth[amiss] - 1), 0.05, f"frame {amiss}")

    @given(st.integers(0, 40), st.floats(0.5, 20), st.integers(0, 40))
    def test_what_is_said_by_hand_holds_and_fades_in_from_the_ground(self, at: int, said: float, frame: int) -> None:
        feet = tuple((n, 100.0, 400.0 + n) for n in range(0, 41))
        under = [(y - 300) / 1000 for _, _, y in feet]
        hand = Keyed[float](
            keys=(Key[float](frame=at, value=said), Key[float](frame=at + 10, value=1000 / (100 + at + 10)))
        )
        standing = Standing(on="quay", feet=feet, by_hand=None)
        corrected = standing.model_copy(update={"by_hand": hand})
        found = standing_at(corrected, at, under)
        assert found
        self.assertAlmostEqual(found, said, delta=0.02 * said)
        if frame >= at + 10 or not at:
            plain, now = standing_at(standing, frame, under), standing_at(corrected, frame, under)
            if frame >= at + 10 and plain and now:
                self.assertAlmostEqual(1 / plain, 1 / now, delta=0.02)

    def test_feet_below_the_frame_are_not_known(self) -> None:
        matte = np.zeros((40, 30), np.float32)
        self.assertIsNone(foot_of(matte))
        matte[10:30, 5:9] = 1
        self.assertEqual(foot_of(matte), (7.0, 30.0, 20.0))
        matte[10:40, 5:9] = 1
        self.assertIsNone(foot_of(matte))


class Documents(TestCase):
    def test_the_one_backdrop_of_version_3_becomes_the_first_source(self) -> None:
        old = read_setup({"version": 3, "distance": {"backdrop": {"keys": [{"frame": 0, "value": 7.0}]}}})
        self.assertEqual(resolve(old, 5, (160, 90)).backdrop, 7.0)
        self.assertEqual(old, read_setup(old.model_dump_json()))

    def test_a_region_of_nobody_is_refused(self) -> None:
        source = {"kind": "backdrop", "id": "wall", "region": {"subject": "nobody"}}
        with self.assertRaisesRegex(SetupError, "no subject"):
            read_setup({"distance": {"sources": [source]}})

    def test_softness_is_meant_for_the_farthest_where_there_is_no_backdrop(self) -> None:
        band = {"kind": "band", "id": "band", "centre": {"keys": [{"frame": 0, "value": [80, 50]}]}}
        band |= {name: {"keys": [{"frame": 0, "value": value}]} for name, value in
                 (("width", 10), ("fall_near", 20), ("fall_far", 20), ("distance", 4.0), ("reach", 0.15))}  # fmt: skip
        setup = read_setup({"distance": {"sources": [band]}})
        self.assertAlmostEqual(resolve(setup, 0, (160, 90)).backdrop, 1 / (1 / 4 - 0.15))
