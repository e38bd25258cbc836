"""Demo clips as they are followed, with their truth, and what a careful hand would draw on them.

J is region similarity, F contour accuracy as in Perazzi et al., A benchmark dataset and evaluation methodology for
video object segmentation, CVPR 2016.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from functools import lru_cache
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core import (
    ClipFacts,
    Curve,
    Joins,
    Motion,
    Outline,
    Refine,
    drawn_matte,
    drawn_outline,
    fit_closed,
    follow_range,
    keyed_by_hand,
    open_clip,
    outline_at,
)
from kalyptra.truth.demo import DEMO

POST_NEAR, POST_FAR = 3.0, 3.7
"""Metres between which the mooring post of the runner's clip lies."""
OCCLUSION = 53
"""First frame of the runner's clip in which the post hides part of the body."""


class TrackedClip:
    """A demo clip as its proxy, with its truth."""

    def __init__(self, scene: str) -> None:
        self.folder = DEMO / scene
        self.path = self.folder / "clip.mp4"
        prepared = json.loads((self.folder / "prepared.json").read_text())
        facts = ClipFacts.model_validate(prepared["facts"])
        self.width, self.frames = facts.width, facts.frames
        self.footage = open_clip(self.folder / "proxy.mp4", ClipFacts.model_validate(prepared["proxy_facts"]))

    @property
    def _mattes(self) -> GreyClip:
        return grey_clip(self.folder / "matte.mkv")

    def truth(self, frame: int) -> NDArray[np.float32]:
        return self._mattes[frame].astype(np.float32) / np.float32(255)

    def matte(self, outlines: Sequence[Outline], frame: int) -> NDArray[np.bool_]:
        size = self._mattes[0].shape
        whole = drawn_matte([outline_at(outline, frame) for outline in outlines], Refine(), (size[0], size[1]), 1.0)
        return whole > 0.5

    def overlap(self, outlines: Sequence[Outline], frame: int) -> float:
        """J: intersection over union."""
        mine, true = self.matte(outlines, frame), self.truth(frame) > 0.5
        either = int((mine | true).sum())
        return float((mine & true).sum() / either) if either else 1.0

    def contour(self, outlines: Sequence[Outline], frame: int) -> float:
        """F: the harmonic mean of how much of either contour lies near the other, within 0.8 % of the diagonal."""
        near = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * round(0.008 * np.hypot(720, 1280)) + 1,) * 2)
        edges = [_edge(matte) for matte in (self.matte(outlines, frame), self.truth(frame) > 0.5)]
        wide = [cv2.dilate(edge, near) for edge in edges]
        precision = float((edges[0] & wide[1]).sum() / max(edges[0].sum(), 1))
        recall = float((edges[1] & wide[0]).sum() / max(edges[1].sum(), 1))
        return 2 * precision * recall / max(precision + recall, 1e-9)


class GreyClip:
    """The frames of a grey clip, (height, width), read as far as is asked for: that takes longer than following it."""

    def __init__(self, path: Path) -> None:
        self._coming = av.open(str(path)).decode(video=0)
        self._read: list[NDArray[np.uint8]] = []

    def __getitem__(self, frame: int) -> NDArray[np.uint8]:
        while len(self._read) <= frame:
            self._read.append(next(self._coming).to_ndarray(format="gray"))
        return self._read[frame]


@lru_cache(maxsize=2)
def grey_clip(path: Path) -> GreyClip:
    return GreyClip(path)


def _edge(mask: NDArray[np.bool_]) -> NDArray[np.uint8]:
    grey = mask.astype(np.uint8)
    return np.asarray(grey - cv2.erode(grey, np.ones((3, 3), np.uint8)))


def traced(truth: NDArray[np.float32], tolerance: float = 1.0) -> list[Curve]:
    """What a careful hand would draw: the contours of a matte, the largest first."""
    large = cv2.resize((truth * 255).astype(np.uint8), None, fx=4, fy=4, interpolation=cv2.INTER_LINEAR)
    lines, _ = cv2.findContours((large > 127).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    lines = sorted(lines, key=cv2.contourArea, reverse=True)
    least = 0.01 * sum(map(cv2.contourArea, lines))
    return [fit_closed((line[:, 0] + 0.5) / 4, tolerance) for line in lines if cv2.contourArea(line) > least]


def runner_outlines(clip: TrackedClip, first: int, last: int) -> list[Outline]:
    """The runner's body and lantern, each drawn once, at the first frame, and followed."""
    outlines = [drawn_outline(f"line{i}", first, curve) for i, curve in enumerate(traced(clip.truth(first)))]
    return follow_range(outlines, clip.footage, first, last, clip.width)


def mended(clip: TrackedClip, outlines: Sequence[Outline], frame: int) -> list[Outline]:
    """The outlines drawn anew at a frame, and followed again from there."""
    drawn = traced(clip.truth(frame))
    made = [keyed_by_hand(outline, frame, new) for outline, new in zip(outlines, drawn, strict=False)]
    made += outlines[len(made) :]
    return follow_range(made, clip.footage, 0, clip.frames - 1, clip.width)


def post(clip: TrackedClip) -> Outline:
    """The mooring post, drawn at the first frame and followed, to be taken away."""
    with av.open(str(clip.folder / "distance.mkv")) as container:
        codes = next(iter(container.decode(video=0))).to_ndarray(format="gray16le")
    metres = 65535 / np.maximum(codes.astype(np.float32), 1)
    mask = ((metres > POST_NEAR) & (metres < POST_FAR)).astype(np.float32)
    mask[:, :300] = mask[:, 430:] = 0
    curve = traced(cv2.resize(mask, (1280, 720), interpolation=cv2.INTER_LINEAR), 2.0)[0]
    outline = drawn_outline("post", 0, curve, Joins.TAKE_AWAY, Motion.SIMILARITY)
    return follow_range([outline], clip.footage, 0, clip.frames - 1, clip.width)[0]


def mean_overlap(outlines: Sequence[Outline], clip: TrackedClip, frames: range) -> float:
    return float(np.mean([clip.overlap(outlines, frame) for frame in frames]))
