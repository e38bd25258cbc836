"""Ray-trace the demo scenes: pictures, distances, mattes, plates and true-lens pictures, into a work folder.

Usage: raytrace.py WORK [SCENE ...]; needs Debian's povray. Frames that are there are kept, so it can be stopped and
started again. `encode.py` makes the demo's files of what this leaves in WORK. Takes a few hours on two cores.
"""

from __future__ import annotations

import subprocess
import sys
from dataclasses import dataclass
from pathlib import Path

SCENES = Path(__file__).resolve().parent / "scenes"
BEAUTY, DISTANCE, MATTE, PLATE = range(4)
SMOOTH = ["+A0.25", "+AM2", "+R2"]
FINE = ["+A0.03", "+AM2", "+R3"]
SAMPLES = 64
LENS_SIZE = (480, 270)


@dataclass(frozen=True)
class Scene:
    """A scene: size in px, frames, rate, frames with a plate, and what is taken through the true lens.

    Attributes:
        lenses: frames to take; f-numbers; focus distances in metres, one list a frame.
        focal_length: metres.
        beside: frames that are taken from beside, too: metres to the right and ahead.
    """

    name: str
    size: tuple[int, int]
    frames: int
    rate: float
    plates: tuple[int, ...]
    focal_length: float = 0.05
    lens_frames: tuple[int, ...] = ()
    f_numbers: tuple[float, ...] = ()
    focus: tuple[tuple[float, float], ...] = ()
    beside: tuple[tuple[int, float, float], ...] = ()


ALL = (
    Scene("runner", (1280, 720), 112, 25, tuple(range(0, 112, 8)), 0.035, (24, 64, 96), (1.2, 2.8),
          ((7.2, 17.0), (5.35, 17.0), (3.9, 17.0)), ((24, 0.1, 0.15),)),
    Scene("glass", (1280, 720), 96, 24, (0, 24, 48, 72, 95), 0.05, (0, 48, 95), (1.4, 2.8), ((0.9, 17.0),) * 3),
    Scene("window", (1280, 720), 96, 24, (0, 48, 95), 0.04),
    Scene("harbour", (1280, 720), 96, 30000 / 1001, (0, 48, 95)),
    Scene("table", (2560, 1440), 1, 25, (0,), 0.037),
)  # fmt: skip


def trace(scene: Scene, out: Path, frame: int, kind: int, size: tuple[int, int], quality: list[str], more: list[str]) -> None:  # fmt: skip
    command = [
        "nice",
        "-n",
        "19",
        "povray",
        "-D",
        "+WT2",
        f"+W{size[0]}",
        f"+H{size[1]}",
        f"+I{scene.name}.pov",
        f"+O{out}",
    ]
    command += [*quality, f"Declare=PASS={kind}", f"Declare=TIME={frame / scene.rate:.6f}", *more]
    done = subprocess.run(command, cwd=SCENES, capture_output=True, text=True, check=False)
    if done.returncode:
        sys.exit(done.stderr[-2000:])


def trace_once(scene: Scene, out: Path, frame: int, kind: int, quality: list[str], *more: str) -> None:
    if not out.exists():
        part = out.with_name("part-" + out.name)
        trace(scene, part, frame, kind, scene.size, quality, list(more))
        part.rename(out)


def trace_scene(scene: Scene, work: Path) -> None:
    folder = work / scene.name
    folder.mkdir(parents=True, exist_ok=True)
    for frame in range(scene.frames):
        linear = ["File_Gamma=1.0", "Grayscale_Output=on", "Bits_Per_Color=16"]
        trace_once(scene, folder / f"distance-{frame:03}.png", frame, DISTANCE, [], *linear)
        trace_once(scene, folder / f"matte-{frame:03}.png", frame, MATTE, FINE, *linear[:2])
        trace_once(
            scene, folder / f"picture-{frame:03}.png", frame, BEAUTY, SMOOTH, "Bits_Per_Color=16", "File_Gamma=sRGB"
        )
        if frame in scene.plates:
            trace_once(
                scene, folder / f"plate-{frame:03}.png", frame, PLATE, SMOOTH, "Bits_Per_Color=16", "File_Gamma=sRGB"
            )
        print(scene.name, frame, flush=True)


def trace_lenses(scene: Scene, work: Path) -> None:
    """The same moment through a thin lens: the mean of many pinholes spread over its opening."""
    for frame, focuses in zip(scene.lens_frames, scene.focus, strict=True):
        looks = [("sharp", 1e-9, 1.0, SAMPLES // 4), ("plate", 1e-9, 1.0, SAMPLES // 4)]
        looks += [(f"f{n}-at{s}", scene.focal_length / n * s / (s - scene.focal_length), s, SAMPLES)
                  for n in scene.f_numbers for s in focuses]  # fmt: skip
        for name, diameter, focus, samples in looks:
            folder = work / scene.name / f"lens-{frame:03}-{name}"
            if (folder / "done").exists():
                continue
            folder.mkdir(parents=True, exist_ok=True)
            animation = [
                f"+KFF{samples}",
                f"Declare=LENS_N={samples}",
                f"Declare=LENS_A={diameter:.9f}",
                f"Declare=LENS_S={focus}",
            ]
            kind = PLATE if name == "plate" else BEAUTY
            trace(scene, folder / "s.exr", frame, kind, LENS_SIZE, ["+FE"], animation)
            (folder / "done").touch()
            print(folder.name, flush=True)


def trace_beside(scene: Scene, work: Path) -> None:
    """A moment as it was taken and from beside, pinhole pictures with their distances; for what a small move shows."""
    for frame, right, ahead in scene.beside:
        for name, (across, along) in {"taken": (0.0, 0.0), "beside": (right, ahead)}.items():
            more = [f"Declare=BESIDE_X={across}", f"Declare=BESIDE_Z={along}"]
            linear = ["File_Gamma=1.0", "Grayscale_Output=on"]
            start = work / scene.name / f"move-{frame:03}-{name}"
            for kind, end, quality, how in (
                (BEAUTY, "picture", SMOOTH, ["File_Gamma=sRGB"]), (DISTANCE, "distance", [], [*linear, "Bits_Per_Color=16"]),
                (MATTE, "matte", FINE, linear),
            ):  # fmt: skip
                out = Path(f"{start}-{end}.png")
                if not out.exists():
                    trace(scene, out, frame, kind, LENS_SIZE, quality, [*more, *how])
        print(scene.name, "beside", frame, flush=True)


if __name__ == "__main__":
    target = Path(sys.argv[1]).resolve()
    chosen = [scene for scene in ALL if len(sys.argv) < 3 or scene.name in sys.argv[2:]]
    for one in chosen:
        trace_scene(one, target)
    for one in chosen:
        trace_lenses(one, target)
        trace_beside(one, target)
