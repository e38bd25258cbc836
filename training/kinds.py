"""Subjects that never were: bodies, limbs in chains, rings, thin lines and holes, put together by chance.

They teach the network what holds for anything that moves, and not what people look like.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from kalyptra.truth.motion.kinds import Kind, Traits
from kalyptra.truth.motion.puppet import Part, Points, area, bone, circle, limb, line, turned

PARCEL = 1
"""The surface that the place is like, where it is like the subject."""


def made_up(seed: int) -> Kind:
    """A kind of its own for each seed; a clip's traits only shift its phases."""
    rng = np.random.default_rng([seed, 7])
    colours = tuple(tuple(float(v) for v in _colour(rng)) for _ in range(int(rng.integers(2, 7))))
    faces = len(colours)
    bodies = [_Body(rng, faces) for _ in range(int(rng.integers(1, 4)))]
    chains = [_Chain(rng, faces) for _ in range(int(rng.integers(0, 8)))]
    rings = [_Ring(rng, faces) for _ in range(int(rng.integers(1, 3)))] if rng.random() < 0.15 else []
    sway, turn = rng.uniform(0, 0.35), rng.uniform(0.3, 2.5)

    def parts(seconds: float, traits: Traits) -> list[Part]:
        lean = sway * float(np.sin(turn * seconds + 6.3 * traits[0]))
        drawn = [part for chain in chains if not chain.near for part in chain.parts(seconds, traits[1])]
        drawn += [body.part(seconds, lean) for body in bodies]
        drawn += [part for ring in rings for part in ring.parts(seconds)]
        return drawn + [part for chain in chains if chain.near for part in chain.parts(seconds, traits[1])]

    pace = float(rng.uniform(0.2, 1.3)) if rng.random() < 0.6 else 0.0
    return Kind(f"made up {seed}", parts, colours, float(rng.uniform(90, 400)), pace)  # type: ignore[arg-type]


def carrying(kind: Kind, seed: int) -> Kind:
    """The same with a parcel before it. Where the place shall be like the subject, it is like the parcel alone."""
    rng = np.random.default_rng([seed, 19])
    middle, sides = rng.normal((0, -0.55), (0.06, 0.12)), rng.uniform(0.035, 0.11, 2)
    corners = middle + sides * np.array([(-1, -1), (1, -1), (1, 1), (-1, 1.0)])
    sway, turn, phase = rng.uniform(0, 0.03), rng.uniform(1, 8), rng.uniform(0, 6.3)
    tilt = float(rng.uniform(-0.3, 0.3))

    def parts(seconds: float, traits: Traits) -> list[Part]:
        own = kind.parts(seconds, traits)
        moved = corners + sway * np.array([np.cos(turn * seconds + phase), np.sin(turn * seconds + phase)])
        others = [replace(part, surface=part.surface + (part.surface >= PARCEL)) for part in own]
        return [*others, area(moved, PARCEL, tilt)]

    colours = (*kind.colours[:PARCEL], tuple(float(v) for v in _colour(rng)), *kind.colours[PARCEL:])
    return replace(kind, parts=parts, colours=colours)  # type: ignore[arg-type]


def _colour(rng: np.random.Generator) -> np.ndarray:
    """Mostly dull, as things are."""
    grey, strength = rng.uniform(20, 225), rng.uniform(0, 1) ** 1.5
    return np.asarray(np.clip(grey + strength * rng.normal(0, 70, 3), 8, 245))


class _Body:
    def __init__(self, rng: np.random.Generator, faces: int) -> None:
        angles = np.linspace(0, 2 * np.pi, 36, endpoint=False)
        radius = np.ones(36)
        for k in range(2, 6):
            radius += rng.uniform(0, 0.5) * rng.normal() / k * np.cos(k * angles + rng.uniform(0, 6.3))
        radius = np.clip(radius, 0.3, 1.7) * rng.uniform(0.08, 0.3)
        wide = rng.uniform(0.5, 1.4)
        middle = np.array([rng.normal(0, 0.1), rng.uniform(-0.85, -0.35)])
        self.points = middle + np.stack([wide * radius * np.cos(angles), radius * np.sin(angles)], axis=1)
        self.surface = int(rng.integers(faces))
        self.wobble, self.fast, self.phase = rng.uniform(0, 0.08), rng.uniform(1, 7), rng.uniform(0, 6.3, 36)
        self.holes: list[Points] = []
        if rng.random() < 0.3:
            for _ in range(int(rng.integers(1, 5))):
                at = middle + rng.normal(0, 0.07, 2)
                side = rng.uniform(0.02, 0.07)
                self.holes.append(at + side * np.array([(-1, -1), (1, -1), (1, 1), (-1, 1.0)]))

    def part(self, seconds: float, lean: float) -> Part:
        middle = self.points.mean(axis=0)
        swell = 1 + self.wobble * np.sin(self.fast * seconds + self.phase[0] + np.arange(36) * 0.5)
        points = middle + (self.points - middle) * swell[:, None]
        holes = tuple(turned(hole, (0, 0), lean) for hole in self.holes)
        return area(turned(points, (0, 0), lean), self.surface, lean, holes)


class _Chain:
    """An arm, a leg, a tail, a strap: up to three limbs, or one thin line."""

    def __init__(self, rng: np.random.Generator, faces: int) -> None:
        self.start = (float(rng.normal(0, 0.1)), float(rng.uniform(-0.9, -0.4)))
        self.count, self.near = int(rng.integers(1, 4)), bool(rng.random() < 0.5)
        self.thin = bool(rng.random() < 0.2)
        self.length, self.wide = rng.uniform(0.1, 0.26, 3), np.sort(rng.uniform(0.015, 0.075, 4))[::-1]
        self.swing, self.fast, self.phase = rng.uniform(0, 0.9, 3), rng.uniform(1, 10), rng.uniform(0, 6.3, 3)
        self.rest = rng.normal(0, 1.2, 3) * np.array([1.0, 0.4, 0.4])
        self.surface = rng.integers(0, faces, 3)

    def parts(self, seconds: float, shift: float) -> list[Part]:
        at, joints, angle = self.start, [self.start], 0.0
        for i in range(self.count):
            angle += self.rest[i] + self.swing[i] * np.sin(self.fast * seconds + self.phase[i] + 6.3 * shift)
            at = bone(at, angle, self.length[i])
            joints.append(at)
        if self.thin:
            return [line(joints, 0.012 + 0.3 * float(self.wide[3]), int(self.surface[0]))]
        return [
            limb(joints[i], joints[i + 1], float(self.wide[i]), float(self.wide[i + 1]), int(self.surface[i]))
            for i in reversed(range(self.count))
        ]


class _Ring:
    """Something thin and holed: a ring of bars that turns."""

    def __init__(self, rng: np.random.Generator, faces: int) -> None:
        self.middle = (float(rng.normal(0, 0.18)), float(rng.uniform(-0.6, -0.15)))
        self.radius, self.wide = float(rng.uniform(0.08, 0.25)), float(rng.uniform(0.008, 0.03))
        self.bars, self.fast = int(rng.integers(0, 9)), float(rng.uniform(0, 8))
        self.surface = int(rng.integers(faces))

    def parts(self, seconds: float) -> list[Part]:
        rim = circle(*self.middle, self.radius, count=30)
        drawn = [line(np.concatenate([rim, rim[:1]]).tolist(), self.wide, self.surface)]
        for i in range(self.bars):
            end = bone(self.middle, self.fast * seconds + 2 * np.pi * i / self.bars, self.radius)
            drawn.append(line([self.middle, end], 0.6 * self.wide, self.surface))
        return drawn
