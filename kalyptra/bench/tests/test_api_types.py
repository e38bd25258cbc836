"""The types of the page's scripts are made of the API as it is."""

from __future__ import annotations

import json
from pathlib import Path
from unittest import TestCase

from kalyptra.bench.management.commands.api_schema import schema

KEPT = Path(__file__).resolve().parents[3] / "assets" / "types" / "openapi.json"


class Types(TestCase):
    def test_the_kept_description_of_the_api_is_of_today(self) -> None:
        self.assertEqual(json.loads(KEPT.read_text()), schema(), f"bin/kalyptra manage api_schema > {KEPT}")
