"""Speed: which frames are shown when, what lies between them, and the sound that goes along."""

from __future__ import annotations

import tempfile
from fractions import Fraction
from pathlib import Path
from unittest import TestCase

import av
import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray
from scipy.interpolate import interp1d
from scipy.signal import welch

from kalyptra.core.clip.facts import Rate, Transfer
from kalyptra.core.clip.probe import probe
from kalyptra.core.clip.reader import open_clip
from kalyptra.core.clip.sound import SoundOf, sound_packets
from kalyptra.core.clip.transfer import to_codes, to_light
from kalyptra.core.edit import SetAt, apply
from kalyptra.core.edit.command import ClipExtent
from kalyptra.core.export import RenderJob, render_to_file
from kalyptra.core.finish.retime import frames_of, rendered_frames, retimed, taps_of
from kalyptra.core.setup.document.finish import Between, Finish, Speed
from kalyptra.core.setup.document.setup import Footage, Setup
from kalyptra.core.setup.resolve.finish import Timing, timing_of
from kalyptra.core.setup.time.easing import Ease
from kalyptra.core.setup.time.keyed import Key, Keyed
from kalyptra.core.tests import material

SPEEDS = st.lists(st.floats(0.25, 4), min_size=1, max_size=60).map(tuple)
RATE = 25


def place_of(taps: tuple[tuple[int, float], ...]) -> float:
    return sum(frame * weight for frame, weight in taps)


class Frames(TestCase):
    @given(SPEEDS, st.integers(0, 900), st.booleans())
    def test_whatever_the_speed_all_that_is_shown_is_of_the_range_and_comes_in_its_order(
        self, speeds: tuple[float, ...], first: int, mixes: bool
    ) -> None:
        timing = Timing(first, speeds, mixes)
        taps = taps_of(timing)
        self.assertEqual(len(taps), rendered_frames(timing))
        for each in taps:
            self.assertAlmostEqual(sum(weight for _, weight in each), 1)
            self.assertTrue(all(first <= frame <= timing.last and weight > 0 for frame, weight in each))
        middles = [max(each, key=lambda tap: tap[1])[0] for each in taps]
        self.assertEqual(middles, sorted(middles))
        pictures = (np.full((1, 1, 3), frame % 256, np.uint8) for frame in frames_of(taps))
        for each, codes in zip(taps, retimed(pictures, taps, Transfer.BT709), strict=True):
            if len(each) == 1:
                self.assertEqual(codes[0, 0, 0], each[0][0] % 256)

    @given(st.integers(0, 900), st.integers(1, 60), st.booleans())
    def test_at_the_clips_own_speed_each_frame_is_shown_once_as_it_is(
        self, first: int, count: int, mixes: bool
    ) -> None:
        taps = taps_of(Timing(first, (1.0,) * count, mixes))
        self.assertEqual(taps, [((frame, 1.0),) for frame in range(first, first + count)])

    def test_a_ramp_passes_as_its_integral_says(self) -> None:
        # Calculus: where the speed is v = a + b s at place s, the time is ln((a + b s) / a) / b.
        a, b, count = 0.5, 0.02, 100
        taps = taps_of(Timing(0, tuple(a + b * (frame + 0.5) for frame in range(count))))
        self.assertAlmostEqual(len(taps), np.log((a + b * count) / a) / b, delta=1)
        for time in range(0, len(taps) - 4, 7):
            self.assertAlmostEqual(place_of(taps[time]), (a * np.exp(b * time) - a) / b, delta=0.05)

    def test_between_two_frames_light_is_mixed(self) -> None:
        # Reference: SciPy's linear interpolation of the light of the frames.
        frames = np.random.default_rng(3).integers(0, 255, (9, 4, 5, 3)).astype(np.uint8)
        taps = taps_of(Timing(0, (0.4,) * 9))
        shown = list(retimed((frames[frame] for frame in frames_of(taps)), taps, Transfer.BT709))
        light = interp1d(np.arange(9), to_light(frames, Transfer.BT709), axis=0)
        for time, codes in enumerate(shown[:-2]):
            true = to_codes(np.float32(light(0.4 * time)), Transfer.BT709)
            np.testing.assert_allclose(codes.astype(int), true.astype(int), atol=1)

    def test_an_ease_that_overshoots_stays_within_what_a_speed_may_be(self) -> None:
        keys = (Key(frame=0, value=0.25, ease=Ease.EASED), Key(frame=50, value=4.0))
        speeds = timing_of(Speed(factor=Keyed(keys=keys)), 0, 60).speeds
        self.assertTrue(all(0.25 <= speed <= 4 for speed in speeds))
        self.assertEqual((speeds[0], speeds[-1]), (0.25, 4))


class Rendered(TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def render(self, source: Path, speed: Speed, first: int = 0, last: int = 49) -> tuple[Path, str]:
        facts = probe(source, Rate(numerator=RATE, denominator=1))
        setup = Setup(footage=Footage(first=first, last=last), finish=Finish(speed=speed))
        parts = Path(tempfile.mkdtemp(dir=self.folder))
        out = self.folder / "out.mp4"
        return out, render_to_file(RenderJob(setup, source, facts, first, last), parts, out, _go)

    def test_at_twice_the_speed_every_other_frame_is_left(self) -> None:
        source = material.video(self.folder / "a.mp4", frames=50)
        fast = Speed(factor=_steady(2.0), between=Between.NEAREST)
        out, words = self.render(source, fast, first=4, last=43)
        rate = Rate(numerator=RATE, denominator=1)
        before, after = (open_clip(path, probe(path, rate)) for path in (source, out))
        self.assertEqual(after.facts.frames, 20)
        for frame in (0, 7, 19):
            shown, true = (reader.picture(at).codes for reader, at in ((after, frame), (before, 4 + 2 * frame)))
            self.assertLess(np.abs(shown.astype(int) - true).mean(), 4)
        self.assertEqual(words, "The sound goes at the picture's speed, in its pitch.")

    def test_the_sound_keeps_its_pitch_and_goes_with_the_picture(self) -> None:
        source = material.video(self.folder / "a.mp4", frames=50, click=1.2)
        facts = probe(source, Rate(numerator=RATE, denominator=1))
        for speed in (0.25, 0.5, 2.0, 3.5):
            out = self.folder / f"{speed}.mp4"
            with av.open(str(out), "w") as target:
                _, packets, state = sound_packets(target, SoundOf(source, facts, 0, 49, speed))
                target.mux(packets)
            self.assertEqual(state, "retimed")
            samples, rate = heard(out)
            self.assertAlmostEqual(len(samples) / rate, 2 / speed, delta=0.05)
            frequencies, power = welch(samples, rate, nperseg=8192)
            self.assertAlmostEqual(frequencies[power.argmax()], 440, delta=8)
            hiss = np.convolve(np.abs(np.diff(samples, 3)), np.ones(480), "same")
            self.assertAlmostEqual(hiss.argmax() / rate, 1.2 / speed, delta=0.06)

    def test_the_sound_is_left_out_where_that_is_chosen_and_said(self) -> None:
        source = material.video(self.folder / "a.mp4", frames=4)
        out, words = self.render(source, Speed(factor=_steady(0.5), sound=False), last=3)
        with av.open(str(out)) as container:
            self.assertFalse(container.streams.audio)
        self.assertEqual(words, "The sound was left out, as the speed's setting says.")
        ramp = Keyed(keys=(Key(frame=0, value=0.5), Key(frame=3, value=2.0)))
        _, words = self.render(source, Speed(factor=ramp), last=3)
        self.assertIn("the speed changes", words)

    def test_a_speed_is_keyed_by_a_command_as_any_value_is(self) -> None:
        setup = Setup(footage=Footage(first=0, last=49))
        fast = apply(setup, [SetAt(path="finish.speed.factor", frame=0, value=3.0)], ClipExtent(1280, 720, 50))
        self.assertEqual(rendered_frames(timing_of(fast.finish.speed, 0, 49)), 17)


def _steady(value: float) -> Keyed[float]:
    return Keyed(keys=(Key(frame=0, value=value),))


def _go(done: int, rate: float) -> bool:
    return True


def heard(path: Path) -> tuple[NDArray[np.float32], int]:
    """The samples of a file's sound, and how many there are a second."""
    with av.open(str(path)) as container:
        stream = container.streams.audio[0]
        pieces = [frame.to_ndarray()[0] for frame in container.decode(stream)]
        return np.concatenate(pieces).astype(np.float32), int(Fraction(stream.rate))
