"""Damaged files: what can be read is read, what stands in for the rest is said, and nothing is taken for what it is not."""

from __future__ import annotations

import random
import tempfile
import zipfile
from pathlib import Path
from unittest import TestCase

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kalyptra.core.clip.facts import ClipFacts, Rate
from kalyptra.core.clip.maps import Channel, video_maps
from kalyptra.core.clip.probe import NotFootage, probe, probe_here
from kalyptra.core.clip.proxy import make_proxy
from kalyptra.core.clip.reader import FrameUnreadable, Mended, Picture, damage_words, open_clip
from kalyptra.core.tests import material

RATE = Rate(numerator=25, denominator=1)


class Broken:
    """A clip some of whose frames cannot be read; each picture tells its frame."""

    def __init__(self, facts: ClipFacts, lost: set[int]) -> None:
        self.facts, self.lost = facts, lost
        self.asked = 0

    def picture(self, frame: int) -> Picture:
        self.asked += 1
        if frame in self.lost or not 0 <= frame < self.facts.frames:
            raise FrameUnreadable(f"frame {frame}")
        return Picture(np.full((2, 2, 3), frame, np.uint8), self.facts.transfer)

    def close(self) -> None:
        pass


def facts_of(frames: int) -> ClipFacts:
    return ClipFacts(kind="video", container="x", codec="x", width=2, height=2, rate=RATE, frames=frames, transfer="bt709", bits=8)  # type: ignore[arg-type]  # fmt: skip


class Rule(TestCase):
    @given(st.sets(st.integers(0, 29), max_size=29), st.randoms(use_true_random=False))
    def test_a_lost_frame_is_the_one_before_or_else_the_next_in_whatever_order_they_are_asked_for(
        self, lost: set[int], chance: random.Random
    ) -> None:
        order = list(range(30))
        chance.shuffle(order)
        clip = Mended(Broken(facts_of(30), lost))
        for frame in order:
            before = [i for i in range(frame + 1) if i not in lost]
            wanted = before[-1] if before else min(i for i in range(30) if i not in lost)
            self.assertEqual(int(clip.picture(frame).codes[0, 0, 0]), wanted)
        self.assertEqual(clip.damaged, tuple(sorted(lost)))

    def test_a_long_damaged_stretch_costs_one_look_back_a_frame(self) -> None:
        broken = Broken(facts_of(200), set(range(50, 200)))
        clip = Mended(broken)
        for frame in range(200):
            clip.picture(frame)
        self.assertLess(broken.asked, 3 * 200)

    def test_a_clip_of_which_nothing_can_be_read_and_frames_beyond_it_are_refused(self) -> None:
        clip = Mended(Broken(facts_of(3), {0, 1, 2}))
        for frame in (0, 2, 3, -1):
            with self.assertRaises(FrameUnreadable):
                clip.picture(frame)

    def test_the_words_name_a_dozen_at_most(self) -> None:
        self.assertEqual(damage_words(()), "")
        self.assertTrue(damage_words((4, 7)).endswith("4, 7."))
        self.assertIn("11 and more", damage_words(tuple(range(40))))


class Files(TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def test_a_damaged_picture_of_a_sequence_is_the_one_before_it(self) -> None:
        path = self.folder / "a.zip"
        with zipfile.ZipFile(path, "w") as archive:
            for i in range(5):
                data = material.png(material.card(i))
                archive.writestr(f"{i}.png", data[:200] if i == 3 else data)
        facts = probe(path, RATE)
        clip = Mended(open_clip(path, facts))
        self.assertEqual([material.bar_of(clip.picture(i).codes) for i in range(5)], [0, 7, 14, 14, 28])
        self.assertEqual(clip.damaged, (3,))

    def test_a_member_whose_checksum_is_wrong_is_damaged_and_no_crash(self) -> None:
        path = material.archive(self.folder / "a.zip", ["0.png", "1.png", "2.png"])
        facts = probe(path, RATE)
        with zipfile.ZipFile(path) as archive:
            info = archive.getinfo("1.png")
        data = bytearray(path.read_bytes())
        data[info.header_offset + 400] ^= 0xFF
        path.write_bytes(bytes(data))
        clip = Mended(open_clip(path, facts))
        self.assertEqual(material.bar_of(clip.picture(1).codes), 0)
        self.assertEqual(clip.damaged, (1,))

    def test_behind_a_damaged_packet_the_clip_goes_on(self) -> None:
        made = material.video(self.folder / "a.mkv", 9, codec="ffv1", sound=None, options={"g": "1"})
        path = material.damaged(made, 4)
        facts = probe(path, RATE)
        reader = open_clip(path, facts)
        with self.assertRaises(FrameUnreadable):
            reader.picture(4)
        self.assertEqual([material.bar_of(reader.picture(i).codes) for i in (5, 6, 8)], [35, 42, 56])

    def test_a_proxy_has_all_frames_and_says_which_were_lost(self) -> None:
        made = material.video(self.folder / "a.mkv", 9, codec="ffv1", sound=None, options={"g": "1"})
        path = material.damaged(made, 0)
        facts = self.facts_despite(path, made)
        proxy, damaged = make_proxy(path, facts, self.folder / "p.mp4", self.folder / "p.jpg", lambda told: True)
        self.assertEqual((proxy.frames, len(proxy.pts), damaged), (9, 9, (0,)))
        first = open_clip(self.folder / "p.mp4", proxy).picture(0)
        self.assertAlmostEqual(material.bar_of(first.codes), 7, delta=1)

    def facts_despite(self, path: Path, made: Path) -> ClipFacts:
        """Facts of a clip whose first frame is lost since it was looked into."""
        sound = material.video(self.folder / "sound.mkv", 9, codec="ffv1", sound=None, options={"g": "1"})
        return probe(sound, RATE)

    def test_maps_of_a_damaged_clip_are_as_many_as_its_frames(self) -> None:
        made = material.video(self.folder / "a.mkv", 9, codec="ffv1", sound=None, options={"g": "1"})
        facts = probe(made, RATE)
        path = material.damaged(made, 4)
        maps = list(video_maps(path, facts, Channel.GREEN))
        self.assertEqual([material.bar_of(np.dstack([name] * 3)) for name in maps], [0, 7, 14, 21, 21, 35, 42, 49, 56])
        last = material.damaged(
            material.video(self.folder / "b.mkv", 5, codec="ffv1", sound=None, options={"g": "1"}), 4
        )
        self.assertEqual(len(list(video_maps(last, facts.model_copy(update={"frames": 5, "pts": facts.pts[:5]}), Channel.GREEN))), 5)  # fmt: skip

    @given(st.integers(0, 10_000), st.sampled_from(["video", "archive", "still"]))
    @settings(max_examples=60, deadline=None, derandomize=True)
    def test_damaged_bytes_are_footage_or_refused_in_words_and_never_anything_else(self, seed: int, kind: str) -> None:
        """In this process, so that what is raised is seen: outside it is fenced in besides."""
        chance = random.Random(seed)
        whole = self.sound(kind)
        data = bytearray(whole)
        for _ in range(chance.choice((1, 4, 32))):
            data[chance.randrange(len(data))] = chance.randrange(256)
        if chance.random() < 0.3:
            del data[chance.randrange(len(data)) :]
        path = self.folder / "damaged"
        path.write_bytes(bytes(data))
        try:
            facts = ClipFacts.model_validate(probe_here(str(path), [25, 1]))
        except NotFootage as refusal:
            self.assertGreater(len(str(refusal)), 20)
            return
        self.assertGreaterEqual(facts.frames, 1)

    def sound(self, kind: str) -> bytes:
        path = self.folder / f"sound-{kind}"
        if not path.exists():
            if kind == "video":
                material.video(self.folder / "v.mp4", 6, sound=None).rename(path)
            elif kind == "archive":
                material.archive(path, ["0.png", "1.png", "2.png"])
            else:
                path.write_bytes(cv2.imencode(".jpg", material.card(2))[1].tobytes())
        return path.read_bytes()
