"""A render is the same however often it was interrupted, and its facts are those of the source's range."""

from __future__ import annotations

import tempfile
from fractions import Fraction
from pathlib import Path
from unittest import TestCase, mock

import av
import numpy as np

from kalyptra.core import export
from kalyptra.core.clip.facts import Rate
from kalyptra.core.clip.guarded import GuardedFailure
from kalyptra.core.clip.probe import probe
from kalyptra.core.clip.reader import open_clip
from kalyptra.core.export import RenderJob, render_to_file
from kalyptra.core.identity import look_identity
from kalyptra.core.proof.views import View
from kalyptra.core.setup.document.distance import backdrop_at
from kalyptra.core.setup.document.focus import Focus, FocusCurve, FocusKey
from kalyptra.core.setup.document.setup import Footage, Setup
from kalyptra.core.setup.resolve.look import resolve
from kalyptra.core.tests import material

NTSC = Rate(numerator=30000, denominator=1001)


class Export(TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        held = tempfile.TemporaryDirectory()
        cls.addClassCleanup(held.cleanup)
        cls.folder = Path(held.name)
        cls.source = material.video(cls.folder / "source.mp4", frames=40, rate=NTSC.fraction)
        cls.facts = probe(cls.source, NTSC)

    def job(self, setup: Setup, first: int, last: int) -> RenderJob:
        return RenderJob(setup, self.source, self.facts, first, last)

    def test_an_interrupted_render_goes_on_and_gives_the_same_bytes(self) -> None:
        setup = Setup(footage=Footage(first=0, last=39))
        with mock.patch.object(export, "PART_FRAMES", 8):
            render_to_file(
                self.job(setup, 4, 35), self.folder / "one", self.folder / "one.mp4", lambda done, rate: True
            )
            seen: list[int] = []

            def stop_early(done: int, rate: float) -> bool:
                seen.append(done)
                return done < 20

            with self.assertRaises(GuardedFailure) as stopped:
                render_to_file(self.job(setup, 4, 35), self.folder / "two", self.folder / "two.mp4", stop_early)
            self.assertEqual(stopped.exception.kind, "cancelled")
            self.assertFalse((self.folder / "two.mp4").exists())
            resumed: list[int] = []
            render_to_file(
                self.job(setup, 4, 35),
                self.folder / "two",
                self.folder / "two.mp4",
                lambda done, rate: resumed.append(done) or True,
            )
        self.assertEqual(resumed[0], 16)
        self.assertEqual((self.folder / "one.mp4").read_bytes(), (self.folder / "two.mp4").read_bytes())

    def test_the_file_has_the_frames_rate_and_sound_of_the_range(self) -> None:
        out = self.folder / "facts.mp4"
        state = render_to_file(
            self.job(Setup(footage=Footage(last=39)), 10, 33), self.folder / "f", out, lambda done, rate: True
        )
        self.assertEqual(state, "The sound was copied unchanged.")
        with av.open(str(out)) as file:
            video, audio = file.streams.video[0], file.streams.audio[0]
            self.assertEqual((video.frames, video.average_rate), (24, Fraction(30000, 1001)))
            self.assertAlmostEqual(float(video.duration * video.time_base), 24 * 1001 / 30000, 4)
            self.assertAlmostEqual(float(audio.duration * audio.time_base), 24 * 1001 / 30000, delta=0.03)
            self.assertEqual((video.codec_context.colorspace, video.codec_context.color_primaries), (1, 1))  # BT.709
        facts = probe(out, NTSC)
        bars = [material.bar_of(open_clip(out, facts).picture(frame).codes) for frame in (0, 23)]
        np.testing.assert_allclose(bars, [70, (33 * 7) % 150], atol=1)

    def test_sound_that_an_mp4_cannot_carry_is_converted(self) -> None:
        source = material.video(self.folder / "pcm.mkv", frames=20, sound="pcm_s16le")
        facts = probe(source, NTSC)
        out = self.folder / "pcm.mp4"
        state = render_to_file(
            RenderJob(Setup(), source, facts, 5, 14), self.folder / "p", out, lambda done, rate: True
        )
        self.assertEqual(state, "The sound was converted to AAC.")
        with av.open(str(out)) as file:
            audio = file.streams.audio[0]
            self.assertAlmostEqual(float(audio.duration * audio.time_base), 10 / 25, delta=0.05)


class Identity(TestCase):
    def test_only_what_holds_at_a_frame_names_its_picture(self) -> None:
        def setup(far: float, late: float) -> Setup:
            keys = (FocusKey(frame=0, value=2), FocusKey(frame=10, value=2), FocusKey(frame=20, value=late))
            return Setup(distance=backdrop_at(far), focus=Focus(distance=FocusCurve(keys=keys)))

        def name(setup: Setup, frame: int, view: View = View.RESULT) -> str:
            return look_identity(resolve(setup, frame, (160, 90)), frame, view, None)

        self.assertEqual(name(setup(9, 3), 5), name(setup(9, 4), 5))
        self.assertNotEqual(name(setup(9, 3), 15), name(setup(9, 4), 15))
        self.assertNotEqual(name(setup(9, 3), 5), name(setup(8, 3), 5))
        self.assertEqual(name(setup(9, 3), 5, View.SOURCE), name(setup(8, 3), 5, View.SOURCE))
        self.assertNotEqual(name(setup(9, 3), 5), name(setup(9, 3), 6))
