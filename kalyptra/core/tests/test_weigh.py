"""The network: small, the same on every run, and better than the contest alone on what it has never seen."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from unittest import TestCase

import cv2
import numpy as np

from kalyptra.core import follow_mattes
from kalyptra.core.following.propagate.evidence import PLANES
from kalyptra.core.following.propagate.weigh import FILE, weighed
from kalyptra.truth.measures import overlap
from kalyptra.truth.motion.clip import MotionClip, Scenario
from kalyptra.truth.motion.scene import Background, Camera


class Network(TestCase):
    def test_it_is_under_4_megabytes_and_takes_windows_of_any_size(self) -> None:
        self.assertLess(FILE.stat().st_size, 4_000_000)
        planes = np.zeros((len(PLANES), 33, 47), np.float32)
        self.assertEqual(weighed(planes).shape, (33, 47))

    def test_the_same_planes_give_the_same_bytes_on_every_run_and_in_threads_at_once(self) -> None:
        planes = np.random.default_rng(1).normal(0, 1, (len(PLANES), 80, 96)).astype(np.float32)
        first = weighed(planes).tobytes()
        with ThreadPoolExecutor(4) as threads:
            self.assertEqual({result.tobytes() for result in threads.map(weighed, [planes] * 8)}, {first})

    def test_a_walking_figure_is_whole_after_a_second(self) -> None:
        made = Scenario("a check", "tune", "walker", Background.DEPTH, Camera.HANDHELD, frozenset(), 90_001, 26)
        clip = MotionClip(made)
        *_, last = follow_mattes({0: cv2.resize(clip.truth(0), (480, 270))}, clip, range(26))
        self.assertGreater(overlap(last.matte, clip.truth(25)), 0.88)
