"""A clip whose proxy is still being made: its pictures lie in a folder, one by one, until the whole is there.

They come in their order; those that somebody waits for come first.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core.clip.facts import ClipFacts
from kalyptra.core.clip.reader import FrameUnreadable, Picture

MOST = 3000
"""Frames that are put there: about 200 MB of the working folder."""
QUALITY = 90
AHEAD = 12
"""Frames that are put there at once where somebody looks."""
WANTED = "wanted"


class NotYet(FrameUnreadable):
    """A frame that is still to come."""


def put_picture(folder: Path, frame: int, codes: NDArray[np.uint8]) -> None:
    """Put a frame's picture there, whole or not at all, unless it is there.

    Args:
        codes: (height, width, 3) RGB.
    """
    if frame >= MOST or _place(folder, frame).exists():
        return
    done, data = cv2.imencode(".jpg", cv2.cvtColor(codes, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, QUALITY])
    aside = folder / "next.part"
    aside.write_bytes(data.tobytes())
    aside.replace(_place(folder, frame))


def want(folder: Path, frame: int) -> None:
    """Say that somebody waits for a frame; only the newest wish counts."""
    if folder.is_dir():
        (folder / WANTED).write_text(str(frame))


def wanted(folder: Path, frames: int) -> list[int]:
    """The frames that somebody waits for and that are not there; the wish is taken away."""
    place = folder / WANTED
    try:
        text = place.read_text()[:12]
        place.unlink()
    except OSError:
        return []
    if not text.isascii() or not text.isdigit():
        return []
    first = int(text)
    return [frame for frame in range(first, min(first + AHEAD, frames, MOST)) if not _place(folder, frame).exists()]


@dataclass(frozen=True)
class Emerging:
    """Pictures of a proxy that is being made, as a source.

    Attributes:
        facts: of the clip; its pictures are as large as the proxy's.
        folder: where they lie.
    """

    facts: ClipFacts
    folder: Path

    def picture(self, frame: int) -> Picture:
        """
        Raises:
            NotYet: it is not there yet.
            FrameUnreadable: the clip has no such frame.
        """
        if not 0 <= frame < self.facts.frames:
            raise FrameUnreadable(f"frame {frame} lies outside the {self.facts.frames} frames")
        try:
            data = np.frombuffer(_place(self.folder, frame).read_bytes(), np.uint8)
        except OSError:
            raise NotYet(f"frame {frame} is still being prepared") from None
        codes = cv2.cvtColor(cv2.imdecode(data, cv2.IMREAD_COLOR), cv2.COLOR_BGR2RGB)
        return Picture(np.asarray(codes, np.uint8), self.facts.transfer)

    def close(self) -> None:
        pass


def _place(folder: Path, frame: int) -> Path:
    return folder / f"{frame:06}.jpg"
