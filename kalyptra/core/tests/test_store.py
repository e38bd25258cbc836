"""The store of mattes, what setups say of it, and mattes and plates in and out of files."""

from __future__ import annotations

import os
import tempfile
import zipfile
from pathlib import Path
from threading import Thread
from typing import Any
from unittest import TestCase

import av
import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra import numpy as arrays
from numpy.typing import NDArray

from kalyptra.core import (
    Format,
    MatteJob,
    Rate,
    RenderJob,
    mattes_to_file,
    open_clip,
    probe,
    recover_to_store,
    render_to_file,
)
from kalyptra.core.clip.guarded import GuardedFailure
from kalyptra.core.clip.reader import Mended
from kalyptra.core.importing import Channel, import_to_store
from kalyptra.core.matte.stored import coverage_of, laid_over
from kalyptra.core.setup.document.needs import frames_without, pictures_needed, spans
from kalyptra.core.setup.document.setup import VERSION, Setup
from kalyptra.core.setup.document.stored import Fit, FoundMatte
from kalyptra.core.setup.files.read import read_setup
from kalyptra.core.store import FolderStore, NotInStore, encoded, name_of
from kalyptra.core.tests import material

RATE = Rate(numerator=25, denominator=1)


def name(letter: str) -> str:
    return letter * 32


def setup(matte: dict[str, Any], **more: Any) -> Setup:
    subject = {"id": "runner", "name": "Runner", "matte": matte, "distance": {"keys": [{"frame": 0, "value": 2}]}}
    return read_setup({"footage": {"first": 0, "last": 9}, "subjects": [subject | more.pop("subject", {})], **more})


class Store(TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        self.store = FolderStore(self.folder / "kept")

    @given(
        arrays.arrays(
            st.sampled_from([np.uint8, np.uint16]),
            st.tuples(st.integers(1, 20), st.integers(1, 20)) | st.tuples(st.just(5), st.just(6), st.just(4)),
        )
    )
    @settings(deadline=None)
    def test_what_is_kept_comes_back_bit_for_bit_under_one_name(self, picture: NDArray[Any]) -> None:
        first = self.store.keep(picture)
        self.assertEqual(self.store.keep(picture), first)
        np.testing.assert_array_equal(FolderStore(self.store.folder).picture(first), picture)

    def test_two_who_bring_the_same_picture_at_once_publish_it_whole(self) -> None:
        picture = np.random.default_rng(5).integers(0, 255, (300, 400), np.uint8)
        data = encoded(picture)
        seen: list[bytes] = []

        def read_on() -> None:
            path = self.store.path(name_of(data))
            while len(seen) < 40:
                if path.exists():
                    seen.append(path.read_bytes())
                    path.unlink(missing_ok=True)

        def put() -> None:
            while reader.is_alive():
                self.store.put(name_of(data), data)

        reader = Thread(target=read_on)
        writers = [Thread(target=put) for _ in range(3)]
        for thread in (reader, *writers):
            thread.start()
        for thread in (reader, *writers):
            thread.join()
        self.assertEqual({read == data for read in seen}, {True})
        self.assertFalse([path for path in self.store.folder.glob("*/*") if path.suffix != ".png"])

    def test_a_picture_that_is_relied_on_while_old_ones_go_stays(self) -> None:
        name = self.store.keep(np.zeros((4, 4), np.uint8))
        os.utime(self.store.path(name), (1, 1))
        self.store.keep(np.zeros((4, 4), np.uint8))  # brought again
        self.assertFalse(self.store.drop_old(name, 1000))
        os.utime(self.store.path(name), (1, 1))
        self.assertTrue(self.store.drop_old(name, 1000))
        self.assertFalse(self.store.touch(name))

    def test_what_is_not_there_is_said_and_no_path_leads_out(self) -> None:
        for wrong in (name("a"), "../../etc/passwd", "", "A" * 32):
            with self.assertRaises(NotInStore):
                self.store.picture(wrong)

    def test_a_setup_says_which_pictures_it_needs_and_where_none_is(self) -> None:
        found = {"kind": "found", "keys": [{"frame": 2, "matte": name("a"), "under": name("b")}],
                 "frames": [[1, name("c"), 0.9, "followed"], [2, name("d"), 0.4, "predicted"], [3, name("e"), 1, "person"]]}  # fmt: skip
        look = setup(found)
        matte = look.subjects[0].matte
        assert isinstance(matte, FoundMatte)
        self.assertEqual([matte.at(t) for t in range(5)], [None, name("c"), name("a"), name("e"), None])
        self.assertEqual(pictures_needed(look, 1, 2), {name("c"), name("a")})
        self.assertEqual(frames_without(look, 0, 9), {"Runner": [0, 4, 5, 6, 7, 8, 9]})
        self.assertEqual(spans([0, 4, 5, 6, 9]), "0, 4 to 6, 9")
        steady = setup(found, subject={"refine": {"steady": 1}})
        self.assertEqual(pictures_needed(steady, 2, 2), {name("c"), name("a"), name("e")})
        self.assertEqual(read_setup(look.model_dump_json()), look)

    def test_a_setup_of_version_2_is_read(self) -> None:
        old = read_setup({"version": 2, "footage": {"first": 0, "last": 5}})
        self.assertEqual((old.version, old.plate.source.value), (VERSION, "filled"))

    def test_another_size_is_laid_over_as_asked(self) -> None:
        wide = np.ones((10, 40), np.float32)
        self.assertTrue(laid_over(wide, (20, 20), Fit.STRETCH).all())
        inside = laid_over(wide, (20, 20), Fit.INSIDE)
        self.assertEqual((inside.sum(axis=1) > 0).nonzero()[0].tolist(), [7, 8, 9, 10, 11] if inside[7].any() else [8, 9, 10, 11, 12])  # fmt: skip
        self.assertTrue(laid_over(np.eye(10, 40, dtype=np.float32) + 1, (20, 20), Fit.FILL).all())

    def brought(self, path: Path, channel: Channel) -> list[NDArray[Any]]:
        names: list[str] = []
        facts = probe(path, RATE)
        import_to_store(path, facts, channel, self.store.folder, lambda done, name: names.append(name) is None)
        return [self.store.picture(name) for name in names]

    def test_mattes_are_brought_exactly_in_8_and_16_bits(self) -> None:
        chance = np.random.default_rng(1)
        for depth in (np.uint8, np.uint16):
            pictures = [chance.integers(0, np.iinfo(depth).max, (24, 32), depth, endpoint=True) for _ in range(3)]
            path = self.folder / f"mattes-{np.dtype(depth).itemsize}.zip"
            with zipfile.ZipFile(path, "w") as file:
                for i, picture in enumerate(pictures):
                    file.writestr(f"matte-{i:03}.png", cv2.imencode(".png", picture)[1].tobytes())
            for mine, theirs in zip(self.brought(path, Channel.LUMA), pictures, strict=True):
                np.testing.assert_array_equal(mine, theirs)

    def test_alpha_is_brought_where_there_is_one_and_refused_in_words_where_not(self) -> None:
        rgba = np.random.default_rng(2).integers(0, 256, (20, 30, 4), np.uint8)
        path = self.folder / "cut-out.png"
        path.write_bytes(cv2.imencode(".png", rgba)[1].tobytes())
        np.testing.assert_array_equal(self.brought(path, Channel.ALPHA)[0], rgba[..., 3])
        with self.assertRaisesRegex(GuardedFailure, "no alpha channel; bring its luma"):
            self.brought(material.video(self.folder / "plain.mp4", 3), Channel.ALPHA)

    def test_a_damaged_frame_is_the_one_before_it_in_every_way_out(self) -> None:
        source = material.damaged(
            material.video(self.folder / "clip.mkv", 9, codec="ffv1", sound=None, options={"g": "1"}), 4
        )
        facts = probe(source, RATE)
        reader = Mended(open_clip(source, facts))
        self.assertEqual([material.bar_of(reader.picture(i).codes) for i in (4, 5, 3, 4)], [21, 35, 21, 21])
        self.assertEqual(reader.damaged, (4,))
        look = setup({"kind": "found", "frames": [[i, self.store.keep(np.full((90, 160), 200, np.uint8)), 1, "followed"] for i in range(9)]})  # fmt: skip
        job = MatteJob(look, source, facts, self.store.folder, 3, 5, Format.PNG8)
        words = "Damaged in the source, shown as the frame before: 4."
        self.assertEqual(mattes_to_file(job, self.folder / "m.zip", lambda done, rate: True), words)
        found: list[int] = []
        said = recover_to_store(
            look, source, facts, self.store.folder, 3, 5, lambda done, patch: found.append(done) is None
        )
        self.assertEqual((found, said), ([1, 2, 3], words))
        self.assertEqual(len(self.brought(source, Channel.COLOUR)), 9)
        render = RenderJob(look, source, facts, 4, 5, self.store.folder)  # it begins with the damaged one
        said = render_to_file(render, self.folder / "parts", self.folder / "r.mp4", lambda done, rate: True)
        self.assertEqual(said, f"The source has no sound. {words}")

    def test_mattes_and_cut_outs_come_out_as_they_are(self) -> None:
        size = (90, 160)
        mattes = [cv2.GaussianBlur(np.pad(np.full((40, 50), 255, np.uint8), ((25, 25), (20 + 9 * i, 90 - 9 * i))), (0, 0), 2) for i in range(4)]  # fmt: skip
        frames = [[i, self.store.keep(matte), 1.0, "followed"] for i, matte in enumerate(mattes)]
        look = setup({"kind": "found", "frames": frames})
        source = material.video(self.folder / "clip.mp4", 4)
        facts = probe(source, RATE)
        files = {}
        for kind in Format:
            files[kind] = self.folder / f"{kind.value}{kind.suffix}"
            job = MatteJob(look, source, facts, self.store.folder, 0, 3, kind)
            mattes_to_file(job, files[kind], lambda done, rate: True)
        for kind, top in ((Format.PNG8, 255), (Format.PNG16, 65535)):
            with zipfile.ZipFile(files[kind]) as archive:
                for i, member in enumerate(archive.namelist()):
                    found = cv2.imdecode(np.frombuffer(archive.read(member), np.uint8), cv2.IMREAD_UNCHANGED)
                    np.testing.assert_array_equal(found, np.round(coverage_of(mattes[i]) * top))
        with av.open(str(files[Format.FFV1])) as container:
            grey = [picture.to_ndarray(format="gray16le") for picture in container.decode(video=0)]
        np.testing.assert_array_equal(grey[2], np.round(coverage_of(mattes[2]) * 65535))
        # Alpha comes back through our own way in: lossy, but close.
        for kind, most in ((Format.PRORES, 1.5), (Format.WEBM, 4.0)):
            back = self.brought(files[kind], Channel.ALPHA)
            self.assertEqual((len(back), back[1].shape), (4, size))
            self.assertLess(float(np.abs(coverage_of(back[1]) * 255 - mattes[1]).mean()), most)
