"""What is done after the lens: grain, colours, strength over a stretch."""

from __future__ import annotations

from itertools import pairwise
from typing import Any
from unittest import TestCase

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core import Setup, Sources, apply, read_setup, render_frame
from kalyptra.core.clip.facts import ClipFacts, FootageKind, Rate, Transfer
from kalyptra.core.clip.reader import Picture
from kalyptra.core.clip.transfer import code_of, light_of
from kalyptra.core.edit import ClipExtent
from kalyptra.core.edit.finish import LimitStretch
from kalyptra.core.edit.subjects import RemoveSubject
from kalyptra.core.finish.colours import GREY, LUMA, XYZ_TO_RGB, tone_curve, white_of, with_colours
from kalyptra.core.finish.measure_grain import NoGrain, measure_grain
from kalyptra.core.setup.document.finish import MeasuredGrain
from kalyptra.core.setup.resolve.finish import ColoursAt
from kalyptra.core.tests.test_surveying import hold, subject

Codes = NDArray[np.uint8]
Values = NDArray[np.float32]
HEIGHT, WIDTH = 270, 480
STRENGTH = (4.0, 3.2, 5.5)
"""Standard deviations of made grain in red, green and blue, codes, at code 128."""
FOCUSED, FAR = 2.0, 60.0


def grain(seed: int, coarse: float) -> Values:
    """Grain of its own in each channel, one standard deviation."""
    noise = np.random.default_rng(seed).standard_normal((HEIGHT, WIDTH, 3)).astype(np.float32)
    if coarse:
        noise = cv2.GaussianBlur(noise, (0, 0), coarse)
    return np.asarray(noise / noise.std(axis=(0, 1)), np.float32)


def with_grain(clean: Values, seed: int, coarse: float = 0.0) -> Codes:
    """Codes with grain that is stronger in dark tones."""
    sigma = np.array(STRENGTH, np.float32) * (1.5 - clean / 255)
    return np.clip(np.round(clean + grain(seed, coarse) * sigma), 0, 255).astype(np.uint8)


def quay() -> Values:
    """A clean picture: a slope of tones below, planks above."""
    clean = np.empty((HEIGHT, WIDTH, 3), np.float32)
    clean[:] = np.linspace(40, 210, WIDTH, dtype=np.float32)[None, :, None]
    planks = 30 * np.sin(np.arange(HEIGHT, dtype=np.float32) / 2.2)[:, None, None]
    clean[: HEIGHT // 2] += planks[: HEIGHT // 2]
    return clean


class Clip:
    """A clip of made pictures."""

    def __init__(self, picture: Any) -> None:
        self._picture = picture
        self.facts = ClipFacts(kind=FootageKind.STILL, container="still", codec="picture", width=WIDTH, height=HEIGHT,
                               frames=100, rate=Rate(numerator=25, denominator=1), transfer=Transfer.SRGB, bits=8)  # fmt: skip

    def picture(self, frame: int) -> Picture:
        return Picture(self._picture(frame), Transfer.SRGB)

    def close(self) -> None: ...


def sources(picture: Any) -> Sources:
    return Sources(Clip(picture), WIDTH)


def setup(**finish: Any) -> Setup:
    """Somebody in focus before a backdrop that opens to discs of 16 px."""
    lens = {"aperture": "softness", "softness": hold(16.0)}
    wall = {"kind": "backdrop", "id": "wall", "distance": hold(FAR)}
    return read_setup(
        {"version": 6, "footage": {"first": 0, "last": 99}, "subjects": [subject(FOCUSED)], "lens": lens,
         "distance": {"sources": [wall]}, "focus": {"distance": hold(FOCUSED)}, "finish": finish}
    )  # fmt: skip


def measured(coarse: float = 0.0, clean: Values | None = None) -> MeasuredGrain:
    base = quay() if clean is None else clean
    frames = [with_grain(base, seed, coarse) for seed in range(9)]
    return measure_grain(pairwise(frames), 0, 8)


def octaves(patches: list[Values]) -> Values:
    """Power of square patches by octave: up to 1/16, 1/8, 1/4 and 1/2 cycle a pixel; dB."""
    side = patches[0].shape[0]
    window = np.outer(np.hanning(side), np.hanning(side))[..., None]
    power = np.mean(
        [np.abs(np.fft.fft2((p - p.mean(axis=(0, 1))) * window, axes=(0, 1))) ** 2 for p in patches], axis=0
    )
    frequency = np.hypot(np.fft.fftfreq(side)[:, None], np.fft.fftfreq(side)[None, :])
    ends = (1 / 32, 1 / 16, 1 / 8, 1 / 4, 1 / 2)
    bands = [power[(frequency >= a) & (frequency < b)].mean() for a, b in pairwise(ends)]
    return np.asarray(10 * np.log10(bands), np.float32)


class Grain(TestCase):
    def test_its_strength_by_tone_and_colour_and_its_spectrum_are_measured(self) -> None:
        for coarse in (0.0, 0.7, 1.1):
            with self.subTest(coarse=coarse):
                found = measured(coarse)
                for tones, strength in zip(found.channels, STRENGTH, strict=True):
                    truth = [strength * (1.5 - at.tone) for at in tones]
                    np.testing.assert_allclose([at.deviation for at in tones], truth, rtol=0.08)
                falls = found.spectra[0][1] / max(found.spectra[0][8], 1e-3)
                self.assertLess(falls, 1.3) if coarse == 0 else self.assertGreater(falls, 3)

    def test_what_was_blurred_has_as_much_of_it_as_what_is_sharp(self) -> None:
        clean = np.full((HEIGHT, WIDTH, 3), (150, 128, 90), np.float32)
        for coarse in (0.0, 0.8):
            given_back = {"strength": hold(1.0), "measured": measured(coarse).model_dump(mode="json")}
            clip = sources(lambda frame, coarse=coarse: with_grain(clean, 50 + frame, coarse))
            shown = [render_frame(setup(grain=given_back), frame, clip).astype(np.float32) for frame in range(6)]
            blurred = [frame[10:110, at : at + 96] for frame in shown for at in (8, 340)]
            sharp = [frame[115:185, 205:275] for frame in shown]
            with self.subTest(coarse=coarse):
                np.testing.assert_allclose(
                    np.std(blurred, axis=(1, 2)).mean(axis=0), np.std(sharp, axis=(1, 2)).mean(axis=0), rtol=0.1
                )
                apart = octaves([p[:64, :64] for p in blurred]) - octaves([p[:64, :64] for p in sharp])
                self.assertLess(float(np.abs(apart).max()), 2.0)
                bare = [render_frame(setup(), frame, clip).astype(np.float32) for frame in range(6)]
                self.assertLess(float(np.std([f[10:110, 8:104] for f in bare], axis=(1, 2)).mean()), 1.0)

    def test_it_neither_repeats_nor_flickers(self) -> None:
        clean = np.full((HEIGHT, WIDTH, 3), 120, np.float32)
        given_back = {"strength": hold(1.0), "measured": measured().model_dump(mode="json")}
        bare, full = setup(), setup(grain=given_back)
        clip = sources(lambda frame: clean.astype(np.uint8))
        shown = [render_frame(full, frame, clip).astype(np.float32) for frame in range(8)]
        np.testing.assert_array_equal(render_frame(full, 3, clip), shown[3])  # whoever renders it
        base = render_frame(bare, 0, clip).astype(np.float32)
        means = [float((frame - base)[:100].mean()) for frame in shown]
        self.assertLess(float(np.ptp(means)), 0.1)
        noise = (shown[0] - base)[:100, :160, 1]
        waves = np.fft.fft2(noise - noise.mean(), (256, 512))
        alike = np.fft.ifft2(np.abs(waves) ** 2).real
        alike /= alike[0, 0]
        alike[0, 0] = 0
        self.assertLess(float(np.abs(alike[:65, :65]).max()), 0.15)
        for frame in shown[1:]:
            other = (frame - base)[:100, :160, 1]
            self.assertLess(abs(float(np.corrcoef(noise.ravel(), other.ravel())[0, 1])), 0.05)

    def test_where_there_is_none_it_says_so(self) -> None:
        still = [quay().astype(np.uint8)] * 3
        with self.assertRaises(NoGrain):
            measure_grain(pairwise(still), 0, 2)


class Colours(TestCase):
    def test_saturation_and_tint_keep_luminance(self) -> None:
        before = np.random.default_rng(2).uniform(0.05, 0.9, (20, 30, 3)).astype(np.float32)
        for colours in (
            ColoursAt(saturation=0),
            ColoursAt(saturation=1.7),
            ColoursAt(tint=(0.2, 0.4, 0.7), tint_strength=1),
        ):
            with self.subTest(colours):
                after = before.copy()
                with_colours(after, colours, Transfer.SRGB)
                np.testing.assert_allclose(after @ LUMA, before @ LUMA, rtol=1e-3)
        grey = before.copy()
        with_colours(grey, ColoursAt(saturation=0), Transfer.SRGB)
        self.assertLess(float(np.ptp(grey, axis=2).max()), 1e-4)

    def test_exposure_is_in_stops_and_contrast_turns_about_grey(self) -> None:
        light = np.array([[[0.05, GREY, 0.6]]], np.float32)
        brighter = light.copy()
        with_colours(brighter, ColoursAt(exposure=1.0), Transfer.SRGB)
        np.testing.assert_allclose(brighter, light * 2, rtol=1e-5)
        steeper = light.copy()
        with_colours(steeper, ColoursAt(contrast=1.5, gamma=1.2), Transfer.SRGB)
        np.testing.assert_allclose(steeper, (GREY * (light / GREY) ** 1.5) ** (1 / 1.2), rtol=2e-3)
        self.assertEqual(float(tone_curve(0.8, 1.0, 1.0)[0]), 0.0)

    def test_two_changes_at_once_are_as_one_after_the_other(self) -> None:
        light = np.random.default_rng(1).uniform(0, 1.5, (13, 9, 3)).astype(np.float32)
        share = np.random.default_rng(2).uniform(0, 1, (13, 9)).astype(np.float32)
        for first in (ColoursAt(saturation=0.3, warmth=40), ColoursAt(contrast=1.3, exposure=0.4)):
            for second in (ColoursAt(exposure=-0.5), ColoursAt(gamma=1.4)):
                with self.subTest(first=first, second=second):
                    at_once, apart = light.copy(), light.copy()
                    with_colours(at_once, first, Transfer.SRGB, share, second)
                    with_colours(apart, first, Transfer.SRGB, share)
                    with_colours(apart, second, Transfer.SRGB)
                    np.testing.assert_allclose(at_once, apart, rtol=2e-3, atol=1e-5)

    def test_a_warmer_white_is_that_of_the_daylight_illuminants(self) -> None:
        # CIE 15:2004, table T.3: D50 has x 0.3457 and y 0.3585 at 5003 K, D65 0.3127 and 0.3290 at 6504 K.
        gains = white_of(1e6 / 5003 - 1e6 / 6504)
        white = np.linalg.inv(XYZ_TO_RGB) @ (gains * (XYZ_TO_RGB @ np.array([0.3127 / 0.3290, 1, 0.3583 / 0.3290])))
        np.testing.assert_allclose(white[:2] / white.sum(), (0.3457, 0.3585), atol=5e-4)
        self.assertAlmostEqual(float(LUMA @ gains), 1, places=6)

    def test_what_is_out_of_focus_loses_its_colour_and_the_subject_keeps_it(self) -> None:
        codes = np.full((HEIGHT, WIDTH, 3), (170, 120, 60), np.uint8)
        clip = sources(lambda frame: codes)
        for driven in ({"driven_by": "blur"}, {"driven_by": "outside", "subject": "runner"},
                       {"driven_by": "distance", "distance_from": 5.0, "distance_to": 20.0}):  # fmt: skip
            with self.subTest(**driven):
                shown = render_frame(setup(outside={"saturation": hold(0.0), **driven}), 0, clip).astype(int)
                self.assertLess(int(np.ptp(shown[20, 20])), 2)
                np.testing.assert_allclose(shown[150, 240], codes[0, 0], atol=1)

    def test_a_flat_colour_lies_around_the_subject_alone(self) -> None:
        codes = np.full((HEIGHT, WIDTH, 3), 150, np.uint8)
        flat = {"strength": hold(1.0), "colour": "#c8741c", "subject": "runner", "softness": 10}
        shown = render_frame(setup(flat=flat), 0, sources(lambda frame: codes))
        np.testing.assert_allclose(shown[20, 20], (0xC8, 0x74, 0x1C), atol=1)
        np.testing.assert_allclose(shown[150, 240], 150, atol=1)


class Strength(TestCase):
    def test_half_of_it_is_half_way_in_light(self) -> None:
        codes = with_grain(quay(), 3)
        clip = sources(lambda frame: codes)
        full, half, none = (render_frame(setup(strength=hold(share)), 0, clip) for share in (1.0, 0.5, 0.0))
        np.testing.assert_array_equal(none, codes)
        mean = code_of((light_of(full / 255, Transfer.SRGB) + light_of(codes / 255, Transfer.SRGB)) / 2, Transfer.SRGB)
        np.testing.assert_allclose(half, mean * 255, atol=1.5)

    def test_outside_of_a_stretch_the_source_comes_through_and_ramps_rise_evenly(self) -> None:
        def clip(frame: int) -> Codes:
            return with_grain(quay(), frame)

        stretch = {"first": 20, "last": 59, "ramp_in": 9, "ramp_out": 9}
        limited = setup(stretch=stretch)
        for frame in (0, 19, 60, 99):
            np.testing.assert_array_equal(render_frame(limited, frame, sources(clip)), clip(frame))
        for frame in (29, 40, 50):
            np.testing.assert_array_equal(
                render_frame(limited, frame, sources(clip)), render_frame(setup(), frame, sources(clip))
            )
        apart = []
        for frame in range(19, 31):
            shown = render_frame(limited, frame, sources(clip)).astype(float)
            apart.append(float(np.abs(shown - clip(frame)).mean()))
        self.assertEqual(apart, sorted(apart[:11]) + apart[11:])
        self.assertLess(max(np.diff(apart)), 0.25 * max(apart))  # no jump: a new result is not suddenly there

    def test_a_stretch_is_set_and_given_up(self) -> None:
        extent = ClipExtent(WIDTH, HEIGHT, 100)
        one = apply(setup(), [LimitStretch(first=10, last=15)], extent).finish.stretch
        assert one
        self.assertLessEqual(one.ramp_in + one.ramp_out, 6)
        self.assertIsNone(apply(setup(), [LimitStretch()], extent).finish.stretch)

    def test_who_is_taken_away_is_named_no_more(self) -> None:
        named = setup(outside={"driven_by": "outside", "subject": "runner"}, flat={"subject": "runner"})
        without = apply(named, [RemoveSubject(id="runner")], ClipExtent(WIDTH, HEIGHT, 100))
        self.assertEqual((without.finish.outside.subject, without.finish.flat.subject), (None, None))
