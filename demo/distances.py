"""Say how far away things are in the demo's shots, from the scenes' own geometry: rewrites the sources in their setup.json.

Usage, with Kalyptra's own Python: distances.py. The runner's feet are looked for in its outline, as the job does.
"""

from __future__ import annotations

import json
import math
import sys
from pathlib import Path
from typing import Any

import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from kalyptra.core import EmptyStore, Recipe, feet, grounded, matte_name, read_setup, with_recipe

DEMO = Path(__file__).resolve().parent
SENSOR = 36.0


def hold(value: Any, ease: str = "eased") -> dict[str, Any]:
    return {"keys": [{"frame": 0, "value": value, "ease": ease}]}


def size_of(scene: str) -> tuple[int, int]:
    facts = json.loads((DEMO / scene / "prepared.json").read_text())["facts"]
    return facts["width"], facts["height"]


def level(scene: str, focal: float, at: float, to: float, away: float, ground: float) -> tuple[float, float]:
    """Horizon in px from the top, and the height above the ground, of a camera at a height that looks at another one."""
    width, height = size_of(scene)
    return round(height / 2 - (at - to) / away * focal / SENSOR * width, 1), round(at - ground, 3)


def angle(focal: float) -> float:
    return round(math.degrees(2 * math.atan(SENSOR / 2 / focal)), 2)


def backdrop(distance: float) -> dict[str, Any]:
    return {"kind": "backdrop", "id": "backdrop", "name": "Backdrop", "distance": hold(distance)}


def runner(document: dict[str, Any]) -> None:
    horizon, height = level("runner", 35, 1.42, 1.22, 6, 0)
    ground = {
        "kind": "ground",
        "id": "quay",
        "name": "Quay",
        "joins": "nearer",
        "horizon": hold(horizon),
        "height": hold(height),
    }
    document["distance"] = {"sources": [backdrop(26.0), ground], "view_angle": angle(35)}
    subject = next(one for one in document["subjects"] if one["id"] == "runner")
    subject["depth"] = 0.5
    subject["standing"] = {"on": "quay"}
    mark = {"id": "runner", "name": "Runner", "distance": 9.36, "subject": "runner", "lag": 1, "steady": 4}
    stays = {"frame": 0, "value": 9.36, "mark": "runner", "ease": "hold"}
    document["focus"] = {"marks": [mark], "distance": {"keys": [stays]}}
    setup = read_setup(document)
    found = setup.subjects[0]
    frames = range(setup.footage.first, setup.footage.last + 1)
    seen = [foot for foot in feet(found, frames, size_of("runner"), EmptyStore()) if foot]
    subject["standing"] |= {"feet": [list(foot) for foot in grounded(seen)], "of": matte_name(found)}


def glass(document: dict[str, Any]) -> None:
    horizon, height = level("glass", 50, 1.13, 0.985, 2, 0.9)
    table = {"kind": "ground", "id": "table", "name": "Table", "horizon": hold(horizon), "height": hold(height),
             "region": {"subject": "table0"}}  # fmt: skip
    document["distance"] = {"sources": [backdrop(17.0), table]}
    for subject in document["subjects"]:
        if subject["id"] == "table0":
            subject["acts"] = "region"
        if subject["id"] == "glass0":
            subject["depth"] = 0.12
    marks = [{"id": "glass", "name": "Tea glass", "distance": 0.9, "subject": "glass0"},
             {"id": "ferries", "name": "Ferry lights", "distance": 17.0}]  # fmt: skip
    keys = [(34, 0.9, "glass", "eased"), (62, 17.0, "ferries", "hold")]
    document["focus"] = {"marks": marks, "distance": {"keys": [
        {"frame": frame, "value": value, "mark": mark, "ease": ease} for frame, value, mark, ease in keys]}}  # fmt: skip


def harbour(document: dict[str, Any]) -> None:
    document["subjects"] = []
    made = with_recipe(read_setup(document), Recipe.MINIATURE, 0, size_of("harbour"))
    document |= {name: made.model_dump(mode="json")[name] for name in ("distance", "focus", "lens")}


def table(document: dict[str, Any]) -> None:
    """The page, 0.30 m wide: its corners as the camera sees them, and a pull from its first lines to its last."""
    width, height = size_of("table")
    focal = 37 / SENSOR * width
    at, to = np.array([0.05, 0.30, -0.30]), np.array([0.0, 0.0, 0.06])
    ahead = (to - at) / np.linalg.norm(to - at)
    right = np.cross([0, 1, 0], ahead)
    right /= np.linalg.norm(right)
    up = np.cross(ahead, right)
    turn = math.radians(7)

    def seen(x: float, y: float) -> tuple[list[float], float]:
        place = (
            np.array([x * math.cos(turn) + y * math.sin(turn), 0.002, -x * math.sin(turn) + y * math.cos(turn) + 0.09])
            - at
        )
        away = float(place @ ahead)
        return [
            round(width / 2 + focal * float(place @ right) / away, 1),
            round(height / 2 - focal * float(place @ up) / away, 1),
        ], away

    corners = [seen(x, y)[0] for x, y in ((-0.15, 0.21), (0.15, 0.21), (0.15, -0.21), (-0.15, -0.21))]
    page = {
        "kind": "corners",
        "id": "page",
        "name": "Page",
        "corners": [hold(one) for one in corners],
        "width": hold(0.3),
    }
    document["subjects"] = []
    document["distance"] = {"sources": [page], "view_angle": angle(37)}
    first, last = (round(seen(0.0, y)[1], 3) for y in (0.1, -0.1))
    keys = [(0, first), (20, first), (104, last), (124, last)]
    document["focus"] = {
        "distance": {"keys": [{"frame": frame, "value": value, "ease": "eased"} for frame, value in keys]}
    }
    document["lens"] |= {"aperture": "f-number", "f_number": 1.4}


if __name__ == "__main__":
    for make in (runner, glass, harbour, table):
        path = DEMO / make.__name__ / "setup.json"
        document = read_setup(path.read_text()).model_dump(mode="json")
        make(document)
        path.write_text(json.dumps(read_setup(document).model_dump(mode="json"), separators=(",", ":")) + "\n")
        print(make.__name__, path.stat().st_size // 1024, "KiB")
