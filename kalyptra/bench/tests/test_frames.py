"""Pictures for the viewer: right, kept within bounds, and made again when they were deleted."""

from __future__ import annotations

import shutil
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase

import cv2
import numpy as np

from kalyptra.bench import pictures
from kalyptra.bench.framecache import FrameCache
from kalyptra.core.tests import material
from kalyptra.work.tests.case import JobCase


class Frames(JobCase):
    def setUp(self) -> None:
        super().setUp()
        pictures._cache.cache_clear()
        self.addCleanup(pictures._cache.cache_clear)

    def test_each_view_of_each_frame_is_its_own(self) -> None:
        shot = self.ready()
        for frame in (0, 7):
            answer = self.client.get(f"/api/shots/{shot.pk}/frames/1/{frame}.jpg?view=source")
            self.assertIn("immutable", answer["Cache-Control"])
            picture = cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_COLOR)
            self.assertAlmostEqual(material.bar_of(picture), frame * 7, delta=1)
        url = f"/api/shots/{shot.pk}/frames/1/3.jpg?view="
        self.assertEqual(len({self.client.get(url + view).content for view in ("source", "result", "matte")}), 3)
        self.assertEqual(self.client.get(f"/api/shots/{shot.pk}/frames/1/99.jpg").status_code, 404)
        self.assertEqual(self.client.get(f"/api/shots/{shot.pk}/frames/9/0.jpg").status_code, 404)

    def test_a_draft_shows_what_is_not_saved(self) -> None:
        shot = self.ready()
        saved = self.client.get(f"/api/shots/{shot.pk}/frames/1/3.jpg?size=480").content
        wider = {"do": "set-at", "path": "lens.f_number", "frame": 0, "value": 22}
        body = {"base": 1, "commands": [wider], "frame": 3, "size": 480}
        draft = self.client.post(f"/api/shots/{shot.pk}/draft.jpg", body, content_type="application/json")
        self.assertNotEqual(draft.content, saved)
        shot.refresh_from_db()
        self.assertEqual(shot.head, 1)
        wider["value"] = -1
        self.assertEqual(
            self.client.post(f"/api/shots/{shot.pk}/draft.jpg", body, content_type="application/json").status_code, 422
        )

    def test_readings_follow_the_keys(self) -> None:
        shot = self.ready()
        keys = [{"frame": 0, "value": 1}, {"frame": 8, "value": 3}]
        answer = self.client.post(
            f"/api/shots/{shot.pk}/readings",
            {"base": 1, "commands": [{"do": "put-keys", "path": "focus.distance", "keys": keys}]},
            content_type="application/json",
        ).json()
        focus = [row["focus"] for row in answer["lens"]]
        self.assertEqual((focus[0], round(focus[4], 6), focus[8], focus[9]), (1, 1.5, 3, 3))


class Cache(TestCase):
    def test_it_stays_within_its_limit_and_keeps_what_was_used_last(self) -> None:
        with TemporaryDirectory() as name:
            cache = FrameCache(Path(name), limit=5000)
            for i in range(20):
                cache.get(f"{i:02}key", lambda: b"x" * 1000)
                path = Path(name) / f"{i:02}" / f"{i:02}key"
                import os

                os.utime(path, (i, i))
            cache.sweep()
            left = sorted(path.name for path in Path(name).glob("*/*"))
            self.assertEqual(left, ["16key", "17key", "18key", "19key"])

    def test_it_may_be_deleted_at_any_time(self) -> None:
        with TemporaryDirectory() as name:
            folder = Path(name) / "frames"
            cache = FrameCache(folder, limit=5000)
            self.assertEqual(cache.get("abkey", lambda: b"one"), b"one")
            self.assertEqual(cache.get("abkey", lambda: b"two"), b"one")
            shutil.rmtree(folder)
            self.assertEqual(cache.get("abkey", lambda: b"two"), b"two")
