"""One picture through the lens, from files to a file: no web, no database.

bin/kalyptra still PICTURE --distance FILE [--matte FILE --matte-distance M] [--plate FILE --plate-distance FILE]
    --focal-length 50 --f-number 1.4 --sensor-width 36 --focus 1.8 -o OUT.png
"""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from kalyptra.core import (
    CutOut,
    Opening,
    Plate,
    ThinLens,
    Transfer,
    decode_still,
    fill,
    through_lens,
    to_codes,
    to_light,
)


class BadInput(Exception):
    """A file or a number that cannot be used. The text says which and why."""


def main(words: list[str] | None = None) -> int:
    options = parser().parse_args(words)
    try:
        codes = make(options)
    except (BadInput, OSError) as error:
        print(f"kalyptra still: {error}", file=sys.stderr)
        return 1
    done, data = cv2.imencode(".png", cv2.cvtColor(codes, cv2.COLOR_RGB2BGR))
    options.output.write_bytes(data.tobytes())
    return 0


def parser() -> argparse.ArgumentParser:
    p = argparse.ArgumentParser(prog="bin/kalyptra still", description="One picture through the lens.")
    p.add_argument("picture", type=Path, help="PNG, JPEG, TIFF or WebP; the sRGB curve")
    p.add_argument(
        "--distance",
        type=Path,
        required=True,
        help=".npy or .npz (metres, key depth), .exr (metres), 16-bit .png with --near and --far",
    )
    p.add_argument(
        "--near", type=float, help="distance in metres of white in a 16-bit PNG; between, 1/distance is even"
    )
    p.add_argument("--far", type=float, help="distance in metres of black in a 16-bit PNG")
    p.add_argument("--matte", type=Path, help="the subject's coverage, a grey picture")
    p.add_argument("--matte-distance", type=float, help="the subject's distance, metres")
    p.add_argument("--plate", type=Path, help="the picture without the subject")
    p.add_argument(
        "--plate-distance", type=Path, help="its distances; of an .npz the key plate_depth is taken where it is there"
    )
    p.add_argument("--focal-length", type=float, required=True, help="mm")
    p.add_argument("--f-number", type=float, required=True)
    p.add_argument("--sensor-width", type=float, required=True, help="mm")
    p.add_argument("--focus", type=float, required=True, help="focus distance, metres")
    p.add_argument("-o", "--output", type=Path, required=True, help="PNG, sRGB, 8 bits")
    return p


def make(options: argparse.Namespace) -> NDArray[np.uint8]:
    light = to_light(read_picture(options.picture), Transfer.SRGB)
    size = light.shape[:2]
    dioptres = read_dioptres(options.distance, "depth", options, size)
    cut_outs = []
    if options.matte:
        if not options.matte_distance or options.matte_distance <= 0:
            raise BadInput("--matte needs --matte-distance, in metres")
        matte = read_matte(options.matte, size)
        own = relief(dioptres, matte, options.matte_distance)
        cut_outs.append(CutOut(matte, options.matte_distance) if own is None else CutOut.with_relief(matte, own))
    plate = None
    if options.plate:
        if not options.plate_distance:
            raise BadInput("--plate needs --plate-distance")
        plate_light = to_light(read_picture(options.plate), Transfer.SRGB)
        if plate_light.shape != light.shape:
            raise BadInput(f"{options.plate} has another size than {options.picture}")
        plate = Plate(plate_light, read_dioptres(options.plate_distance, "plate_depth", options, size))
    return to_codes(through_lens(light, dioptres, cut_outs, lens_of(options), plate), Transfer.SRGB)


def relief(dioptres: NDArray[np.float32], matte: NDArray[np.float32], distance: float) -> NDArray[np.float32] | None:
    """The subject's own dioptres, where the distance file has them: solid, and within a quarter of the one given."""
    known = (matte > 0.95) & (np.abs(dioptres * np.float32(distance) - 1) < 0.25)
    if known.sum() < 0.5 * (matte > 0.95).sum():
        return None
    filled = fill(dioptres[..., None], known.astype(np.float32))[..., 0]
    return np.maximum(filled, np.float32(1e-6))


def lens_of(options: argparse.Namespace) -> Opening:
    numbers = (options.focal_length, options.f_number, options.sensor_width, options.focus)
    if not all(np.isfinite(number) and number > 0 for number in numbers):
        raise BadInput("focal length, f-number, sensor width and focus must be positive numbers")
    if options.focus * 1000 <= options.focal_length:
        raise BadInput("the focus distance must be longer than the focal length")
    lens = ThinLens(options.focal_length / 1000, options.f_number, options.focus, options.sensor_width / 1000)
    return Opening(lens)


def read_picture(path: Path) -> NDArray[np.uint8] | NDArray[np.uint16]:
    try:
        return decode_still(path.read_bytes(), path.name)
    except Exception as error:
        raise BadInput(str(error)) from error


def read_matte(path: Path, size: tuple[int, int]) -> NDArray[np.float32]:
    codes = read_picture(path)
    if codes.shape[:2] != size:
        raise BadInput(f"{path} is {codes.shape[1]} x {codes.shape[0]} px, the picture {size[1]} x {size[0]}")
    return codes[..., 1].astype(np.float32) / np.float32(np.iinfo(codes.dtype).max)


def read_dioptres(path: Path, key: str, options: argparse.Namespace, size: tuple[int, int]) -> NDArray[np.float32]:
    """Distances of a file as 1/m; an infinite one is 0."""
    kind = path.suffix.lower()
    if kind == ".png":
        if not options.near or not options.far:
            raise BadInput("a distance PNG needs --near and --far, in metres")
        codes = read_picture(path)
        share = codes[..., 0].astype(np.float64) / np.iinfo(codes.dtype).max
        dioptres = 1 / options.far + share * (1 / options.near - 1 / options.far)
    else:
        metres = _metres(path, key)
        if not (metres > 0).all():  # NaN fails here, too
            raise BadInput(f"{path} has distances that are not positive")
        dioptres = 1 / metres
    if dioptres.shape != size:
        raise BadInput(f"{path} is {dioptres.shape[::-1]}, the picture {size[::-1]}")
    return np.asarray(dioptres, np.float32)


def _metres(path: Path, key: str) -> NDArray[np.float64]:
    try:
        if path.suffix.lower() == ".npy":
            return np.asarray(np.load(path, allow_pickle=False), np.float64)
        if path.suffix.lower() == ".npz":
            with np.load(path, allow_pickle=False) as file:
                return np.asarray(file[key if key in file else "depth"], np.float64)
        if path.suffix.lower() == ".exr":
            import OpenEXR

            channels = OpenEXR.File(str(path), separate_channels=True).channels()
            name = next((n for n in ("Z", "Y", "R", *channels) if n in channels), None)
            if name:
                return np.asarray(channels[name].pixels, np.float64)
    except Exception as error:
        raise BadInput(f"{path} cannot be read: {error}") from error
    raise BadInput(f"{path}: distances are read from .npy, .npz, .exr and 16-bit .png")


if __name__ == "__main__":
    sys.exit(main())
