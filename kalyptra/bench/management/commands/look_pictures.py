"""Make the small pictures of the looks that ship, from the demo's shots."""

from __future__ import annotations

from typing import Any

import cv2
from django.core.management.base import BaseCommand

from kalyptra.core import PutLook, Sources, apply, open_clip, render_frame
from kalyptra.library import looks, revisions, store
from kalyptra.library.demo import load_demo
from kalyptra.library.files import local_path
from kalyptra.library.models import Shot

SHOWN_ON = {
    "02-miniature": ("Harbour from above", 20),
    "03-page": ("Tide table", 30),
    "04-one-line": ("Tide table", 30),
    "05-soft-glow": ("Ticket window", 30),
    "06-dream": ("Ticket window", 30),
    "08-product-table": ("Tea glass", 10),
    "10-ground-fog": ("Harbour from above", 20),
}
"""Which shot a look is shown on, and at which frame; the others on the runner."""
WIDTH, HEIGHT = 192, 108


class Command(BaseCommand):
    help = "Make the small pictures of the looks that ship, from the demo's shots."

    def handle(self, *args: Any, **options: Any) -> None:
        load_demo()
        folder = looks.SHIPPED.parent.parent / "bench" / "static" / "bench" / "looks"
        folder.mkdir(exist_ok=True)
        for listed in looks.shipped():
            title, frame = SHOWN_ON.get(listed.key.removeprefix("shipped-"), ("Parcel runner", 40))
            shot = Shot.objects.get(title=title)
            parts = tuple(part for part in listed.look.parts if part.value != "edge")
            setup = apply(shot.setup, [PutLook(look=listed.look, parts=parts)], revisions.clip_of(shot))
            facts = shot.media.facts
            clip = open_clip(local_path(shot.media.file), facts)
            codes = render_frame(setup, frame, Sources(clip, facts.width, store.local()))
            clip.close()
            small = cv2.resize(cv2.cvtColor(codes, cv2.COLOR_RGB2BGR), (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA)
            done, data = cv2.imencode(".webp", small, [cv2.IMWRITE_WEBP_QUALITY, 82])
            if not done:
                raise RuntimeError(f"{listed.key} could not be written")
            (folder / f"{listed.key}.webp").write_bytes(data.tobytes())
            self.stdout.write(listed.key)
