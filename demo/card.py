"""Ray-trace a card in space, sharp and through a thin lens: what `core/tests/test_space.py` holds ours against.

Usage: card.py WORK; needs Debian's povray. Leaves `table/card-rays.npz`: sRGB codes of 480 x 270 px.
"""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

HERE = Path(__file__).resolve().parent
SIZE, PICTURE = (480, 270), (1280, 720)
WIDTH, TILT, TURN, ROLL = 0.4, 50.0, -15.0, 5.0
"""Metres and degrees: the upper side away, the right side nearer, clockwise."""
MIDDLE = (0.02, 0.01, 0.5)
"""Metres to the right, up and ahead."""
FOCAL, SENSOR, NUMBER, FOCUSES = 0.05, 0.036, 1.6, (0.46, 0.56)
AROUND = 0.02
SAMPLES = 196

SCENE = """
#version 3.7;
global_settings {{ assumed_gamma 1.0 }}
background {{ rgb {around} }}
#declare I = frame_number - 1;
#declare O = <cos(I * 2.399963), sin(I * 2.399963), 0> * {radius} * sqrt((I + 0.5) / {samples});
#declare P = {pixel} * <mod(I * 0.754877666, 1) - 0.5, mod(I * 0.569840296, 1) - 0.5, 0>;
camera {{ perspective location O direction <0, 0, 1> - O / {focus} + P right x * {wide} up y * {high} }}
box {{ <0, 0, 0>, <1, 1, 0.00001>
  texture {{ pigment {{ image_map {{ png "{picture}" interpolate 2 once }} }} finish {{ ambient 0 diffuse 0 emission 1 }} }}
  translate <-0.5, -0.5, 0> scale <{width}, {height}, 1>
  matrix <{matrix}> }}
"""


def axes() -> NDArray[np.float64]:
    """The card's axes (right, down, away) in the world's (right, down, ahead), by OpenCV's turns."""

    def turned(angle: float, *along: float) -> NDArray[np.float64]:
        return np.asarray(cv2.Rodrigues(np.radians(angle) * np.array(along))[0])

    return np.asarray(turned(-TURN, 0.0, 1.0, 0.0) @ turned(-TILT, 1.0, 0.0, 0.0) @ turned(ROLL, 0.0, 0.0, 1.0))


def traced(work: Path, name: str, radius: float, focus: float, samples: int) -> NDArray[np.float64]:
    """The mean of pinhole pictures spread over the lens and over each pixel, linear light."""
    import OpenEXR

    right, down, away = axes().T
    up = np.array([1.0, -1.0, 1.0])  # the ray tracer's world has y up
    rows = [right * up, -down * up, away * up, np.array(MIDDLE)]
    folder = work / name
    folder.mkdir(parents=True, exist_ok=True)
    text = SCENE.format(
        around=AROUND, radius=radius, samples=samples, focus=focus, pixel=SENSOR / FOCAL / SIZE[0], wide=SENSOR / FOCAL,
        high=SENSOR / FOCAL * SIZE[1] / SIZE[0], picture=work / "picture.png", width=WIDTH,
        height=WIDTH * PICTURE[1] / PICTURE[0], matrix=", ".join(f"{value:.9f}" for row in rows for value in row),
    )  # fmt: skip
    (folder / "card.pov").write_text(text)
    done = subprocess.run(
        ["povray", "-D", "+WT2", f"+W{SIZE[0]}", f"+H{SIZE[1]}", "-A", "+FE", f"+KFF{samples}",
         "+Icard.pov", "+Os.exr"], cwd=folder, capture_output=True, text=True, check=False,
    )  # fmt: skip
    if done.returncode:
        sys.exit(done.stderr[-2000:])
    total = np.zeros((SIZE[1], SIZE[0], 3))
    for path in sorted(folder.glob("s*.exr")):
        total += OpenEXR.File(str(path)).channels()["RGB"].pixels[..., :3]
    return total / samples


def codes(light: NDArray[np.float64]) -> NDArray[np.uint8]:
    """sRGB codes. Source: IEC 61966-2-1."""
    value = np.clip(light, 0, 1)
    return np.round(np.where(value <= 0.0031308, value * 12.92, 1.055 * value ** (1 / 2.4) - 0.055) * 255).astype(
        np.uint8
    )


if __name__ == "__main__":
    target = Path(sys.argv[1]).resolve()
    target.mkdir(parents=True, exist_ok=True)
    still = cv2.imread(str(HERE / "table" / "still.jpg"))
    cv2.imwrite(str(target / "picture.png"), cv2.resize(still, PICTURE, interpolation=cv2.INTER_AREA))
    found = {"sharp": codes(traced(target, "sharp", 0.0, 1.0, 64))}
    for focus in FOCUSES:
        radius = FOCAL / NUMBER * focus / (focus - FOCAL) / 2
        found[f"at{focus}"] = codes(traced(target, f"at{focus}", radius, focus, SAMPLES))
    np.savez_compressed(HERE / "table" / "card-rays.npz", **found)
