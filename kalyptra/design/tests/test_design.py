"""Both themes can be read: contrast by WCAG 2.2, success criteria 1.4.3 (text) and 1.4.11 (controls and marks)."""

from __future__ import annotations

import re
from pathlib import Path
from unittest import TestCase

from django.conf import settings

STYLES = Path(settings.ROOT) / "assets" / "styles.css"
TEXT = [("ink", "paper"), ("ink", "sheet"), ("second", "paper"), ("second", "sheet"), ("sheet", "ink"), ("ink", "hair"),
        ("focus-text", "sheet"), ("wrong", "sheet"), ("wrong", "paper")]  # fmt: skip
MARKS = [
    ("focus", "sheet"),
    ("limit", "sheet"),
    ("brick", "sheet"),
    ("blue", "sheet"),
    ("moss", "sheet"),
    ("plum", "sheet"),
]


def themes() -> dict[str, dict[str, str]]:
    text = STYLES.read_text()
    blocks = {
        "paper": re.search(r":root \{(.*?)\n\}", text, re.S),
        "dim": re.search(r'\[data-theme="dim"\] \{(.*?)\n\}', text, re.S),
    }
    return {
        name: dict(re.findall(r"--([\w-]+): (#[0-9a-f]{6})[ ;]", found[1])) for name, found in blocks.items() if found
    }


def luminance(colour: str) -> float:
    """Relative luminance, as WCAG defines it (of sRGB, IEC 61966-2-1)."""
    parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(a: str, b: str) -> float:
    light, dark = sorted((luminance(a), luminance(b)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


class Contrast(TestCase):
    def test_text_and_marks_stand_out_in_both_themes(self) -> None:
        found = themes()
        self.assertEqual(set(found), {"paper", "dim"})
        for theme, colours in found.items():
            for pairs, least in ((TEXT, 4.5), (MARKS, 3.0)):
                for first, other in pairs:
                    with self.subTest(theme=theme, pair=f"{first} on {other}"):
                        self.assertGreaterEqual(contrast(colours[first], colours[other]), least)
