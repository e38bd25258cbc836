"""The clips of both halves. Kinds, surfaces and seeds of one half are in no clip of the other."""

from __future__ import annotations

from enum import StrEnum

from kalyptra.truth.motion.clip import MotionClip, Scenario, Trouble
from kalyptra.truth.motion.scene import Background as On
from kalyptra.truth.motion.scene import Camera as By

_T = Trouble
_ROWS: dict[str, tuple[tuple[str, str, On, By, tuple[Trouble, ...]], ...]] = {
    "tune": (
        ("walks across", "walker", On.DEPTH, By.HANDHELD, ()),
        ("turns about", "turner", On.FLAT, By.HANDHELD, ()),
        ("trots before a pan", "animal", On.DEPTH, By.PAN, ()),
        ("bounces", "ball", On.FLAT, By.LOCKED, (_T.BLUR,)),
        ("drives past", "car", On.LEAVES, By.LOCKED, (_T.BLUR,)),
        ("waves in the wind", "cloth", On.LEAVES, By.HANDHELD, ()),
        ("walks behind a post", "walker", On.FLAT, By.HANDHELD, (_T.OCCLUDER,)),
        ("passes one alike", "walker", On.PEOPLE, By.HANDHELD, (_T.LOOKALIKE,)),
        ("trots away and back", "animal", On.WATER, By.LOCKED, (_T.LEAVES,)),
        ("a coat like the wall", "turner", On.FLAT, By.PUSH, (_T.LIKE_COLOURS, _T.EXPOSURE)),
    ),
    "test": (
        ("runs across", "runner", On.DEPTH, By.PAN, ()),
        ("talks with both hands", "sitter", On.LEAVES, By.HANDHELD, ()),
        ("rides past", "cyclist", On.DEPTH, By.PAN, (_T.BLUR,)),
        ("opens and closes", "hand", On.FLAT, By.HANDHELD, ()),
        ("swings, with holes", "trellis", On.WATER, By.LOCKED, ()),
        ("runs by the water", "runner", On.WATER, By.HANDHELD, ()),
        ("rides behind a post", "cyclist", On.FLAT, By.HANDHELD, (_T.OCCLUDER,)),
        ("meets one alike", "runner", On.PEOPLE, By.HANDHELD, (_T.LOOKALIKE,)),
        ("runs off and returns", "runner", On.FLAT, By.LOCKED, (_T.LEAVES,)),
        ("clothes like the wall", "sitter", On.FLAT, By.PUSH, (_T.LIKE_COLOURS, _T.EXPOSURE)),
    ),
}  # fmt: skip
_SEEDS = {"tune": 1000, "test": 700_000}


class Half(StrEnum):
    TUNE = "tune"
    TEST = "test"


def scenarios(half: Half, frames: int = 80, seed: int = 0) -> list[Scenario]:
    """What the clips of a half are of; another seed gives others of the same rows."""
    return [
        Scenario(name, half.value, kind, on, by, frozenset(troubles), _SEEDS[half.value] + 100 * seed + i, frames)
        for i, (name, kind, on, by, troubles) in enumerate(_ROWS[half.value])
    ]


def clips(half: Half, frames: int = 80, seed: int = 0) -> list[MotionClip]:
    """The clips of a half, likewise."""
    return [MotionClip(scenario) for scenario in scenarios(half, frames, seed)]
