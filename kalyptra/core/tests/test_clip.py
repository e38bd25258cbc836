"""Footage of all kinds comes in upright, at a constant rate, with the right frame behind each number; nothing else does."""

from __future__ import annotations

import tempfile
from fractions import Fraction
from pathlib import Path
from unittest import TestCase

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from kalyptra.core.clip.emerging import Emerging, NotYet, want, wanted
from kalyptra.core.clip.facts import ClipFacts, FootageKind, Rate, Transfer
from kalyptra.core.clip.probe import LongGaps, NotFootage, conform, probe
from kalyptra.core.clip.proxy import make_proxy
from kalyptra.core.clip.reader import FrameUnreadable, open_clip
from kalyptra.core.clip.timecode import timecode
from kalyptra.core.clip.transfer import code_of, light_of, to_codes, to_light
from kalyptra.core.tests import material

RATE = Rate(numerator=25, denominator=1)
NTSC = Rate(numerator=30000, denominator=1001)


class Folder(TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def frame_bars(self, path: Path, facts: ClipFacts, frames: list[int]) -> list[int]:
        reader = open_clip(path, facts)
        self.addCleanup(reader.close)
        return [material.bar_of(reader.picture(frame).codes) for frame in frames]


class Gaps(Folder):
    def test_few_pictures_far_apart_invent_no_hours_unless_their_gaps_are_shortened(self) -> None:
        stamps = [40 * i for i in range(39)] + [20_000_000]  # ms
        path = material.video(self.folder / "a.mkv", 40, stamps=stamps, sound="aac")
        with self.assertRaisesRegex(
            LongGaps, r"40 pictures over 5 h 33 min.* 499,\d+ frames|40 pictures over 5 h 33 min"
        ):
            probe(path, RATE)
        facts = probe(path, RATE, shorten_gaps=True)
        self.assertEqual((facts.frames, facts.audio), (39 + 250, None))
        self.assertIn("shortened", " ".join(facts.notes))

    @given(st.lists(st.integers(1, 5000), min_size=1, max_size=60))
    def test_conforming_keeps_within_what_the_file_holds(self, steps: list[int]) -> None:
        stamps = [0]
        for step in steps:
            stamps.append(stamps[-1] + step)
        longest = None
        try:
            pts, rate, _ = conform(stamps, Fraction(1, 1000), None)
        except LongGaps:
            longest = 1.0
            pts, rate, _ = conform(stamps, Fraction(1, 1000), None, longest)
        self.assertTrue(set(pts) <= set(stamps))
        self.assertEqual(pts, sorted(pts))
        if longest is None:
            self.assertLessEqual(len(pts), 8 * len(stamps) + 250)
        else:
            median = sorted(steps)[len(steps) // 2] / 1000
            self.assertLessEqual(len(pts) / rate, len(stamps) * max(longest, median + 0.01) + 1)


class Taken(Folder):
    def test_every_frame_number_gives_its_own_frame_in_any_order(self) -> None:
        path = material.video(self.folder / "a.mp4")
        facts = probe(path, RATE)
        self.assertEqual((facts.frames, facts.rate, facts.audio), (30, RATE, "aac"))
        order = [0, 1, 2, 17, 3, 29, 28, 9, 10, 11, 0]
        bars = self.frame_bars(path, facts, order)
        np.testing.assert_allclose(bars, [(frame * 7) % 150 for frame in order], atol=1)

    def test_containers_are_told_by_their_bytes(self) -> None:
        for suffix, codec in ((".mkv", "libx264"), (".webm", "libvpx-vp9"), (".avi", "mpeg4"), (".mov", "libx264")):
            made = material.video(self.folder / f"clip{suffix}", frames=6, codec=codec, sound=None, options={})
            hidden = made.rename(self.folder / f"no-suffix{suffix[1:]}")
            facts = probe(hidden, RATE)
            self.assertEqual((facts.kind, facts.frames, facts.audio), (FootageKind.VIDEO, 6, None), suffix)

    def test_a_turned_phone_clip_stands_upright(self) -> None:
        path = material.turned_clockwise(material.video(self.folder / "a.mp4", frames=3), self.folder / "turned.mp4")
        facts = probe(path, RATE)
        self.assertEqual((facts.width, facts.height, facts.rotation), (90, 160, 90))
        corner = open_clip(path, facts).picture(0).codes[10, -10]  # the upper left corner is turned to the upper right
        self.assertGreater(int(corner[0]), int(corner[2]) + 90)

    def test_a_variable_rate_is_made_constant_and_said(self) -> None:
        stamps = [i * 40 for i in range(10)] + [400 + i * 80 for i in range(10)]
        path = material.video(self.folder / "v.mkv", frames=20, stamps=stamps, sound=None)
        facts = probe(path, RATE)
        self.assertIn("Variable frame rate", facts.notes[0])
        # 1.2 seconds of film stay 1.2 seconds, whatever constant rate was found for them.
        self.assertAlmostEqual(facts.seconds, 1.2, delta=0.09)
        middle = self.frame_bars(path, facts, [round(0.6 * facts.rate.fraction)])[0]
        self.assertIn(round(middle / 7), (12, 13))

    def test_ten_bits_and_odd_sizes_are_kept(self) -> None:
        path = material.video(self.folder / "t.mkv", 4, NTSC.fraction, (91, 161), "libx265", "yuv444p10le", None,
                              options={"crf": "6", "x265-params": "log-level=none"})  # fmt: skip
        facts = probe(path, RATE)
        self.assertEqual((facts.bits, facts.width, facts.height, facts.rate), (10, 161, 91, NTSC))
        codes = open_clip(path, facts).picture(2).codes
        self.assertEqual((codes.dtype, codes.shape), (np.uint16, (91, 161, 3)))
        np.testing.assert_allclose(codes[20, 10] / 257, material.card(2, (91, 161))[20, 10], atol=5)

    def test_a_zip_of_pictures_counts_as_people_do(self) -> None:
        path = material.archive(self.folder / "s.zip", [f"take/f{n}.png" for n in range(8, 13)])
        facts = probe(path, RATE)
        self.assertEqual((facts.kind, facts.frames), (FootageKind.SEQUENCE, 5))
        self.assertEqual(self.frame_bars(path, facts, [0, 1, 4]), [0, 7, 28])

    def test_a_still_lasts_five_seconds(self) -> None:
        path = self.folder / "still"
        path.write_bytes(material.png(material.card(0)))
        facts = probe(path, RATE)
        self.assertEqual((facts.kind, facts.seconds, facts.transfer), (FootageKind.STILL, 60, Transfer.SRGB))
        np.testing.assert_array_equal(open_clip(path, facts).picture(124).codes, material.card(0))

    def test_stills_of_all_kinds_come_in_upright(self) -> None:
        turned = Image.Exif()
        turned[0x0112] = 6  # EXIF orientation: turn by 90 degrees clockwise to stand upright
        for kind, more in (("JPEG", {"quality": 95, "exif": turned}), ("TIFF", {}), ("WEBP", {"lossless": True})):
            path = self.folder / kind
            Image.fromarray(material.card(0)).save(path, kind, **more)
            facts = probe(path, RATE)
            codes = open_clip(path, facts).picture(0).codes
            self.assertEqual((facts.height, facts.width), codes.shape[:2], kind)
            self.assertEqual(facts.width, 90 if kind == "JPEG" else 160)
            corner = codes[10, -10] if kind == "JPEG" else codes[10, 10]
            self.assertGreater(int(corner[0]), int(corner[2]) + 90, kind)

    def test_a_proxy_shows_the_same_frames(self) -> None:
        path = material.video(self.folder / "a.mp4", size=(270, 480))
        facts, reports = probe(path, RATE), []
        proxy, poster = self.folder / "p.mp4", self.folder / "p.jpg"
        early = self.folder / "early"
        early.mkdir()
        want(early, 24)  # somebody looks there
        made, bad = make_proxy(
            path, facts, proxy, poster, lambda report: reports.append(report) or True, pictures=early
        )
        came = sorted(early.glob("*.jpg"), key=lambda picture: picture.stat().st_mtime_ns)
        self.assertEqual([int(picture.stem) for picture in came], [0, *range(24, 30), *range(1, 24)])
        self.assertEqual((made.frames, bad, made.width), (30, (), 480))
        self.assertTrue(poster.read_bytes().startswith(b"\xff\xd8") and reports)
        np.testing.assert_allclose(self.frame_bars(proxy, made, [0, 13, 29]), [0, 91, 203], atol=1)
        emerging = Emerging(facts, early)  # each of them is there before the whole is
        np.testing.assert_allclose(
            [material.bar_of(emerging.picture(i).codes[..., ::-1]) for i in (0, 13, 29)], [0, 91, 203], atol=1
        )
        want(early, 3)
        self.assertEqual(wanted(early, 30), [])  # it is there
        (early / "000020.jpg").unlink()
        want(early, 15)
        self.assertEqual((wanted(early, 30), wanted(early, 30)), ([20], []))  # a wish is told once
        with self.assertRaises(NotYet):
            Emerging(facts, self.folder).picture(3)


class Refused(Folder):
    def test_what_is_no_footage_gets_a_reason(self) -> None:
        sound = self.folder / "sound.mp4"
        import av

        with av.open(str(sound), "w") as container:
            stream = container.add_stream("aac", rate=48000)
            frame = av.AudioFrame.from_ndarray(np.zeros((1, 1024), np.float32), "fltp", "mono")
            frame.sample_rate = 48000
            container.mux(stream.encode(frame))
            container.mux(stream.encode(None))
        cases = {
            "text": (b"a letter to the harbour master", "no footage"),
            "empty": (b"", "no footage"),
            "disguise": (b"\0\0\0\x18ftypmp42" + np.random.default_rng(1).bytes(4000), "cannot be opened"),
            "playlist": (b"#EXTM3U\n#EXT-X-VERSION:3\nfile:///etc/passwd\n", "no footage"),
            "listing": (b"ffconcat version 1.0\nfile /etc/passwd\n", "no footage"),
            "bomb": (material.huge_png(60000, 60000), "megapixels"),
            "zip": (b"PK\x03\x04" + b"x" * 200, "ZIP archive is damaged"),
            "sound": (sound.read_bytes(), "no picture"),
        }
        for name, (data, reason) in cases.items():
            path = self.folder / name
            path.write_bytes(data)
            with self.subTest(name), self.assertRaisesRegex(NotFootage, reason):
                probe(path, RATE)

    def test_a_clip_that_breaks_off_is_used_as_far_as_it_goes(self) -> None:
        whole = material.video(self.folder / "w.mkv", frames=40, sound=None).read_bytes()
        path = self.folder / "cut.mkv"
        path.write_bytes(whole[: len(whole) * 2 // 3])
        facts = probe(path, RATE)
        self.assertLess(facts.frames, 40)
        self.assertGreater(facts.frames, 5)
        open_clip(path, facts).picture(facts.frames // 2)
        with self.assertRaises(FrameUnreadable):
            open_clip(path, facts).picture(facts.frames)


class Conforming(TestCase):
    @given(st.sampled_from([24, 25, 30, 50]), st.integers(2, 200))
    def test_milliseconds_of_a_container_are_no_variable_rate(self, rate: int, frames: int) -> None:
        stamps = [round(1000 * i / rate) for i in range(frames)]
        chosen, found, varied = conform(stamps, Fraction(1, 1000), Fraction(rate))
        self.assertEqual((chosen, found, varied), (stamps, rate, False))


class TimeAndLight(TestCase):
    def test_drop_frame_timecode(self) -> None:
        # SMPTE ST 12-1, at 30000/1001.
        self.assertEqual(timecode(1799, NTSC), "00:00:59;29")
        self.assertEqual(timecode(1800, NTSC), "00:01:00;02")
        self.assertEqual(timecode(17982, NTSC), "00:10:00;00")
        self.assertEqual(timecode(107892, NTSC), "01:00:00;00")
        self.assertEqual(timecode(1500, RATE), "00:01:00:00")

    @given(st.integers(0, 2_000_000))
    def test_dropped_numbers_never_appear(self, frame: int) -> None:
        minutes, seconds, frames = timecode(frame, NTSC)[3:5], timecode(frame, NTSC)[6:8], timecode(frame, NTSC)[9:]
        self.assertFalse(frames in ("00", "01") and seconds == "00" and int(minutes) % 10)

    def test_transfer_curves(self) -> None:
        # IEC 61966-2-1: code 0.5; 18 % grey. Recommendation ITU-R BT.709: the curve at 0.018 and at 0.5.
        self.assertAlmostEqual(float(light_of(np.array(0.5), Transfer.SRGB)), 0.21404, 5)
        self.assertAlmostEqual(float(code_of(np.array(0.18), Transfer.SRGB)) * 255, 117.6, 1)
        self.assertAlmostEqual(float(code_of(np.array(0.018), Transfer.BT709)), 4.5 * 0.018, 3)
        self.assertAlmostEqual(float(code_of(np.array(0.5), Transfer.BT709)), 1.099 * 0.5**0.45 - 0.099, 6)

    def test_eight_bits_survive_the_way_to_light_and_back(self) -> None:
        codes = np.arange(256, dtype=np.uint8).repeat(3).reshape(16, 16, 3)
        for transfer in Transfer:
            np.testing.assert_array_equal(to_codes(to_light(codes, transfer), transfer), codes)
