"""Make the demo's files of what `raytrace.py` left: clips with grain and sound, truth, and what the loader needs.

Usage, with Kalyptra's own Python and Debian's ffmpeg: encode.py WORK [SCENE ...]
"""

from __future__ import annotations

import hashlib
import json
import shutil
import subprocess
import sys
import wave
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

HERE = Path(__file__).resolve().parent
sys.path.insert(0, str(HERE.parent))

from raytrace import ALL, LENS_SIZE, Scene  # noqa: E402

from kalyptra.core import Rate, make_proxy, probe  # noqa: E402

GRAIN = 1.1 / 255
RATES = {25: Rate(numerator=25, denominator=1), 24: Rate(numerator=24, denominator=1)}
DISTANCE_BITS = {"window": 12}
"""Where 16 bits would make a file of more than 4 MB."""
SRGB_TAGS = ["-colorspace", "bt709", "-color_primaries", "bt709", "-color_trc", "iec61966-2-1", "-color_range", "tv"]


def ffmpeg(arguments: list[str], data: Any = None) -> None:
    command = ["ffmpeg", "-y", "-v", "error", *arguments]
    process = subprocess.Popen(command, stdin=subprocess.PIPE if data is not None else subprocess.DEVNULL)
    if data is not None:
        assert process.stdin
        for block in data:
            process.stdin.write(block)
        process.stdin.close()
    if process.wait():
        sys.exit(f"ffmpeg failed: {command}")


def grained(path: Path, seed: int) -> NDArray[np.uint8]:
    """A 16-bit picture with film grain, in 8 bits; the grain also keeps the sky from banding."""
    picture = cv2.imread(str(path), cv2.IMREAD_UNCHANGED).astype(np.float32) / 65535
    noise = np.random.default_rng(seed).normal(0, 1, picture.shape[:2]).astype(np.float32)
    noise = noise * 0.8 + cv2.GaussianBlur(noise, (0, 0), 0.8) * 0.9
    luma = picture @ np.float32([0.0722, 0.7152, 0.2126])
    grain = noise * GRAIN * (0.6 + 1.2 * np.sqrt(np.clip(luma * (1 - luma), 0, 1)))
    return np.round(np.clip(picture + grain[..., None], 0, 1) * 255).astype(np.uint8)


def ambience(seconds: float, path: Path) -> None:
    """Water, a far bell and footsteps, synthesised: 48 kHz mono."""
    rate = 48000
    count, chance = int(seconds * rate), np.random.default_rng(5)
    time = np.arange(count) / rate
    spectrum = np.fft.rfft(chance.normal(size=count))
    hertz = np.maximum(np.fft.rfftfreq(count, 1 / rate), 20)
    water = np.fft.irfft(spectrum / hertz**0.9 * (hertz < 2500), count)
    sound = 0.10 * water / np.abs(water).max() * (1 + 0.5 * np.sin(2 * np.pi * 0.23 * time))
    for start in (0.9, 3.2):
        t = np.maximum(time - start, 0)
        sound += (
            0.05
            * (time >= start)
            * sum(np.sin(2 * np.pi * f * t) * np.exp(-t * d) for f, d in ((523, 1.6), (1255, 2.6), (2090, 4)))
        )
    for step in np.arange(0.2, seconds, 0.68 / 1.28):
        t = np.maximum(time - step, 0)
        sound += 0.12 * (time >= step) * chance.normal(size=count) * np.exp(-t * 90)
    with wave.open(str(path), "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(rate)
        file.writeframes((np.clip(sound, -1, 1) * 32767).astype("<i2").tobytes())


def clip(scene: Scene, work: Path, out: Path) -> str:
    pictures = sorted((work / scene.name).glob("picture-*.png"))
    if scene.frames == 1:
        cv2.imwrite(str(out / "table.png"), grained(pictures[0], 1))
        shutil.copy(out / "table.png", out / "still.png")
        (out / "table.png").unlink()
        ffmpeg(["-i", str(out / "still.png"), "-q:v", "2", "-pix_fmt", "yuvj444p", str(out / "still.jpg")])
        (out / "still.png").unlink()
        return "still.jpg"
    rate = "30000/1001" if scene.name == "harbour" else str(scene.rate)
    size = f"{scene.size[0]}x{scene.size[1]}"
    arguments = ["-f", "rawvideo", "-pix_fmt", "bgr24", "-s", size, "-r", rate, "-i", "-"]
    if scene.name == "runner":
        ambience(len(pictures) / scene.rate, work / "ambience.wav")
        arguments += ["-i", str(work / "ambience.wav"), "-c:a", "aac", "-b:a", "96k"]
    arguments += [
        "-vf",
        "scale=out_color_matrix=bt709:out_range=tv",
        "-c:v",
        "libx264",
        "-preset",
        "slow",
        "-crf",
        "20",
    ]
    arguments += ["-pix_fmt", "yuv420p", "-g", "48", *SRGB_TAGS, "-movflags", "+faststart", str(out / "clip.mp4")]
    ffmpeg(arguments, (grained(path, seed).tobytes() for seed, path in enumerate(pictures)))
    return "clip.mp4"


def truth(scene: Scene, work: Path, out: Path) -> None:
    """Distances (every second pixel and row), mattes, plates. docs/demo.md says how to read them."""
    folder = work / scene.name
    rate = "30000/1001" if scene.name == "harbour" else str(scene.rate)
    bits = DISTANCE_BITS.get(scene.name, 16)
    thinned = (
        (cv2.imread(str(path), cv2.IMREAD_UNCHANGED)[::2, ::2] >> (16 - bits)).tobytes()
        for path in sorted(folder.glob("distance-*.png"))
    )
    size = f"{scene.size[0] // 2}x{scene.size[1] // 2}"
    ffv1 = ["-c:v", "ffv1", "-level", "3", "-g", "1", "-coder", "1", "-context", "1"]
    ffmpeg(
        [
            "-f",
            "rawvideo",
            "-pix_fmt",
            f"gray{bits}le",
            "-s",
            size,
            "-r",
            rate,
            "-i",
            "-",
            *ffv1,
            str(out / "distance.mkv"),
        ],
        thinned,
    )
    mattes = (_grey(path).tobytes() for path in sorted(folder.glob("matte-*.png")))
    size = f"{scene.size[0]}x{scene.size[1]}"
    ffmpeg(
        ["-f", "rawvideo", "-pix_fmt", "gray", "-s", size, "-r", rate, "-i", "-", *ffv1, str(out / "matte.mkv")], mattes
    )
    for path in sorted(folder.glob("plate-*.png")):
        plate = np.round(cv2.imread(str(path), cv2.IMREAD_UNCHANGED) / 257).astype(np.uint8)
        cv2.imwrite(str(out / path.with_suffix(".webp").name), plate, [cv2.IMWRITE_WEBP_QUALITY, 97])


def _grey(path: Path) -> NDArray[np.uint8]:
    raw = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    grey = raw if raw.ndim == 2 else np.ascontiguousarray(raw[..., 1])
    return np.round(grey / 257).astype(np.uint8) if grey.dtype == np.uint16 else grey


def lenses(scene: Scene, work: Path, out: Path) -> None:
    """True-lens pictures: the mean of the samples, kept as 16-bit half floats in one archive a frame."""
    import OpenEXR

    for frame in scene.lens_frames:
        found: dict[str, NDArray[Any]] = {}
        for folder in sorted((work / scene.name).glob(f"lens-{frame:03}-*")):
            if not (folder / "done").exists():
                continue
            total = np.zeros((LENS_SIZE[1], LENS_SIZE[0], 3))
            files = sorted(folder.glob("s*.exr"))
            for path in files:
                total += OpenEXR.File(str(path)).channels()["RGB"].pixels[..., :3]
            found[folder.name.split("-", 2)[2]] = (total / len(files)).astype(np.float16)
        if found:
            distance = cv2.imread(str(work / scene.name / f"distance-{frame:03}.png"), cv2.IMREAD_UNCHANGED)
            found["distance"] = distance
            np.savez_compressed(out / f"lens-{frame:03}.npz", **found)


def beside(scene: Scene, work: Path, out: Path) -> None:
    """A moment as it was taken and from beside, with distances and mattes."""
    for frame, right, ahead in scene.beside:
        found: dict[str, NDArray[Any]] = {"way": np.array([right, ahead])}
        for path in sorted((work / scene.name).glob(f"move-{frame:03}-*.png")):
            codes = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
            found[path.stem.split("-", 2)[2]] = codes[..., 2::-1] if codes.ndim == 3 else codes
        np.savez_compressed(out / f"move-{frame:03}.npz", **found)


def prepare(scene: Scene, out: Path, name: str) -> None:
    """Proxy, poster and facts, so that the demo loads without any work."""
    facts = probe(out / name, RATES[25])
    proxy_facts, _ = make_proxy(out / name, facts, out / "proxy.mp4", out / "poster.jpg", lambda report: True)
    digest = hashlib.sha256((out / name).read_bytes()).hexdigest()
    prepared = {
        "digest": digest,
        "facts": facts.model_dump(mode="json"),
        "proxy_facts": proxy_facts.model_dump(mode="json"),
    }
    (out / "prepared.json").write_text(json.dumps(prepared) + "\n")


if __name__ == "__main__":
    source = Path(sys.argv[1]).resolve()
    for one in ALL:
        if len(sys.argv) > 2 and one.name not in sys.argv[2:]:
            continue
        target = HERE / one.name
        target.mkdir(exist_ok=True)
        if not (target / "prepared.json").exists():
            prepare(one, target, clip(one, source, target))
        truth(one, source, target)
        lenses(one, source, target)
        beside(one, source, target)
        print(one.name, sum(path.stat().st_size for path in target.iterdir()) // 1024, "KiB")
