"""Kinds of subject: what each is made of at a moment.

A kind is a function of time in seconds and of the clip's own numbers (0 to 1, so many as it likes), which make two
clips of one kind differ. It gives parts from back to front, and says how many surfaces it wants, with their colours.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from kalyptra.truth.motion.puppet import Part, area, bone, circle, limb, line, turned, turned_part

Traits = np.ndarray
Moment = Callable[[float, Traits], list[Part]]
Colour = tuple[float, float, float]
SKIN, HAIR = (196.0, 150.0, 122.0), (48.0, 38.0, 34.0)
COATS: tuple[Colour, ...] = ((150, 52, 46), (58, 84, 130), (104, 106, 108), (168, 138, 62), (66, 100, 74))
TROUSERS: tuple[Colour, ...] = ((44, 46, 56), (92, 78, 62), (60, 66, 84))


@dataclass(frozen=True)
class Kind:
    """A kind of subject.

    Attributes:
        parts: its parts at a moment.
        colours: of its surfaces, in order.
        height: px that it is high in a picture of 540 lines.
        pace: heights that it goes a second, where it goes anywhere.
    """

    name: str
    parts: Moment
    colours: tuple[Colour, ...]
    height: float
    pace: float = 0.0


def _legs(hip: tuple[float, float], phase: float, swing: float, coat: int) -> tuple[list[Part], list[Part]]:
    """The far and the near leg of one who goes to the right."""
    legs = []
    for side in (0.0, np.pi):
        angle = swing * np.sin(phase + side)
        knee = bone(hip, angle, 0.24)
        bend = angle - swing * 1.1 * max(0.0, np.cos(phase + side))
        foot = bone(knee, bend, 0.24)
        toe = (foot[0] + 0.07, foot[1] + 0.015)
        legs.append(
            [limb(foot, toe, 0.022, 0.018, 3), limb(knee, foot, 0.042, 0.028, coat), limb(hip, knee, 0.06, 0.044, coat)]
        )
    return legs[0], legs[1]


def _arm(shoulder: tuple[float, float], angle: float, bend: float, sleeve: int) -> list[Part]:
    elbow = bone(shoulder, angle, 0.17)
    hand = bone(elbow, angle + bend, 0.16)
    return [
        area(circle(*bone(hand, angle + bend, 0.02), 0.026, 0.03), 0),
        limb(elbow, hand, 0.032, 0.024, sleeve),
        limb(shoulder, elbow, 0.042, 0.034, sleeve),
    ]


def walker(seconds: float, traits: Traits) -> list[Part]:
    """Somebody who walks to the right, seen from the side."""
    phase = 2 * np.pi * (seconds * (0.85 + 0.3 * traits[0]) + traits[1])
    bob = 0.012 * np.cos(2 * phase)
    hip, neck = (0.0, -0.49 + bob), (0.02, -0.82 + bob)
    far, near = _legs(hip, phase, 0.5 + 0.15 * traits[2], 2)
    coat = np.array(
        [(-0.075, -0.80), (0.085, -0.80), (0.115, -0.62), (0.10, -0.40 - 0.06 * traits[3]), (-0.095, -0.40)]
    )
    head = (neck[0] + 0.02, neck[1] - 0.09)
    return [
        *_arm(neck, -0.6 * np.sin(phase), 0.35, 1),
        *far,
        *near,
        area(coat + (0.0, bob), 1),
        area(circle(*head, 0.062, 0.08), 0),
        area(circle(head[0] - 0.018, head[1] - 0.022, 0.068, 0.07), 4),
        *_arm(neck, 0.6 * np.sin(phase), 0.4, 1),
    ]


def runner(seconds: float, traits: Traits) -> list[Part]:
    """Somebody who runs to the right with long steps."""
    phase = 2 * np.pi * (seconds * (1.35 + 0.3 * traits[0]) + traits[1])
    bob = 0.03 * np.cos(2 * phase)
    hip, neck = (-0.03, -0.50 + bob), (0.05, -0.82 + bob)
    far, near = _legs(hip, phase, 0.85, 2)
    shirt = np.array([(-0.055, -0.83), (0.095, -0.80), (0.085, -0.62), (0.045, -0.45), (-0.085, -0.46)]) + (0.0, bob)
    head = (neck[0] + 0.035, neck[1] - 0.085)
    tail = [
        (head[0] - 0.05, head[1] - 0.04),
        (head[0] - 0.11, head[1] + 0.02 * np.sin(phase)),
        (head[0] - 0.16, head[1] + 0.05 * np.sin(phase - 1)),
    ]
    return [
        *_arm(neck, -0.9 * np.sin(phase), 1.3, 1),
        *far,
        *near,
        area(shirt, 1),
        line(tail, 0.03, 4),
        area(circle(*head, 0.06, 0.078), 0),
        area(circle(head[0] - 0.02, head[1] - 0.025, 0.062, 0.064), 4),
        *_arm(neck, 0.9 * np.sin(phase), 1.4, 1),
    ]


def turner(seconds: float, traits: Traits) -> list[Part]:
    """Somebody who turns about themselves on the spot, arms out from the body."""
    about = 2 * np.pi * (seconds * (0.22 + 0.1 * traits[0]) + traits[1])
    wide, side = abs(np.cos(about)) * 0.75 + 0.25, np.cos(about)
    parts: list[Part] = []
    for sign in (-1, 1):
        x = sign * 0.055 * side
        parts += [
            limb((x, -0.48), (x * 1.5, -0.25), 0.055, 0.04, 2),
            limb((x * 1.5, -0.25), (x * 1.6, -0.03), 0.04, 0.028, 2),
        ]
        parts.append(area(circle(x * 1.6 + 0.02 * np.sin(about), -0.015, 0.045, 0.022), 3))
    trunk = np.array([(-0.13, -0.80), (0.13, -0.80), (0.10, -0.60), (0.12, -0.42), (-0.12, -0.42), (-0.10, -0.60)]) * (
        wide,
        1,
    )
    arms = []
    for sign in (-1, 1):
        shoulder = (sign * 0.125 * side, -0.78)
        lift = 0.35 + 0.5 * np.sin(2 * seconds + sign + 6 * traits[2])
        arms.append(_arm(shoulder, sign * side * lift, 0.5 * sign * side, 1))
    back, front = (arms[0], arms[1]) if np.sin(about) > 0 else (arms[1], arms[0])
    face = 4 if np.sin(about + 0.8) < -0.2 else 0
    return [
        *back,
        *parts,
        area(trunk, 1),
        *front,
        area(circle(0, -0.91, 0.058, 0.078), face),
        area(circle(-0.012 * np.sin(about), -0.945, 0.064, 0.056), 4),
    ]


def sitter(seconds: float, traits: Traits) -> list[Part]:
    """Somebody near who sits, talks with both hands, and has loose hair."""
    sway = 0.02 * np.sin(1.3 * seconds + 6 * traits[0])
    trunk = np.array(
        [
            (-0.24, 0.0),
            (-0.27, -0.30),
            (-0.21, -0.48),
            (-0.07, -0.55),
            (0.07, -0.55),
            (0.21, -0.48),
            (0.27, -0.30),
            (0.24, 0.0),
        ]
    )
    trunk[1:7, 0] += sway
    head = (1.6 * sway, -0.74 + 0.006 * np.sin(3 * seconds))
    parts = [area(circle(head[0], head[1] - 0.02, 0.155, 0.18), 4)]
    for i in range(26):
        t = i / 25
        x = head[0] + 0.155 * (2 * t - 1)
        blown = 0.05 * np.sin(2.2 * seconds + 7 * t + 6 * traits[1]) * (1 + 0.6 * (i % 3))
        parts.append(
            line(
                [
                    (x, head[1] + 0.02),
                    (x * 1.08 + blown * 0.4, head[1] + 0.14),
                    (x * 1.15 + blown, head[1] + 0.25 + 0.03 * (i % 4)),
                ],
                0.008 + 0.01 * (i % 2),
                4,
            )
        )
    parts += [limb((head[0] * 0.7, -0.50), head, 0.06, 0.06, 0), area(trunk, 1), area(circle(*head, 0.115, 0.15), 0)]
    fringe = circle(head[0], head[1] - 0.09, 0.135, 0.085)
    parts.append(area(fringe, 4))
    for sign in (-1, 1):
        shoulder = (sign * 0.21 + sway, -0.45)
        elbow = bone(shoulder, sign * (0.35 + 0.25 * np.sin(1.7 * seconds + sign)), 0.27)
        hand = bone(elbow, -sign * (1.9 + 0.7 * np.sin(2.6 * seconds + 2 * sign + 6 * traits[2])), 0.24)
        parts += [
            limb(shoulder, elbow, 0.075, 0.06, 1),
            limb(elbow, hand, 0.058, 0.042, 1),
            area(circle(*hand, 0.05, 0.055), 0),
        ]
        for k in range(4):
            tip = bone(hand, np.pi + sign * (0.25 * k - 0.4) + 0.2 * np.sin(3 * seconds + k), 0.085)
            parts.append(limb(hand, tip, 0.014, 0.011, 0))
    return parts


def animal(seconds: float, traits: Traits) -> list[Part]:
    """A four-legged animal that trots to the right, with a tail."""
    phase = 2 * np.pi * (seconds * (1.2 + 0.3 * traits[0]) + traits[1])
    bob = 0.02 * np.cos(2 * phase)
    back, front = (-0.42, -0.58 + bob), (0.38, -0.60 - bob)
    legs = []
    for i, (x, y) in enumerate((back, front, (back[0] + 0.08, back[1]), (front[0] - 0.08, front[1]))):
        angle = 0.5 * np.sin(phase + np.pi * (i in (1, 2)))
        knee = bone((x, y + 0.1), angle, 0.26)
        foot = bone(knee, angle - 0.5 * max(0.0, np.cos(phase + np.pi * (i in (1, 2)))), 0.24)
        legs += [limb(knee, foot, 0.035, 0.028, 1), limb((x, y + 0.1), knee, 0.075, 0.04, 1)]
    head = (front[0] + 0.27, front[1] - 0.25 + 0.02 * np.sin(phase))
    wag = 0.25 * np.sin(2.5 * phase)
    return [
        *legs[:4],
        line([back, bone(back, -2.0 + wag, 0.2), bone(bone(back, -2.0 + wag, 0.2), -2.4 + 1.5 * wag, 0.2)], 0.05, 0),
        limb(back, front, 0.17, 0.19, 0),
        limb((front[0], front[1] - 0.05), head, 0.13, 0.09, 0),
        area(circle(*head, 0.12, 0.095, 0.2), 0),
        limb(head, (head[0] + 0.15, head[1] + 0.05), 0.06, 0.04, 2),
        area(circle(head[0] - 0.06, head[1] - 0.1, 0.035, 0.07, -0.4), 2),
        *legs[4:],
    ]


def _wheel(x: float, y: float, radius: float, turn: float, spokes: int, surface: int, rim: float) -> list[Part]:
    parts = [area(circle(x, y, radius, count=64), surface, turn, (circle(x, y, radius - rim, count=64)[::-1],))]
    for k in range(spokes):
        angle = turn + 2 * np.pi * k / spokes
        parts.append(
            line(
                [(x, y), (x + (radius - rim / 2) * np.cos(angle), y + (radius - rim / 2) * np.sin(angle))],
                0.009,
                surface,
            )
        )
    return [*parts, area(circle(x, y, 0.03), surface, turn)]


def cyclist(seconds: float, traits: Traits) -> list[Part]:
    """Somebody on a bicycle with thin spokes, riding to the right."""
    pedals = 2 * np.pi * seconds * (0.8 + 0.3 * traits[0])
    roll = 2.2 * pedals
    rear, front, crank, saddle, bars = (-0.33, -0.20), (0.33, -0.20), (-0.02, -0.21), (-0.13, -0.50), (0.24, -0.53)
    hip, shoulder = (-0.12, -0.55), (0.08, -0.83 + 0.008 * np.sin(2 * pedals))

    def leg(side: float) -> list[Part]:
        foot = (crank[0] + 0.08 * np.cos(pedals + side), crank[1] + 0.08 * np.sin(pedals + side))
        across = np.array(foot) - hip
        away = float(np.hypot(*across))
        bend = np.arccos(np.clip(away / 0.44, -1, 1))
        knee = bone(hip, np.arctan2(across[0], across[1]) + bend, 0.22)
        return [
            limb(foot, (foot[0] + 0.06, foot[1]), 0.02, 0.016, 3),
            limb(knee, foot, 0.035, 0.022, 2),
            limb(hip, knee, 0.05, 0.036, 2),
        ]

    frame = [(rear, crank), (crank, bars), (saddle, crank), (saddle, (0.21, -0.45)), (rear, saddle), (front, bars)]
    head = (shoulder[0] + 0.07, shoulder[1] - 0.09)
    return [
        *leg(np.pi),
        *_wheel(*rear, 0.195, roll, 14, 3, 0.022),
        *_wheel(*front, 0.195, roll, 14, 3, 0.022),
        *(line([a, b], 0.018, 5) for a, b in frame),
        limb(hip, shoulder, 0.075, 0.085, 1),
        area(circle(*head, 0.055, 0.07), 0),
        area(circle(head[0] - 0.01, head[1] - 0.035, 0.062, 0.045), 4),
        limb(shoulder, (0.2, -0.66), 0.034, 0.028, 1),
        limb((0.2, -0.66), bars, 0.028, 0.022, 0),
        *leg(0.0),
    ]


def hand(seconds: float, traits: Traits) -> list[Part]:
    """A hand near the camera whose fingers open and close."""
    turn = 0.25 * np.sin(0.9 * seconds + 6 * traits[0])
    palm = np.array([(-0.20, -0.05), (-0.22, -0.40), (-0.16, -0.50), (0.17, -0.50), (0.21, -0.38), (0.17, -0.05)])
    parts = [limb((0, 0.35), (0, -0.08), 0.17, 0.17, 1)]
    for k, (x, long) in enumerate(((-0.155, 0.29), (-0.055, 0.34), (0.05, 0.33), (0.15, 0.26))):
        spread, curl = 0.13 * (k - 1.5), 0.5 + 0.5 * np.sin(1.8 * seconds + 0.8 * k + 6 * traits[1])
        long *= 1 - 0.55 * curl
        first = bone((x, -0.46), np.pi - spread, long * 0.55)
        tip = bone(first, np.pi - spread * 1.6, long * 0.5)
        parts += [limb(first, tip, 0.046, 0.038, 0), limb((x, -0.44), first, 0.052, 0.046, 0)]
    thumb = bone((-0.19, -0.18), np.pi + 0.9 + 0.35 * np.sin(1.4 * seconds), 0.2)
    parts += [
        area(palm, 0),
        limb((-0.17, -0.16), thumb, 0.06, 0.048, 0),
        limb(thumb, bone(thumb, np.pi + 0.5, 0.12), 0.046, 0.04, 0),
    ]
    return [turned_part(part, turn) for part in parts]


def ball(seconds: float, traits: Traits) -> list[Part]:
    """A ball that bounces, turns, and is pressed flat where it touches the ground."""
    t = (seconds * (1.1 + 0.4 * traits[0]) + traits[1]) % 1.0
    high = 2.6 * 4 * t * (1 - t)
    flat = 1 - 0.22 * np.exp(-high * 6)
    turn = 2.5 * seconds
    middle = -0.5 * flat - high
    patch = np.array([(-0.34, -0.12), (0.34, -0.12), (0.34, 0.12), (-0.34, 0.12)])
    return [
        area(circle(0, middle, 0.5 / flat**0.5, 0.5 * flat), 0, turn),
        area(turned(patch, (0, 0), turn) + (0, middle), 1, turn),
    ]


def car(seconds: float, traits: Traits) -> list[Part]:
    """A small car that drives to the right; its wheels turn."""
    roll = seconds * (5 + 3 * traits[0])
    body = np.array(
        [
            (-1.45, -0.28),
            (-1.42, -0.62),
            (-0.85, -0.70),
            (-0.55, -1.0),
            (0.38, -1.0),
            (0.72, -0.68),
            (1.38, -0.58),
            (1.48, -0.28),
        ]
    )
    glass = np.array([(-0.48, -0.92), (0.30, -0.92), (0.52, -0.70), (-0.66, -0.70)])
    parts = [area(body, 0), area(glass, 1), line([(-0.05, -0.95), (-0.05, -0.32)], 0.03, 3)]
    for x in (-0.85, 0.85):
        parts += [area(circle(x, -0.26, 0.26), 3, roll), area(circle(x, -0.26, 0.16), 2, roll)]
        parts += [
            line([(x, -0.26), (x + 0.15 * np.cos(roll + k * 1.256), -0.26 + 0.15 * np.sin(roll + k * 1.256))], 0.04, 3)
            for k in range(5)
        ]
    return parts


def cloth(seconds: float, traits: Traits) -> list[Part]:
    """A flag in the wind: strips of cloth, each a little later than the one before."""
    parts = [line([(-0.62, 0.0), (-0.62, -1.05)], 0.035, 1)]
    count = 14

    def edge(i: int) -> tuple[float, float, float]:
        x = i / count
        wave = 0.11 * x * np.sin(5.5 * x - 6 * seconds * (0.8 + 0.4 * traits[0])) + 0.05 * x * np.sin(
            11 * x - 9 * seconds
        )
        return (
            -0.6 + 1.2 * x * (0.94 + 0.05 * np.sin(3 * seconds)),
            -1.0 + wave,
            -0.38 + wave * 1.15 + 0.03 * np.sin(8 * x - 5 * seconds),
        )

    for i in range(count):
        (x0, t0, b0), (x1, t1, b1) = edge(i), edge(i + 1)
        strip = np.array([(x0 - 0.002, t0), (x1 + 0.002, t1), (x1 + 0.002, b1), (x0 - 0.002, b0)])
        parts.append(Part(strip, 0, (x0 - 1.2 * i / count, t0), (0.0, 1.0)))
    return parts


def trellis(seconds: float, traits: Traits) -> list[Part]:
    """A thin thing with holes that swings: a garden trellis with one straight strap hanging from it."""
    angle = 0.35 * np.sin(1.2 * seconds + 6 * traits[0])
    outer = np.array([(-0.42, -1.0), (0.42, -1.0), (0.42, -0.1), (-0.42, -0.1)])
    holes = []
    for i in range(4):
        for j in range(4):
            x, y = -0.36 + 0.19 * i, -0.94 + 0.21 * j
            holes.append(
                turned(np.array([(x, y), (x, y + 0.165), (x + 0.15, y + 0.165), (x + 0.15, y)]), (0, -1.1), angle)
            )
    foot = turned(np.array([(0.25, -0.1)]), (0, -1.1), angle)[0]
    strap = [
        tuple(foot),
        bone(foot, 0.5 * np.sin(2.1 * seconds), 0.12),
        bone(bone(foot, 0.5 * np.sin(2.1 * seconds), 0.12), 0.8 * np.sin(2.1 * seconds - 0.7), 0.12),
    ]
    return [line(strap, 0.018, 1), area(turned(outer, (0, -1.1), angle), 0, angle, tuple(holes))]


_PERSON = (SKIN, COATS[0], TROUSERS[0], (40.0, 36.0, 34.0), HAIR)
KINDS: dict[str, Kind] = {
    kind.name: kind
    for kind in (
        Kind("walker", walker, _PERSON, 220, 0.55),
        Kind("turner", turner, _PERSON, 260),
        Kind("animal", animal, ((150.0, 112.0, 74.0), (118.0, 86.0, 58.0), (60.0, 48.0, 40.0)), 150, 1.0),
        Kind("ball", ball, ((196.0, 64.0, 40.0), (232.0, 214.0, 180.0)), 90, 1.2),
        Kind(
            "car", car, ((176.0, 46.0, 52.0), (70.0, 86.0, 96.0), (170.0, 172.0, 176.0), (34.0, 34.0, 38.0)), 150, 1.1
        ),
        Kind("cloth", cloth, ((188.0, 142.0, 52.0), (90.0, 72.0, 54.0)), 300),
        Kind("runner", runner, _PERSON, 230, 1.2),
        Kind("sitter", sitter, _PERSON, 420),
        Kind("cyclist", cyclist, (*_PERSON, (64.0, 118.0, 112.0)), 250, 1.0),
        Kind("hand", hand, ((188.0, 142.0, 116.0), (70.0, 84.0, 124.0)), 300),
        Kind("trellis", trellis, ((222.0, 206.0, 172.0), (150.0, 60.0, 50.0)), 280),
    )
}
