"""Print the tide table's page: a made-up timetable for the demo scene, 2100 x 2940 px.

Usage: page.py OUT.png (needs Pillow and Debian's fonts-dejavu-core)
"""

import random
import sys

from PIL import Image, ImageDraw, ImageFont

SERIF, BOLD, MONO = (
    f"/usr/share/fonts/truetype/dejavu/{name}.ttf" for name in ("DejaVuSerif", "DejaVuSerif-Bold", "DejaVuSansMono")
)
FERRIES = ("Marrow", "Little Auk", "Copper Hen", "Saltwife", "Ninth Bell", "Old Tansy", "Pipit", "Long Anna")
NOTES = (
    "lamp side only",
    "calls at Weir Stairs",
    "parcels till six",
    "not in fog",
    "tea on board",
    "stands off at low water",
    "by request",
)

draw_at = random.Random(7)
page = Image.new("RGB", (2100, 2940), (232, 222, 196))
pen = ImageDraw.Draw(page)
ink, red = (38, 40, 52), (140, 40, 30)


def font(path: str, size: int) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(path, size)


pen.text((130, 110), "LANTERN QUAY", ink, font(BOLD, 168))
pen.text((134, 310), "Tides and ferries for the eleventh month", ink, font(SERIF, 66))
pen.line((130, 420, 1970, 420), ink, 8)
heads = (
    ("day", 130),
    ("high", 330),
    ("m", 570),
    ("low", 700),
    ("m", 940),
    ("ferry", 1080),
    ("leaves", 1450),
    ("note", 1660),
)
for words, x in heads:
    pen.text((x, 445), words, red, font(BOLD, 46))
y, minutes = 520, 312
for day in range(1, 31):
    if day % 2 == 0:
        pen.rectangle((120, y - 4, 1980, y + 66), (222, 211, 182))
    minutes = (minutes + 49 + draw_at.randint(-3, 3)) % 720
    low = (minutes + 372) % 1440
    row = (
        (f"{day:2}", BOLD), (f"{minutes // 60:02}:{minutes % 60:02}", MONO), (f"{3.4 + draw_at.random():.1f}", MONO),
        (f"{low // 60:02}:{low % 60:02}", MONO), (f"{0.3 + 0.7 * draw_at.random():.1f}", MONO), (draw_at.choice(FERRIES), SERIF),
        (f"{draw_at.randint(6, 21):02}:{draw_at.choice((5, 10, 25, 40, 55)):02}", MONO), (draw_at.choice(NOTES) if draw_at.random() < 0.6 else "", SERIF),
    )  # fmt: skip
    for (words, x), (text, face) in zip(heads, row, strict=True):
        size = 30 if words == "note" else 48
        pen.text((x, y + (12 if words == "note" else 0)), text, ink, font(face, size))
    y += 72
pen.line((130, y + 20, 1970, y + 20), ink, 4)
pen.text(
    (134, y + 40),
    "Times are those of the harbour clock. When two lamps hang at the weir, no boat leaves.",
    ink,
    font(SERIF, 36),
)
pen.text((134, y + 96), "Found parcels are kept at the ticket window for nine days.", red, font(SERIF, 36))
page.save(sys.argv[1], optimize=True)
